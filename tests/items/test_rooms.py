"""Everything about a kind of item stands in its room: nobody else asks what kind an item is."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from lumenstat.items.item import ItemBase
from lumenstat.items.registry import KINDS, own_keys

SOURCE = Path(__file__).parents[2] / "src" / "lumenstat"
KNOWN_OUTSIDE = {
    # A reading is found by turning a selector, looked ahead for, and repeated after it: ways of the hands, not of the item.
    ("CheckItem", "rehearsal/hands.py"), ("CheckItem", "rehearsal/perfect.py"), ("CheckItem", "rehearsal/script.py"),
    # Findings compare what was done with what is written, by kind, and offer remedies that change the kind.
    ("CheckItem", "proving/findings.py"), ("SetItem", "proving/findings.py"), ("HoldItem", "proving/findings.py"),
    ("DecideItem", "proving/findings.py"), ("RequestItem", "proving/findings.py"), ("DecideItem", "proving/coverage.py"),
    # A limit that is held against the model is a check's.
    ("CheckItem", "proving/edges.py"),
    # What people do wrongly has its own ways for readings and decisions.
    ("CheckItem", "fairness/changed_flights.py"), ("CheckItem", "fairness/changes.py"), ("DecideItem", "fairness/changes.py"),
}  # fmt: skip
"""Kinds that are named elsewhere, with the reason. Nothing may be added here without one."""

TEXTS = {
    str(path.relative_to(SOURCE)): path.read_text()
    for path in sorted(SOURCE.rglob("*.py"))
    if "items" not in path.relative_to(SOURCE).parts
}


def outside(model: type[ItemBase]) -> set[str]:
    return {name for name, text in TEXTS.items() if re.search(rf"\b{model.__name__}\b", text)}


@pytest.mark.parametrize("kind", KINDS)
def test_nobody_outside_names_it(kind: str) -> None:
    model = KINDS[kind]
    assert {name for name in outside(model) if (model.__name__, name) not in KNOWN_OUTSIDE} == set()


@pytest.mark.parametrize("kind", KINDS)
def test_it_has_a_word_an_answer_on_the_card_and_fields_of_its_own(kind: str) -> None:
    assert KINDS[kind].WORD
    assert own_keys(kind)
    assert (SOURCE / "web" / "templates" / "answers" / f"{kind}.html").exists()


def test_what_is_known_outside_is_still_there() -> None:
    named = {(model.__name__, name) for model in KINDS.values() for name in outside(model)}
    assert named == KNOWN_OUTSIDE
