"""Texts that new parts of a draft come with until the author writes their own, and where some are still left."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from lumenstat.drafting.draft import Draft
from lumenstat.drafting.trees import plain_of

BRIEF = "Say here what the crew find."
STATEMENT = "Say here what is confirmed."
TO_BE_SAID = "To be said"
TO_BE_FILLED_IN = "to be filled in"
LOG_ENTRY = "What the log says of it"
FIXED = frozenset({BRIEF, STATEMENT, TO_BE_SAID, TO_BE_FILLED_IN, LOG_ENTRY})
NEW = re.compile(r"New (section|step|line|paper|set|verify|check|confirm|request|wait|hold|decide|cycle|sweep|flow)")


@dataclass(frozen=True, slots=True)
class Placeholder:
    """A text that nobody has written yet: of which item, if of one, and in which field."""

    item: str | None
    field: str
    text: str


def new(what: str) -> str:
    """What a new part is called until it has a name."""
    return f"New {what}"


def placeholders(draft: Draft) -> Iterator[Placeholder]:
    """Every placeholder of a draft, in the order of its texts."""
    for text in (draft.exercise, *draft.checklists):
        yield from _in(plain_of(text), None, "")


def _in(value: Any, item: str | None, field: str) -> Iterator[Placeholder]:
    if isinstance(value, dict):
        # Only an item has both; what is inside of it belongs to it.
        here = str(value["id"]) if "challenge" in value and "id" in value else item
        for name, part in value.items():
            yield from _in(part, here, str(name))
    elif isinstance(value, list):
        for part in value:
            yield from _in(part, item, field)
    elif isinstance(value, str) and (value.strip() in FIXED or NEW.fullmatch(value.strip())):
        yield Placeholder(item, field, value.strip())
