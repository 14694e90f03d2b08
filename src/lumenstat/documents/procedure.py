"""A checklist as items in a partial order: what has to come before what, and nothing more."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from lumenstat.documents.checklist import Checklist, Section
from lumenstat.items.registry import Item


@dataclass(frozen=True)
class Step:
    """An item in its place. `branch` names the decision and branch that bring it, if one does."""

    number: int
    item: Item
    section: int
    branch: tuple[str, str] | None = None


@dataclass(frozen=True)
class Procedure:
    """All items of an exercise in checklist order, and which must come before which."""

    steps: tuple[Step, ...]
    sections: tuple[Section, ...]
    papers: dict[str, float | str]

    @cached_property
    def before(self) -> tuple[int, ...]:
        """For each step a bit mask of the steps that must come before it (transitively closed)."""
        return _closed(self._base_order())

    def precedes(self, first: int, second: int) -> bool:
        """Whether the one must come before the other."""
        return bool(self.before[second] >> first & 1)

    def named(self, number: int) -> str:
        """A step's challenge as people are told it, with its response where another step has the same challenge."""
        item = self.steps[number].item
        same = sum(step.item.challenge == item.challenge for step in self.steps)
        return item.challenge if same == 1 else f"{item.challenge}: {item.response}"

    @cached_property
    def by_id(self) -> dict[str, Step]:
        """Steps by item id."""
        return {step.item.id: step for step in self.steps}

    def _base_order(self) -> list[int]:
        masks = [0] * len(self.steps)
        for later in self.steps:
            for earlier in self.steps[: later.number]:
                if self._ordered(earlier, later):
                    masks[later.number] |= 1 << earlier.number
            for name in later.item.after:
                masks[later.number] |= 1 << self.by_id[name].number
            floating = later.item.floats_until or self.sections[later.section].floats_until
            if floating is not None:
                # The other way round: what it floats until comes after it.
                masks[self.by_id[floating].number] |= 1 << later.number
        return masks

    def _ordered(self, earlier: Step, later: Step) -> bool:
        """Whether sections alone put the one before the other."""
        # A floating item is bound by its own words alone.
        if earlier.item.floats_until or later.item.floats_until:
            return False
        # Items of two branches of one decision never meet.
        if earlier.branch and later.branch and earlier.branch[0] == later.branch[0] and earlier.branch != later.branch:
            return False
        if earlier.section == later.section:
            return self.sections[earlier.section].order == "strict" or (
                later.branch is not None and earlier.item.id == later.branch[0]
            )
        if self.sections[earlier.section].floats_until or self.sections[later.section].floats_until:
            return False
        # Waiting for something need not hold up the next section: that is often begun meanwhile.
        return earlier.item.waits_for is None


def _closed(masks: list[int]) -> tuple[int, ...]:
    closed = list(masks)
    changed = True
    # Everything before what comes before it; repeated until nothing is added.
    while changed:
        changed = False
        for number, mask in enumerate(closed):
            wider, rest = mask, mask
            while rest:
                lowest = (rest & -rest).bit_length() - 1
                wider |= closed[lowest]
                rest &= rest - 1
            if wider != mask:
                closed[number], changed = wider, True
    return tuple(closed)


def procedure_from(checklists: Sequence[Checklist], papers: dict[str, float | str]) -> Procedure:
    """The items of some checklists, one after another."""
    steps: list[Step] = []
    sections: list[Section] = []

    def place(items: tuple[Item, ...], branch: tuple[str, str] | None) -> None:
        for item in items:
            # An item can name a branch that it belongs to without standing in it.
            hangs_on = (item.of_branch.item, item.of_branch.branch) if item.of_branch else branch
            steps.append(Step(len(steps), item, len(sections) - 1, hangs_on))
            for way in item.ways():
                place(way.items, (item.id, way.id))

    for checklist in checklists:
        for section in checklist.sections:
            sections.append(section)
            place(section.items, None)
    return Procedure(tuple(steps), tuple(sections), papers)


def watched_texts(procedure: Procedure) -> tuple[str, ...]:
    """Every expression that decides what happens in a procedure, each once."""
    return tuple(dict.fromkeys(_texts(procedure)))


def _texts(procedure: Procedure) -> Iterator[str]:
    for step in procedure.steps:
        item = step.item
        if item.applies_when is not None:
            yield item.applies_when
        yield from item.watched()
