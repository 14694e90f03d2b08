"""What published guidance asks of a checklist's design, as lint; each rule names where it comes from and can be waived.

Sources, from memory and unverified: A. Degani and E. Wiener, Human Factors of Flight-Deck Checklists, NASA CR-177549
(1990); UK CAA CAP 676; FAA AC 120-71B.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lumenstat.documents.checklist import Checklist, Section
from lumenstat.documents.translating import UNUSED
from lumenstat.items.registry import Item
from lumenstat.language.wording import phrase

LONGEST_SECTION = 20
ROOM_IN_ANY_ORDER = 6
EMPTY_WORDS = {
    "checked",
    "check",
    "set",
    "as required",
    "as needed",
    "ok",
    "okay",
    "done",
    "complete",
    "completed",
    "verified",
}


@dataclass(frozen=True)
class DesignRule:
    """A rule of design: what it asks, and who asks it."""

    asks: str
    source: str


RULES = {
    "response-says-nothing": DesignRule(
        "the response names the state or the figure, not that something was looked at", "NASA CR-177549"
    ),
    "section-too-long": DesignRule(
        f"a section has at most {LONGEST_SECTION} items; split longer ones", "NASA CR-177549"
    ),
    "critical-late": DesignRule("where the order is free, critical items come first", "NASA CR-177549"),
    "near-identical": DesignRule("no two items of a section read the same", "CAP 676"),
    "who-missing": DesignRule("every item says who acts", "AC 120-71B"),
    UNUSED: DesignRule("what has words in another language stands in the document", "our own: nobody would read them"),
    "reason-missing": DesignRule("every item says why it is there", "our own: the panel of reasons needs it"),
}
"""The lint of a checklist's design, by the name that a waiver gives."""


FOUND_BY_THE_MODEL = (
    "dead-instrument", "out-of-limits", "no-indication", "limit-exceeded", "changes-nothing", "never-applies",
    "always-applies", "decision-uncovered",
)  # fmt: skip
"""Findings of the proof that an item may waive: they can be meant."""

WAIVABLE = (*RULES, *FOUND_BY_THE_MODEL)


@dataclass(frozen=True)
class Lint:
    """A rule that an item breaks, and how to mend it."""

    item: str
    rule: str
    says: str


def lint_checklist(checklist: Checklist) -> Iterator[Lint]:
    """Everything in a checklist that breaks a rule and is not waived."""
    for section in checklist.sections:
        waived = {(item.id, waiver.rule) for item in walk(section.items) for waiver in item.waives}
        yield from (lint for lint in _of_section(section) if (lint.item, lint.rule) not in waived)


def walk(items: tuple[Item, ...]) -> Iterator[Item]:
    """Items with those of their branches."""
    for item in items:
        yield item
        for way in item.ways():
            yield from walk(way.items)


def _of_section(section: Section) -> Iterator[Lint]:
    if len(section.items) > LONGEST_SECTION:
        count = len(section.items)
        says = phrase(
            "section '{title}' has {count} items; split it so that none has over {longest_section}",
            title=section.title,
            count=count,
            longest_section=LONGEST_SECTION,
        )
        yield Lint(section.items[0].id, "section-too-long", says)
    free = section.order == "any" and len(section.items) > ROOM_IN_ANY_ORDER
    for number, item in enumerate(section.items):
        # In the last third of a long section in any order: that is where things are forgotten.
        if free and item.critical and number >= len(section.items) * 2 / 3:
            yield Lint(
                item.id,
                "critical-late",
                phrase("'{challenge}' is critical and stands late; move it up", challenge=item.challenge),
            )
    seen: dict[tuple[str, str], Item] = {}
    # Items of branches as well: the trainee reads them one after another.
    for item in walk(section.items):
        yield from _of_item(item)
        words = (item.challenge.strip().lower(), item.response.strip().lower())
        other = seen.setdefault(words, item)
        if other is not item:
            yield Lint(
                item.id,
                "near-identical",
                phrase("reads just like '{id}'; say in the challenge what sets it apart", id=other.id),
            )


def _of_item(item: Item) -> Iterator[Lint]:
    response = item.response.strip().lower().rstrip(".")
    if response in EMPTY_WORDS and response != item.position.lower():
        says = phrase(
            "'{response}' names no state and no figure; say what it is to be, like `24.0 V or more`",
            response=item.response,
        )
        yield Lint(item.id, "response-says-nothing", says)
    if "who" not in item.model_fields_set:
        yield Lint(
            item.id, "who-missing", phrase("says nobody who acts; add `who: captain`, first-officer, both or either")
        )
    if item.why is None:
        yield Lint(item.id, "reason-missing", phrase("gives no reason; add `why:` in a sentence"))
