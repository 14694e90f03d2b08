"""What runs come to over time: a person's trend and what they miss, a class's table, and how well items tell apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, case, func, select
from sqlalchemy.orm import Session

from lumenstat.records.tables import ExerciseVersion, Membership, Person, Run, RunItem

LEAST_RUNS = 4
"""Of fewer runs nothing is said of how well an item tells strong from weak."""
MISSED_AT_MOST = 12

_COUNTED = (Run.outcome.is_not(None), Run.voided_at.is_(None), Run.draft_id.is_(None))
_MISSED = (RunItem.earned < RunItem.possible) & RunItem.reached


@dataclass(frozen=True)
class Point:
    """One judged run on a trend."""

    run_id: str
    at: datetime
    title: str
    percent: float
    outcome: str
    mode: str


@dataclass(frozen=True)
class Missed:
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


def trend_of(session: Session, person_id: int) -> list[Point]:
    """Every judged run of a person, oldest first."""
    columns = select(Run.id, Run.created, ExerciseVersion.title, Run.percent, Run.outcome, Run.mode)
    query = columns.join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    rows: list[Any] = list(session.execute(query.where(Run.trainee_id == person_id, *_COUNTED).order_by(Run.created)))
    return [Point(*row) for row in rows]


def missed_by(session: Session, person_id: int) -> list[Missed]:
    """What a person misses most, by how often."""
    return _missed(session, Run.trainee_id == person_id)


def missed_in(session: Session, group_id: int) -> list[Missed]:
    """What a class misses most, by how often."""
    return _missed(session, Run.trainee_id.in_(_members(group_id)))


def _members(group_id: int) -> Select[int]:
    return select(Membership.person_id).where(Membership.group_id == group_id)


def _missed(session: Session, whose: ColumnElement[bool]) -> list[Missed]:
    exercise = (ExerciseVersion.exercise_id, RunItem.item)
    missed = func.sum(case((_MISSED, 1), else_=0))
    counted = (whose, *_COUNTED, RunItem.possible > 0, RunItem.reached)
    title = func.max(ExerciseVersion.title)
    joined = select(ExerciseVersion.exercise_id, title, RunItem.item, func.count(), missed)
    joined = joined.join(Run, Run.id == RunItem.run_id).join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    query = joined.where(*counted).group_by(*exercise).having(missed > 0).order_by(missed.desc(), RunItem.item)
    rows: list[Any] = list(session.execute(query.limit(MISSED_AT_MOST)))
    return [Missed(*(*row, _worst(session, whose, row[0], row[2]))) for row in rows]


def _worst(session: Session, whose: ColumnElement[bool], exercise_id: str, item: str) -> str:
    query = select(RunItem.verdict).join(Run, Run.id == RunItem.run_id)
    query = query.join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    query = query.where(whose, *_COUNTED, _MISSED, ExerciseVersion.exercise_id == exercise_id, RunItem.item == item)
    return session.scalar(query.group_by(RunItem.verdict).order_by(func.count().desc(), RunItem.verdict).limit(1)) or ""


def class_of(session: Session, group_id: int) -> list[ClassLine]:
    """Everybody of a class with what their runs came to, by name."""
    assessed = case((Run.mode == "assessed", 1), else_=0)
    passed = case(((Run.outcome == "pass") & (Run.mode == "assessed"), 1), else_=0)
    mean = func.avg(case((Run.mode == "assessed", Run.percent)))
    columns = select(
        Person.id, Person.name, func.coalesce(func.sum(assessed), 0), func.coalesce(func.sum(passed), 0), mean,
        func.coalesce(func.sum(1 - assessed), 0), func.max(Run.created),
    )  # fmt: skip
    runs = (Run.trainee_id == Person.id) & Run.outcome.is_not(None) & Run.voided_at.is_(None) & Run.draft_id.is_(None)
    query = columns.select_from(Person).outerjoin(Run, runs).where(Person.id.in_(_members(group_id)), Person.active)
    return [ClassLine(*tuple(row)) for row in session.execute(query.group_by(Person.id).order_by(Person.name))]


def items_of(session: Session, group_id: int, exercise_id: str) -> list[ItemLine]:
    """Every item of an exercise across a class, the one missed most first."""
    columns = select(RunItem.run_id, RunItem.item, RunItem.earned, RunItem.possible)
    query = columns.join(Run, Run.id == RunItem.run_id).join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    query = query.where(ExerciseVersion.exercise_id == exercise_id, Run.trainee_id.in_(_members(group_id)), *_COUNTED)
    shares: dict[str, dict[str, float]] = {}
    for run_id, item, earned, possible in session.execute(query.where(RunItem.possible > 0, RunItem.reached)):
        shares.setdefault(run_id, {})[item] = earned / possible
    names = dict.fromkeys(item for run in shares.values() for item in run)
    lines = [_item_line(item, list(shares.values())) for item in names]
    return sorted(lines, key=lambda line: (-line.share, line.item))


def _item_line(item: str, runs: Sequence[dict[str, float]]) -> ItemLine:
    flown = [run for run in runs if item in run]
    own = [run[item] for run in flown]
    rest = [sum(share for name, share in run.items() if name != item) / max(1, len(run) - 1) for run in flown]
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
