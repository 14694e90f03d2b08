"""A person's logbook: every ended run with what was assessed, by whom, under which version; and what is mastered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from lumenstat.documents.bundles import Bundle
from lumenstat.records.exercises import bundle_of, current_exercise, exercise_titles
from lumenstat.records.school import school
from lumenstat.records.tables import AppraisalRecord, ExerciseVersion, Person, Run
from lumenstat.records.tallies import ItemStreak
from lumenstat.training.mastery import MasteryRule, SectionMastery, Streak, by_section

ON_A_PAGE = 40
DIGITS = 12
"""So many of a version's digest stand for it where people read."""


@dataclass(frozen=True)
class LogbookLine:
    """One ended run as a logbook has it. `against_needed` is the time used over the time needed."""

    run_id: str
    at: datetime
    title: str
    airframe: str
    version: str
    mode: str
    minutes: float
    outcome: str | None
    percent: float | None
    grade: str | None
    assessed_by: str
    remark: str | None
    signed_by: str | None
    signed_at: datetime | None
    prompted: int
    against_needed: float | None
    drill: bool

    @property
    def kind(self) -> str:
        """What kind of run it was: assessed, practice or drill."""
        return "drill" if self.drill else self.mode


@dataclass(frozen=True)
class ExerciseMastery:
    """What of an exercise somebody has mastered, by section."""

    exercise_id: str
    title: str
    sections: tuple[SectionMastery, ...]

    @property
    def mastered(self) -> int:
        """How many of its items are mastered."""
        return sum(section.mastered for section in self.sections)

    @property
    def items(self) -> int:
        """How many there are."""
        return sum(section.items for section in self.sections)


def logbook_of(session: Session, person_id: int, page: int | None = None) -> list[LogbookLine]:
    """A person's ended runs, newest first: a page of them (from 1), or all."""
    instructor, said = aliased(Person), aliased(AppraisalRecord)
    # A later appraisal takes the place of an earlier one; all of them stay in the record.
    latest = select(func.max(AppraisalRecord.id)).where(AppraisalRecord.run_id == Run.id).scalar_subquery()
    columns = (
        Run.id, Run.created, ExerciseVersion.named, Run.digest, Run.mode, Run.tick, Run.outcome_words, Run.percent,
        said.grade, func.coalesce(said.by, instructor.name), said.remark, Run.signed_by, Run.signed_at,
        func.coalesce(Run.prompted, 0), Run.used_seconds, Run.needed_seconds, Run.drill_id,
    )  # fmt: skip
    query = select(*columns).join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    query = query.join(instructor, instructor.id == Run.instructor_id).outerjoin(said, said.id == latest)
    ended = (Run.state == "ended", Run.voided_at.is_(None), Run.draft_id.is_(None))
    query = query.where(Run.trainee_id == person_id, *ended).order_by(Run.created.desc(), Run.id)
    if page is not None:
        query = query.limit(ON_A_PAGE).offset(ON_A_PAGE * (page - 1))
    return [_line(session, tuple(row)) for row in session.execute(query)]


def _line(session: Session, row: tuple[Any, ...]) -> LogbookLine:
    run_id, at, title, digest, mode, tick, *judged, prompted, used, needed, drill = row
    airframe = bundle_of(session, digest).airframe.name
    pace = used / needed if used and needed else None
    said = (run_id, at, title, airframe, digest[:DIGITS], mode, tick / 6000, *judged, prompted, pace, drill is not None)
    return LogbookLine(*said)


def logbook_length(session: Session, person_id: int) -> int:
    """How many runs a person's logbook has."""
    ended = (Run.state == "ended", Run.voided_at.is_(None), Run.draft_id.is_(None))
    return session.scalar(select(func.count()).select_from(Run).where(Run.trainee_id == person_id, *ended)) or 0


# ---- what is mastered ------------------------------------------------------------------------------------------------


def rule_of(session: Session) -> MasteryRule:
    """When this school calls something mastered."""
    settled = school(session)
    return MasteryRule(settled.mastery_passes, settled.mastery_by)


def mastery_of(session: Session, person_id: int, exercises: Iterable[str] | None = None) -> list[ExerciseMastery]:
    """What somebody has mastered of these exercises, or of all that they flew assessed, by title."""
    rule, titles = rule_of(session), dict(exercise_titles(session))
    streaks: dict[str, list[Streak]] = {}
    for row in session.scalars(select(ItemStreak).where(ItemStreak.trainee_id == person_id)):
        streaks.setdefault(row.exercise_id, []).append(Streak(row.item, row.runs, row.assessors))
    chosen = streaks.keys() if exercises is None else set(exercises)
    return [
        ExerciseMastery(each, titles[each], tuple(_sections(session, each, streaks.get(each, []), rule)))
        # An exercise that is no longer in the school has no sections to show.
        for each in sorted(chosen & titles.keys(), key=lambda each: titles[each])
    ]


def _sections(session: Session, exercise_id: str, streaks: list[Streak], rule: MasteryRule) -> list[SectionMastery]:
    return by_section(sections_of(current_exercise(session, exercise_id).bundle), streaks, rule)


def sections_of(bundle: Bundle) -> list[tuple[str, list[str]]]:
    """The sections of an exercise, each with the ids of its items; those of branches are left out."""
    procedure = bundle.procedure
    found: list[tuple[str, list[str]]] = [(bundle.worded(section.title), []) for section in procedure.sections]
    for step in procedure.steps:
        # Whoever takes one branch never meets the items of the others, so nobody could master the section.
        if step.branch is None:
            found[step.section][1].append(step.item.id)
    return found


def mastered_counts(session: Session, people: Iterable[int], exercises: Iterable[str]) -> dict[tuple[int, str], int]:
    """How many items each of these people has mastered in each of these exercises."""
    rule = rule_of(session)
    query = select(ItemStreak.trainee_id, ItemStreak.exercise_id, func.count()).where(
        ItemStreak.trainee_id.in_(list(people)),
        ItemStreak.exercise_id.in_(list(exercises)),
        ItemStreak.runs >= rule.passes,
        # The same rule as `by_section` has it, here in the database: a class has too many rows to read.
        ItemStreak.assessors >= (1 if rule.by_whom == "anybody" else 2),
    )
    rows = session.execute(query.group_by(ItemStreak.trainee_id, ItemStreak.exercise_id))
    return {(row[0], row[1]): row[2] for row in rows}
