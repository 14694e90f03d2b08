"""Plans of days as stored: each with its edition, so that two who change it are told of each other."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import date, datetime, timedelta

from sqlalchemy import Date, DateTime, ForeignKey, Index, Integer, String, Text, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.errors import NoSuchRecord, Overtaken
from lumenstat.language.wording import KEEP_PARTS, phrase
from lumenstat.records.people import now
from lumenstat.records.tables import Base, Run
from lumenstat.training.day_plan import DayPlan, Move, moved

PACE_FROM, PACE_TO = 1.0, 3.0
"""Nobody is planned faster than the model, or slower than three times as long."""


class DayPlanRecord(Base):
    """The plan of a day; `content` is a `DayPlan` as JSON."""

    __tablename__ = "day_plans"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    day: Mapped[date] = mapped_column(Date)
    title: Mapped[str] = mapped_column(String(80))
    group_id: Mapped[int | None] = mapped_column(ForeignKey("groups.id", ondelete="SET NULL"))
    content: Mapped[str] = mapped_column(Text)
    edition: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    by: Mapped[str] = mapped_column(String(80))
    changed: Mapped[datetime] = mapped_column(DateTime)

    __table_args__ = (Index("ix_day_plans_day", "day"),)

    @property
    def plan(self) -> DayPlan:
        """The plan itself."""
        return DayPlan.model_validate_json(self.content)


def keep_plan(session: Session, plan: DayPlan, title: str, group_id: int | None, by: str) -> str:
    """Keep a new plan; gives its id."""
    made = DayPlanRecord(
        id=secrets.token_hex(8),
        day=plan.wanted.day,
        title=title,
        group_id=group_id,
        content=plan.model_dump_json(context=KEEP_PARTS),
        edition=0,
        by=by,
        changed=now(),
    )
    session.add(made)
    session.flush()
    return made.id


def get_plan(session: Session, plan_id: str) -> DayPlanRecord:
    """A plan. Raises NoSuchRecord."""
    found = session.get(DayPlanRecord, plan_id)
    if found is None:
        raise NoSuchRecord(phrase("There is no such plan."))
    return found


def plans_from(session: Session, day: date) -> list[DayPlanRecord]:
    """The plans of a day and later, the soonest first."""
    query = select(DayPlanRecord).where(DayPlanRecord.day >= day).order_by(DayPlanRecord.day, DayPlanRecord.title)
    return list(session.scalars(query))


def plans_around(session: Session, day: date) -> list[DayPlanRecord]:
    """The plans of a day and its neighbours: today depends on the zone, and a class may go on over the night."""
    near = (day - timedelta(days=1), day, day + timedelta(days=1))
    query = select(DayPlanRecord).where(DayPlanRecord.day.in_(near)).order_by(DayPlanRecord.day, DayPlanRecord.title)
    return list(session.scalars(query))


def plans_before(session: Session, day: date, at_most: int) -> list[DayPlanRecord]:
    """The latest plans before a day, newest first."""
    query = select(DayPlanRecord).where(DayPlanRecord.day < day).order_by(DayPlanRecord.day.desc())
    return list(session.scalars(query.limit(at_most)))


def _changed(session: Session, plan_id: str, edition: int, by: str, plan: DayPlan) -> DayPlan:
    record = get_plan(session, plan_id)
    # As for courses and groups: the second of two who plan the same day is told, and writes over nothing.
    if record.edition != edition:
        raise Overtaken(phrase("{by} changed this plan in the meantime. Look at how it stands now.", by=record.by))
    record.content, record.by, record.changed = plan.model_dump_json(context=KEEP_PARTS), by, now()
    record.edition += 1
    return plan


def move_in_plan(session: Session, plan_id: str, edition: int, by: str, move: Move) -> DayPlan:
    """Change a plan by hand. Raises Overtaken where somebody else was quicker."""
    return _changed(session, plan_id, edition, by, moved(get_plan(session, plan_id).plan, move))


def replace_plan(session: Session, plan_id: str, edition: int, by: str, plan: DayPlan) -> DayPlan:
    """Put a plan that was made anew in the place of one. Raises Overtaken."""
    return _changed(session, plan_id, edition, by, plan)


def drop_plan(session: Session, plan_id: str) -> None:
    """Take a plan out."""
    session.delete(get_plan(session, plan_id))


# ---- how long things take --------------------------------------------------------------------------------------------


def paces(session: Session, people: Sequence[int]) -> dict[int, float]:
    """Each person's time over the model's, from their judged runs; 1 and a half where nothing is known."""
    # A mean of shares, not a share of sums: a long exercise says no more about somebody's pace than a short one.
    share = func.avg(Run.used_seconds / Run.needed_seconds)
    query = select(Run.trainee_id, share).where(
        Run.trainee_id.in_(people), Run.needed_seconds > 0, Run.outcome.in_(("pass", "fail", "held"))
    )
    known = {row[0]: row[1] for row in session.execute(query.group_by(Run.trainee_id))}
    # A single run that was left standing for an hour must not stretch a whole day.
    return {each: min(PACE_TO, max(PACE_FROM, known.get(each) or 1.5)) for each in people}
