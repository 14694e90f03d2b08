"""What runs come to over time: a person's trend and what they miss, a class's table, and how well items tell apart."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, case, func, select, true
from sqlalchemy.orm import Session

from lumenstat.records.exercises import exercise_titles
from lumenstat.records.tables import ExerciseVersion, Membership, Person, Run
from lumenstat.records.tallies import ItemTotal, RunItem

LEAST_RUNS = 4
"""Of fewer runs nothing is said of how well an item tells strong from weak."""
MISSED_AT_MOST = 12

_COUNTED = (Run.outcome.is_not(None), Run.voided_at.is_(None), Run.draft_id.is_(None), Run.drill_id.is_(None))


@dataclass(frozen=True)
class TrendPoint:
    """One judged run on a trend."""

    run_id: str
    at: datetime
    title: str
    percent: float
    outcome: str
    mode: str
    prompted: int = 0
    pace: float | None = None
    """Time used over what the model needs."""


@dataclass(frozen=True)
class MissedItem:
    """An item that costs points: in so many of the runs in which it was reached."""

    exercise_id: str
    title: str
    item: str
    times: int
    missed: int
    worst: str
    """The verdict that it was missed with most often."""


@dataclass(frozen=True)
class ClassLine:
    """One person of a class: runs that count, how many passed, the mean, the latest."""

    person_id: int
    name: str
    runs: int
    passed: int
    mean: float | None
    practice: int
    last: datetime | None


@dataclass(frozen=True)
class ItemLine:
    """An item across a class. `tells` correlates its share with the rest of the run: near 0 it tells nobody apart."""

    item: str
    times: int
    missed: int
    tells: float | None

    @property
    def share(self) -> float:
        """In what share of its runs it was missed."""
        return self.missed / self.times if self.times else 0.0


def trend_of(session: Session, person_id: int) -> list[TrendPoint]:
    """Every judged run of a person, oldest first."""
    # None, and not zero, where the model's time is not known.
    pace = case((Run.needed_seconds > 0, Run.used_seconds / Run.needed_seconds))
    columns = select(
        Run.id, Run.created, ExerciseVersion.named, Run.percent, Run.outcome, Run.mode, func.coalesce(Run.prompted, 0),
        pace,
    )  # fmt: skip
    query = columns.join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    rows: list[Any] = list(session.execute(query.where(Run.trainee_id == person_id, *_COUNTED).order_by(Run.created)))
    return [TrendPoint(*row) for row in rows]


def missed_by(session: Session, person_id: int) -> list[MissedItem]:
    """What a person misses most, by how often."""
    return _missed(session, ItemTotal.trainee_id == person_id)


def missed_in(session: Session, group_id: int) -> list[MissedItem]:
    """What a class misses most, by how often."""
    return _missed(session, ItemTotal.trainee_id.in_(_members(group_id)))


def _members(group_id: int) -> Select[int]:
    return select(Membership.person_id).where(Membership.group_id == group_id)


def slips_by(session: Session, person_id: int) -> list[tuple[str, int]]:
    """How often somebody's items went wrong in which way, the most frequent first."""
    return _slips(session, ItemTotal.trainee_id == person_id)


def slips_in(session: Session, group_id: int) -> list[tuple[str, int]]:
    """How often a class's items went wrong in which way, the most frequent first."""
    return _slips(session, ItemTotal.trainee_id.in_(_members(group_id)))


def _slips(session: Session, whose: ColumnElement[bool]) -> list[tuple[str, int]]:
    count = func.sum(ItemTotal.missed)
    query = select(ItemTotal.verdict, count).where(whose).group_by(ItemTotal.verdict).having(count > 0)
    return [(row[0], int(row[1])) for row in session.execute(query.order_by(count.desc(), ItemTotal.verdict))]


