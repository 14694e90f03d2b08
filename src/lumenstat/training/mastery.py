"""When an item is mastered: after so many assessed runs in a row in which it cost nothing, as the school says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

ByWhom = Literal["anybody", "two"]
"""Who has to have seen it: anybody who assesses, or at least two of them."""


@dataclass(frozen=True)
class MasteryRule:
    """What the school asks for."""

    passes: int = 2
    by_whom: ByWhom = "anybody"


@dataclass(frozen=True)
class Streak:
    """The latest assessed runs in a row in which an item cost nothing: how many, and how many people assessed them."""

    item: str
    runs: int
    assessors: int

    def mastered(self, rule: MasteryRule) -> bool:
        """Whether that is what the school asks for."""
        return self.runs >= rule.passes and (rule.by_whom == "anybody" or self.assessors > 1)


@dataclass(frozen=True)
class SectionMastery:
    """How many items of a section are mastered."""

    title: str
    mastered: int
    items: int

    @property
    def signed_off(self) -> bool:
        """Whether the whole section is."""
        return self.items > 0 and self.mastered == self.items


def by_section(
    sections: Sequence[tuple[str, Sequence[str]]], streaks: Sequence[Streak], rule: MasteryRule
) -> list[SectionMastery]:
    """How far somebody is with each section, given as its title and the ids of its items."""
    done = {streak.item for streak in streaks if streak.mastered(rule)}
    return [SectionMastery(title, sum(item in done for item in items), len(items)) for title, items in sections]
