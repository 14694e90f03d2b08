"""The lists of an exercise in the builder: carts, papers with lines, faults, aims, bands; fields line by line."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.edits import figure_of, free_name, list_at, value_at
from lumenstat.drafting.placeholders import LOG_ENTRY, TO_BE_FILLED_IN, TO_BE_SAID, new
from lumenstat.errors import EditRefused
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.ac_sources import AcSection
from lumenstat.systems.registry import fault_kinds, fault_targets
from lumenstat.web.pages.builder_forms import Field, choice, expression, figure, flag, menu, value_of, words
from lumenstat.web.rendering import Context

FIGURES = frozenset({"volts", "hertz", "at_least", "at", "clear_at", "amount", "after"})
"""Names of fields in these lists that hold a figure."""

Choices = dict[str, tuple[tuple[str, str], ...]]
"""What can be chosen, by the first word of a fault's kind, and under `entry` the entries."""

_PATHS = re.compile(
    r"bands|aims|faults|start\.before|start\.out_of_service|papers|papers\.\d+\.lines|start\.carts\.[a-z0-9_]+"
)


class ListForm(Context):
    """One list: its path in the document, its title, what adds a line to it, and the fields of each line."""

    path: str
    title: str
    add: str
    lines: tuple[tuple[Field, ...], ...]
    columns: int
    nested: bool = False


def lists_of(content: Mapping[str, Any], airframe: Airframe) -> Iterator[ListForm]:
    """Every list of the exercise as it is written now."""
    choices = {group: tuple(names.items()) for group, names in fault_targets(airframe).items()}
    choices["entry"] = tuple((c.id, c.name) for c in airframe.controls.values() if c.kind == "entry")
    choices["hold"] = tuple((c.id, c.name) for c in airframe.controls.values() if c.kind == "momentary")
    choices["request"] = tuple(
        (f"{service.id}.{action.id}", f"{service.name}: {action.name}")
        for service in airframe.services
        for action in service.actions
    )
    for supply in airframe.section(AcSection).ground_supplies:
        yield _form(
            content,
            f"start.carts.{supply.id}",
            phrase("Carts at {supply}", supply=supply.name),
            phrase("Another cart"),
            3,
        )
    yield _form(content, "papers", phrase("Papers handed out"), phrase("Another paper"), 1)
    for n in range(len(list_at(content, "papers"))):
        title = value_of(content, f"papers.{n}.name") or phrase("Paper {n}", n=n + 1)
        yield _form(content, f"papers.{n}.lines", title, phrase("Another line"), 3, choices, nested=True)
    yield _form(content, "start.before", phrase("Done before the exercise begins"), phrase("Another step"), 4, choices)
    yield _form(
        content,
        "start.out_of_service",
        phrase("Out of service, and in the technical log"),
        phrase("Another part"),
        4,
        choices,
    )
    yield _form(content, "faults", phrase("Faults"), phrase("Another fault"), 4, choices)
    yield _form(content, "aims", phrase("What must be so at the end"), phrase("Another aim"), 2)
    yield _form(content, "bands", phrase("Grades in words"), phrase("Another grade"), 2)


def fresh_line(path: str, airframe: Airframe, taken: frozenset[str]) -> dict[str, Any]:
    """A new line of a list, filled in so far that it can be read. Raises EditRefused where there is no such list."""
    # Paths come from the page; whatever else could be written into a draft by them is refused.
    if _PATHS.fullmatch(path) is None:
        raise EditRefused(phrase("the exercise has no list {path}", path=repr(path)))
    if path.startswith("start.carts."):
        supply = next((s for s in airframe.section(AcSection).ground_supplies if s.id == path.rsplit(".", 1)[-1]), None)
        if supply is None:
            raise EditRefused(
                phrase(
                    "{airframe} has no ground supply {supply}",
                    airframe=airframe.name,
                    supply=repr(path.rsplit(".", 1)[-1]),
                )
            )
        # The middle of what the bus takes: a cart that is good until its author makes it bad.
        middle = (supply.hertz.min + supply.hertz.max) / 2
        return {"name": "Another cart", "volts": airframe.buses[supply.bus].nominal_volts, "hertz": middle}
    if path == "bands":
        return {"at_least": 50, "words": TO_BE_SAID}
    if path == "aims":
        return {"id": free_name("aim", taken), "when": "time > 0", "says": TO_BE_SAID}
    if path == "start.before":
        return {"after": 10}
    if path == "start.out_of_service":
        target = next(iter(airframe.lamps), "")
        return {"kind": "bulb_dead", "target": target, "says": LOG_ENTRY}
    if path == "faults":
        kind, target = "bulb_dead", next(iter(airframe.lamps), "")
        return {"id": free_name("fault", taken), "kind": kind, "target": target, "at": 60}
    line = {"id": "line", "name": new("line"), "value": TO_BE_FILLED_IN}
    if path == "papers":
        return {"id": free_name("paper", taken, "_"), "name": new("paper"), "lines": [line]}
    return line | {"id": free_name("line", taken, "_")}


