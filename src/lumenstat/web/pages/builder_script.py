"""The script of a draft: its sections and items as the builder lists them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.drafting.draft import Draft
from lumenstat.drafting.trees import plain_of
from lumenstat.language.wording import phrase
from lumenstat.proving.proof import Consequence
from lumenstat.web.pages.builder_forms import KIND_WORDS
from lumenstat.web.rendering import Context

TAGS = {
    "applies_when": phrase("if"), "one_of": phrase("or"), "not_before": phrase("later"),
    "floats_until": phrase("any time"),
}  # fmt: skip
"""What is written before an item in the script where something other than its place says when it is due."""


class ScriptRow(Context):
    """One item of the script, or the head of a branch above its items."""

    number: int
    id: str
    kind: str
    kind_words: str
    challenge: str
    response: str
    critical: bool
    depth: int
    worst: str
    effect: str
    tags: tuple[str, ...] = ()


class ScriptSection(Context):
    """One section of the script."""

    id: str
    title: str
    order: str
    style: str
    line_after: str
    rows: tuple[ScriptRow, ...]


def sections_of(draft: Draft, worst: Mapping[str, str], effects: Mapping[str, str]) -> tuple[ScriptSection, ...]:
    """The script, numbered through."""
    found, number = [], 0
    for text in draft.checklists:
        # The text as it is, even where the documents cannot be read: a broken draft still has rows to mend.
        for section in plain_of(text).get("sections") or ():
            rows = []
            for item, depth in _walk(section.get("items") or (), 0):
                number += 1
                name, kind = str(item.get("id", "")), str(item.get("kind", ""))
                rows.append(
                    ScriptRow(
                        number=number,
                        id=name,
                        kind=kind,
                        kind_words=KIND_WORDS.get(kind, kind),
                        challenge=str(item.get("challenge", "")),
                        response=str(item.get("response", "")),
                        critical=item.get("critical") is True,
                        depth=depth,
                        worst=worst.get(name, ""),
                        effect=effects.get(name, ""),
                        tags=tuple(word for key, word in TAGS.items() if item.get(key)),
                    )
                )
            found.append(
                ScriptSection(
                    id=str(section.get("id", "")),
                    title=str(section.get("title", "")),
                    order=str(section.get("order", "strict")),
                    style=str(section.get("style", "read-and-do")),
                    line_after=str(section.get("line_after") or ""),
                    rows=tuple(rows),
                )
            )
    return tuple(found)


def _walk(items: Any, depth: int) -> Iterator[tuple[Mapping[str, Any], int]]:
    for item in items:
        yield item, depth
        for branch in item.get("branches") or ():
            yield from _walk(branch.get("items") or (), depth + 1)
        if item.get("if_not"):
            yield from _walk(item["if_not"].get("items") or (), depth + 1)


def effects_of(consequences: tuple[Consequence, ...]) -> dict[str, str]:
    """By item: the gravest thing that comes of leaving it out."""
    return {each.item: each.effect for each in consequences if each.change == "left-out"}
