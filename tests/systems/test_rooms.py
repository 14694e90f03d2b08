"""Everything about a kind of system stands in its room: nobody else names its documents, its start or its faults."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from lumenstat.systems.electrical.buses import Buses
from lumenstat.systems.panel.system import Panels
from lumenstat.systems.registry import SYSTEMS
from lumenstat.systems.services import Services
from lumenstat.systems.system import System

SOURCE = Path(__file__).parents[2] / "src" / "lumenstat"
VOCABULARY = (Buses, Panels, Services)
"""What exercises and pages are made of: buses, controls, instruments, lamps and the crew outside."""
KNOWN_OUTSIDE = {
    # Charge and time on batteries are what a proof tells an instructor of, and what a new draft must begin with.
    ("Batteries", "proving/prove.py"), ("Batteries", "proving/battery_standing.py"), ("Batteries", "drafting/beginnings.py"),
    ("Feeding", "proving/battery_standing.py"), ("Contactors", "proving/battery_standing.py"),
    # Carts are a list of an exercise, with a form of its own.
    ("Feeding", "drafting/beginnings.py"), ("Feeding", "drafting/shapes.py"), ("Feeding", "web/pages/builder_lists.py"),
    # What the units remember is a place, entered like the place where the aircraft stands.
    ("InertialSystem", "web/pages/builder_forms.py"), ("InertialSystem", "web/pages/builder_edits.py"),
    ("GyroSystem", "web/pages/builder_forms.py"),
}  # fmt: skip
"""Rooms that are named elsewhere, with the reason. Nothing may be added here without one."""

AST_NAME = "node.comparators"
"""Python's own syntax trees have a part of that name."""
TEXTS = {
    str(path.relative_to(SOURCE)): path.read_text().replace(AST_NAME, "")
    for path in sorted(SOURCE.rglob("*"))
    if path.suffix in (".py", ".html", ".js")
    and not {"systems", "library", "dist"} & set(path.relative_to(SOURCE).parts)
}


def words_of(system: type[System]) -> set[str]:
    """What a room adds to documents, and the faults that it knows."""
    words = {fault.kind for fault in system.FAULTS}
    for section in (system.SECTION, system.START):
        words |= set(section.model_fields) if section is not None else set()
    return words


def named_in(text: str, words: set[str]) -> set[str]:
    """The words that a text uses as code: after a full stop, or in quotes of their own or at the head of a path."""
    return {word for word in words if re.search(rf"""(?<=[.\["'{{]){word}(?=["'.\s\]),:}}])""", text)}


def outside(system: type[System]) -> dict[str, set[str]]:
    """The files outside its room that name a system or import its room, with the words they use."""
    found = {name: named_in(text, words_of(system)) for name, text in TEXTS.items()}
    room = system.__module__.rsplit(".", 1)[0] if system.__module__.count(".") > 2 else system.__module__
    if room != "lumenstat.systems.electrical":
        for name, text in TEXTS.items():
            found[name] |= {room} & set(re.findall(rf"from ({re.escape(room)})[. ]", text))
    return {name: words for name, words in found.items() if words}


@pytest.mark.parametrize("system", [each for each in SYSTEMS if each not in VOCABULARY], ids=lambda s: s.__name__)
def test_nobody_outside_names_it(system: type[System]) -> None:
    strangers = {name: words for name, words in outside(system).items() if (system.__name__, name) not in KNOWN_OUTSIDE}
    assert strangers == {}


def test_the_search_finds_what_it_looks_for() -> None:
    assert named_in('airframe.hydraulics.pumps["x"]', {"hydraulics"}) == {"hydraulics"}
    assert named_in('kind = "bulb_dead"', {"bulb_dead"}) == {"bulb_dead"}
    assert named_in("the engines of a class", {"engines"}) == set()


def test_what_is_known_outside_is_still_there() -> None:
    named = {(system.__name__, name) for system in SYSTEMS for name in outside(system)}
    assert named >= KNOWN_OUTSIDE
