"""Finds places for the riser's rails and rungs: in which order the rails stand, where each rung and its name goes.

A rung joins two rails and passes those between. Its symbol and its name stand in one of the gaps that it passes, where
no other rung runs through the name: so it is the outermost one there. Which orders of rails and columns give every
rung such a gap is searched for, always the same way, so that one airframe always looks the same.
"""

from __future__ import annotations

import math
import random
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

FROM_THE_END = 8.0
TO_THE_NAME = 11.0
TRIES = 4000
UNNAMED = 100
"""What a rung without a name costs, in gaps that another one might be longer."""

WARMTH = 30.0

Side = Literal["left", "right"]
Slot = tuple[int, Side]


@dataclass(frozen=True, slots=True)
class Rung:
    """Joins two rails, which may come in either order; its name is so many units wide."""

    ends: tuple[str, str]
    width: float


@dataclass(frozen=True, slots=True)
class DrawingArea:
    """Where rails run (`left` to `right`) and how far names may reach, on the left under each rail.

    `steps` are the units from column to column that may be tried, widest first; narrower ones leave names more room.
    """

    left: float
    right: float
    names_left: tuple[tuple[str, float], ...]
    names_right: float
    steps: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class RungPlace:
    """Where a rung stands, in the gap under which rail its symbol, and on which side its name; None if none is free."""

    x: float
    gap: int
    side: Side | None


@dataclass(frozen=True, slots=True)
class Placing:
    """The rails from top to bottom, and a place for each rung."""

    rails: tuple[str, ...]
    places: tuple[RungPlace, ...]


