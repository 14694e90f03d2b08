"""A checklist as a card: what stands on it line by line, whatever it is then drawn with."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from lumenstat.documents.bundles import Bundle
from lumenstat.items.registry import Item
from lumenstat.language.wording import joined, phrase

TRAINING_AID = phrase(
    "Training aid only, not for operating an aircraft. The approved flight manual, the "
    "operator's procedures, the maintenance manual and local rules come first; licensed "
    "instructors and engineers decide."
)
BELOW_THE_LINE = phrase("Down to the line. Below it only after the event it waits for.")

What = Literal["section", "item", "branch", "the-line"]


@dataclass(frozen=True)
class PrintedLine:
    """One line: a section's heading, an item with its caution, the head of a branch, or the line to stop at.

    `number` is 0 where nothing is numbered; `depth` counts the branches around it.
    """

    what: What
    left: str
    right: str = ""
    number: int = 0
    depth: int = 0
    critical: bool = False
    caution: str = ""


@dataclass(frozen=True)
class PrintedCard:
    """A whole card: title, what it is for, cautions that hold throughout, its lines, and what it is not for."""

    title: str
    about: str
    cautions: tuple[str, ...]
    lines: tuple[PrintedLine, ...]
    foot: str = TRAINING_AID


def card_of(bundle: Bundle) -> PrintedCard:
    """The card of an exercise."""
    sets = dict.fromkeys((c.procedure_set, c.version) for c in bundle.checklists)
    names = joined(", ", (phrase("{name}, version {version}", name=name, version=version) for name, version in sets))
    about = phrase(
        "{airframe}. {names}. Documents {digest}.",
        airframe=bundle.airframe.name,
        names=names,
        digest=bundle.digest[:12],
    )
    return PrintedCard(bundle.exercise.shown, about, tuple(bundle.airframe.cautions), tuple(_lines(bundle)))


def _lines(bundle: Bundle) -> Iterator[PrintedLine]:
    number = 0
    for checklist in bundle.checklists:
        for section in checklist.sections:
            order = phrase("any order") if section.order == "any" else ""
            style = phrase("flow, then check") if section.style == "flow-then-check" else ""
            yield PrintedLine("section", joined(", ", (part for part in (section.title, order, style) if part)))
            for item in section.items:
                number += 1
                yield from _item(item, number, 0)
                if section.line_after == item.id:
                    yield PrintedLine("the-line", BELOW_THE_LINE)


def _item(item: Item, number: int, depth: int) -> Iterator[PrintedLine]:
    shown = number if not depth else 0
    yield PrintedLine("item", item.challenge, item.response, shown, depth, item.critical, item.caution or "")
    for way in item.ways():
        yield PrintedLine("branch", way.says, depth=depth)
        for each in way.items:
            yield from _item(each, number, depth + 1)