def value_in_list(name: str, text: str) -> Any:
    """What a form's text stands for in a line of these lists. Raises EditRefused."""
    last = name.rsplit(".", 1)[-1]
    if last == "set":
        return dict(_position(part) for part in text.split(",") if part.strip())
    if last == "request":
        return text.split(".", 1)
    # A comma is a point on half of the keyboards; both are read.
    number = figure_of(text)
    if last in FIGURES and number is None:
        raise EditRefused(phrase("{field} takes a figure, not {text}", field=last.replace("_", " "), text=repr(text)))
    return text if number is None or last not in FIGURES | {"value"} else number


def _position(text: str) -> tuple[str, Any]:
    """A control and where it is put, written with a blank between. Raises EditRefused."""
    control, _, to = text.strip().partition(" ")
    if not to.strip():
        raise EditRefused(phrase("{text} needs a control and its position, like `beacon ON`", text=repr(text.strip())))
    number = figure_of(to)
    return control, to.strip() if number is None else number


def _form(
    content: Mapping[str, Any],
    path: str,
    title: str,
    add: str,
    columns: int,
    choices: Choices | None = None,
    nested: bool = False,
) -> ListForm:
    lines = tuple(
        tuple(_fields(content, f"{path}.{n}", path, choices or {})) for n in range(len(list_at(content, path)))
    )
    return ListForm(path=path, title=title, add=add, lines=lines, columns=columns, nested=nested)


def _fields(content: Mapping[str, Any], at: str, path: str, choices: Choices) -> Iterator[Field]:
    if path.startswith("start.carts."):
        yield words(content, f"{at}.name", phrase("Cart"))
        yield figure(content, f"{at}.volts", phrase("Volts"), "V")
        yield figure(content, f"{at}.hertz", phrase("Frequency"), phrase("Hz"))
    elif path == "bands":
        yield figure(content, f"{at}.at_least", phrase("From"), "%")
        yield words(content, f"{at}.words", phrase("In words"))
    elif path == "aims":
        yield expression(content, f"{at}.when", phrase("At the end this is so"))
        yield words(content, f"{at}.says", phrase("In words"), wide=True)
        yield flag(content, f"{at}.gating", phrase("Without it nobody passes"), usual=True)
    elif path == "start.before":
        yield figure(content, f"{at}.after", phrase("After"), "s")
        yield choice(content, f"{at}.hold", phrase("Holds 1 s"), choices.get("hold", ()))
        # Written as a pair, and chosen from one menu that holds service and action together.
        asked = value_at(content, f"{at}.request")
        named = {"request": ".".join(map(str, asked))} if asked else {}
        request = choice(named, "request", phrase("Asks the crew"), choices.get("request", ()))
        yield request.model_copy(update={"name": f"{at}.request", "wide": True})
        moved = (value_at(content, f"{at}.set") or {}).items()
        placed = ", ".join(f"{control} {position_text(to)}" for control, to in moved)
        yield Field(name=f"{at}.set", label=phrase("Sets"), value=placed, usual="beacon ON, flap_lever 8", whole=True)
    elif path == "papers":
        yield words(content, f"{at}.name", phrase("Paper"))
    elif path == "start.out_of_service":
        yield from _fault(content, at, choices)
        yield words(content, f"{at}.says", phrase("What the log says"), wide=True)
        yield figure(content, f"{at}.amount", phrase("Amount"))
    elif path == "faults":
        yield from _fault(content, at, choices)
        yield figure(content, f"{at}.at", phrase("At"), "s")
        yield figure(content, f"{at}.amount", phrase("Amount"))
        # Conditions are long: each has a line of its own.
        for name, label in (("when", phrase("Or when")), ("clear_when", phrase("Gone again when"))):
            yield expression(content, f"{at}.{name}", label).model_copy(update={"whole": True})
    else:
        yield words(content, f"{at}.name", phrase("Line"))
        yield words(content, f"{at}.value", phrase("Value"))
        yield words(content, f"{at}.unit", phrase("Unit"))
        yield choice(content, f"{at}.entry", phrase("Goes into"), choices.get("entry", ())).model_copy(
            update={"wide": True}
        )
        yield words(content, f"{at}.id", phrase("Id"))


def _fault(content: Mapping[str, Any], at: str, choices: Choices) -> Iterator[Field]:
    """Of what kind it is, and which of the parts that there are."""
    kinds = tuple((name, phrase("{fault:high}", fault=each.words)) for name, each in fault_kinds().items())
    kind = value_of(content, f"{at}.kind")
    for field in (
        menu(content, f"{at}.kind", phrase("Kind"), kinds, kind),
        choice(content, f"{at}.target", phrase("Of"), choices.get(kind, ())),
    ):
        yield field.model_copy(update={"wide": True})