def _missed(session: Session, whose: ColumnElement[bool]) -> list[MissedItem]:
    key = (ItemTotal.exercise_id, ItemTotal.item, ItemTotal.verdict)
    query = select(*key, func.sum(ItemTotal.times), func.sum(ItemTotal.missed)).group_by(*key)
    found: dict[tuple[str, str], Counter[str]] = {}
    times: Counter[tuple[str, str]] = Counter()
    for exercise, item, verdict, flown, missed in session.execute(query.where(whose)):
        found.setdefault((exercise, item), Counter())[verdict] += missed
        times[exercise, item] += flown
    titles = dict(exercise_titles(session))
    lines = [
        # By exercise and item: the same id in another exercise is another item.
        MissedItem(
            key[0], titles.get(key[0], key[0]), key[1], times[key], verdicts.total(), verdicts.most_common(1)[0][0]
        )
        for key, verdicts in found.items()
        if verdicts.total() > 0
    ]
    return sorted(lines, key=lambda line: (-line.missed, line.exercise_id, line.item))[:MISSED_AT_MOST]


def class_of(session: Session, group_id: int) -> list[ClassLine]:
    """Everybody of a class with what their runs came to, by name."""
    assessed = case((Run.mode == "assessed", 1), else_=0)
    passed = case(((Run.outcome == "pass") & (Run.mode == "assessed"), 1), else_=0)
    # A mean over assessed runs alone; practice is for making mistakes.
    mean = func.avg(case((Run.mode == "assessed", Run.percent)))
    columns = select(
        Person.id, Person.name, func.coalesce(func.sum(assessed), 0), func.coalesce(func.sum(passed), 0), mean,
        func.coalesce(func.sum(1 - assessed), 0), func.max(Run.created),
    )  # fmt: skip
    runs = (Run.trainee_id == Person.id) & Run.outcome.is_not(None) & Run.voided_at.is_(None) & Run.draft_id.is_(None)
    runs = runs & Run.drill_id.is_(None)
    query = columns.select_from(Person).outerjoin(Run, runs).where(Person.id.in_(_members(group_id)), Person.active)
    return [ClassLine(*tuple(row)) for row in session.execute(query.group_by(Person.id).order_by(Person.name))]


def items_of(session: Session, group_id: int, exercise_id: str, version: str = "") -> list[ItemLine]:
    """Every item of an exercise across a class, the one missed most first; of one version where it is given.

    Neighbours' starts count as the version that they were drawn from.
    """
    columns = select(RunItem.run_id, RunItem.item, RunItem.earned, RunItem.possible)
    query = columns.where(RunItem.trainee_id.in_(_members(group_id)), RunItem.exercise_id == exercise_id)
    if version:
        query = query.join(Run, Run.id == RunItem.run_id).where(func.coalesce(Run.like_digest, Run.digest) == version)
    shares: dict[str, dict[str, float]] = {}
    # An item that a run never came to says nothing of how hard it is.
    for run_id, item, earned, possible in session.execute(query.where(RunItem.possible > 0, RunItem.reached == true())):
        shares.setdefault(run_id, {})[item] = earned / possible
    runs = [(run, sum(run.values())) for run in shares.values()]
    names = dict.fromkeys(item for run in shares.values() for item in run)
    lines = [_item_line(item, runs) for item in names]
    return sorted(lines, key=lambda line: (-line.share, line.item))


def _item_line(item: str, runs: Sequence[tuple[dict[str, float], float]]) -> ItemLine:
    flown = [(run[item], total, len(run)) for run, total in runs if item in run]
    own = [share for share, _, _ in flown]
    rest = [(total - share) / max(1, count - 1) for share, total, count in flown]
    return ItemLine(item, len(flown), sum(share < 1 for share in own), correlation(own, rest))


def correlation(one: Sequence[float], other: Sequence[float]) -> float | None:
    """Pearson's; None where there are too few, or one of them never changes."""
    n = len(one)
    if n < LEAST_RUNS:
        return None
    a, b = sum(one) / n, sum(other) / n
    spread = math.sqrt(sum((x - a) ** 2 for x in one) * sum((y - b) ** 2 for y in other))
    if spread < 1e-12:
        return None
    return sum((x - a) * (y - b) for x, y in zip(one, other, strict=True)) / spread