@lru_cache(maxsize=200)
def place(groups: tuple[tuple[str, ...], ...], rungs: tuple[Rung, ...], field: DrawingArea) -> Placing:
    """Rails in groups that stay as they come, each in an order that is searched for, and a place for every rung."""
    best = _search(groups, rungs, field, field.steps[0])
    for step in field.steps[1:]:
        # Every rung has its name beside it: nothing to gain from narrower columns.
        if best.named() == len(rungs):
            break
        best = min(best, _search(groups, rungs, field, step), key=_Try.cost)
    rails = tuple(rail for group in best.groups for rail in group)
    middles = [(gaps.start + gaps.stop - 1) // 2 for gaps in best.gaps]
    return Placing(
        rails,
        tuple(
            RungPlace(round(x, 1), *best.slots.get(n, (middle, None)))
            for n, (x, middle) in enumerate(zip(best.x, middles, strict=True))
        ),
    )


def _search(groups: Sequence[Sequence[str]], rungs: Sequence[Rung], field: DrawingArea, step: float) -> _Try:
    chance = random.Random(1)  # noqa: S311  (the same airframe shall always look the same)
    begin = [list(group) for group in groups]
    best = min((_try(begin, order, rungs, field, step) for order in _beginnings(begin, rungs)), key=_Try.cost)
    now = best
    for tried in range(TRIES):
        # Long enough to be of some use; only rungs without a name are worth all of the tries.
        if best.named() == len(rungs) and tried > TRIES / 10:
            break
        changed = _try(*_changed(now, chance), rungs, field, step)
        # Worse ones are taken at first and ever less, so that the search does not end in the first hollow.
        warmth = WARMTH * (1 - tried / TRIES) ** 2 + 1
        if changed.cost() <= now.cost() or chance.random() < math.exp((now.cost() - changed.cost()) / warmth):
            now = changed
        if now.cost() < best.cost():
            best = now
    return best


@dataclass(frozen=True, slots=True)
class _Try:
    groups: list[list[str]]
    order: list[int]
    gaps: list[range]
    x: list[float]
    slots: dict[int, Slot]

    def named(self) -> int:
        return len(self.slots)

    def cost(self) -> int:
        return UNNAMED * (len(self.x) - len(self.slots)) + sum(map(len, self.gaps))


def _gaps(groups: Sequence[Sequence[str]], rungs: Sequence[Rung]) -> list[range]:
    at = {rail: n for n, rail in enumerate(rail for group in groups for rail in group)}
    return [range(*sorted((at[a], at[b]))) for a, b in (rung.ends for rung in rungs)]


def _beginnings(groups: list[list[str]], rungs: Sequence[Rung]) -> Iterator[list[int]]:
    gaps, every = _gaps(groups, rungs), range(len(rungs))
    yield sorted(every, key=lambda n: (gaps[n].start, -gaps[n].stop))
    yield sorted(every, key=lambda n: (-gaps[n].stop, gaps[n].start))
    yield sorted(every, key=lambda n: -len(gaps[n]))


def _changed(best: _Try, chance: random.Random) -> tuple[list[list[str]], list[int]]:
    """Two rails of a group change places, or a rung comes elsewhere in the order of columns."""
    many = [n for n, group in enumerate(best.groups) if len(group) > 1]
    # Rails move less often than rungs: each move of theirs changes much at once.
    if many and chance.random() < 0.3:
        groups = [list(group) for group in best.groups]
        group = groups[chance.choice(many)]
        a, b = chance.sample(range(len(group)), 2)
        group[a], group[b] = group[b], group[a]
        return groups, best.order
    order = list(best.order)
    if order:
        order.insert(chance.randrange(len(order)), order.pop(chance.randrange(len(order))))
    return best.groups, order


def _try(groups: list[list[str]], order: list[int], rungs: Sequence[Rung], field: DrawingArea, widest: float) -> _Try:
    gaps = _gaps(groups, rungs)
    columns = _columns(order, gaps)
    room = field.right - field.left - 2 * FROM_THE_END
    step = min(widest, room / max(1, max(columns, default=0)))
    x = [field.left + FROM_THE_END + column * step for column in columns]
    free = _free(groups, rungs, gaps, x, field)
    return _Try(groups, order, gaps, x, _give_slots(free))


def _columns(order: Sequence[int], gaps: Sequence[range]) -> list[int]:
    """The leftmost column for each in that order; those that pass no gap together may share one."""
    columns = [0] * len(gaps)
    reached = [0] * (max((each.stop for each in gaps), default=0))
    for n in order:
        columns[n] = max(reached[gap] for gap in gaps[n])
        for gap in gaps[n]:
            reached[gap] = columns[n] + 1
    return columns


def _free(
    groups: Sequence[Sequence[str]],
    rungs: Sequence[Rung],
    gaps: Sequence[range],
    x: Sequence[float],
    field: DrawingArea,
) -> list[list[Slot]]:
    """The gaps and sides where each name meets neither a line nor an end of the field."""
    free: list[list[Slot]] = [[] for _ in rungs]
    rails = [rail for group in groups for rail in group]
    names_left = dict(field.names_left)
    first, last = [-1] * len(rails), [-1] * len(rails)
    for n, at in enumerate(x):
        # Only the outermost line of a gap has nothing beside it on its side.
        for gap in gaps[n]:
            if first[gap] < 0 or at < x[first[gap]]:
                first[gap] = n
            if last[gap] < 0 or at > x[last[gap]]:
                last[gap] = n
    for gap, rail in enumerate(rails):
        if (n := last[gap]) >= 0 and x[n] + TO_THE_NAME + rungs[n].width <= field.names_right:
            free[n].append((gap, "right"))
        if (n := first[gap]) >= 0 and x[n] - TO_THE_NAME - rungs[n].width >= names_left[rail]:
            free[n].append((gap, "left"))
    return free


def _give_slots(free: Sequence[Sequence[Slot]]) -> dict[int, Slot]:
    """A slot for as many as possible: a maximum matching, by augmenting paths."""
    taken: dict[Slot, int] = {}

    def give(n: int, seen: set[Slot]) -> bool:
        for slot in free[n]:
            if slot in seen:
                continue
            seen.add(slot)
            if slot not in taken or give(taken[slot], seen):
                taken[slot] = n
                return True
        return False

    # Those with the fewest places first, which makes for shorter paths.
    for n in sorted(range(len(free)), key=lambda each: len(free[each])):
        give(n, set())
    return {n: slot for slot, n in taken.items()}
