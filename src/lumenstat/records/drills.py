"""Drills: the moments that somebody keeps missing, each a run that begins just before the item."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import DateTime, ForeignKey, Index, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import NoSuchRecord
from lumenstat.language.wording import phrase
from lumenstat.records.people import now
from lumenstat.records.runs import NewEvents, events_of, keep_events, new_run
from lumenstat.records.tables import Base, Run


class Drill(Base):
    """A drill made for somebody."""

    __tablename__ = "drills"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)

    __table_args__ = (Index("ix_drills_person", "person_id", "at"),)


@dataclass(frozen=True)
class Ready:
    """A moment that the model has flown to: the log so far, and the tick just before the item."""

    digest: str
    item: str
    events: tuple[LogEvent, ...]
    tick: int


def keep_drill(
    session: Session, person_id: int, instructor_id: int, by: str, moments: Sequence[Ready], engine: str
) -> str:
    """Keep a drill with a run for each moment, in order; gives its id. What nobody began of earlier ones falls away."""
    # Otherwise every drill that was drawn and never begun would wait in the list for good.
    unbegun = (Run.finished.is_(None), Run.tick <= Run.origin_tick)
    earlier = select(Run).where(Run.trainee_id == person_id, Run.drill_id.is_not(None), *unbegun)
    for run in session.scalars(earlier):
        session.delete(run)
    drill = Drill(id=secrets.token_hex(8), person_id=person_id, by=by, at=now())
    session.add(drill)
    # Its runs refer to it, and SQLite checks that at once.
    session.flush()
    for number, moment in enumerate(moments):
        _moment_run(session, drill.id, person_id, instructor_id, number + 1, moment, engine)
    return drill.id


def _moment_run(
    session: Session, drill_id: str, person_id: int, instructor_id: int, number: int, moment: Ready, engine: str
) -> str:
    run = new_run(
        session,
        digest=moment.digest,
        trainee_id=person_id,
        instructor_id=instructor_id,
        engine=engine,
        mode="practice",
        state="running",
        started=now(),
        tick=moment.tick,
        origin_tick=moment.tick,
        drill_id=drill_id,
        drill_item=moment.item,
        station=number,
    )
    if moment.events:
        keep_events(session, [NewEvents(run.id, 0, [(event, None) for event in moment.events])])
    return run.id


def get_drill(session: Session, drill_id: str) -> Drill:
    """A drill. Raises NoSuchRecord."""
    drill = session.get(Drill, drill_id)
    if drill is None:
        raise NoSuchRecord(phrase("There is no such drill."))
    return drill


def drills_of(session: Session, person_id: int, at_most: int = 5) -> list[Drill]:
    """Somebody's latest drills, newest first."""
    query = select(Drill).where(Drill.person_id == person_id).order_by(Drill.at.desc())
    return list(session.scalars(query.limit(at_most)))


def runs_of_drill(session: Session, drill_id: str) -> list[Run]:
    """The moments of a drill, in order."""
    query = select(Run).where(Run.drill_id == drill_id, Run.voided_at.is_(None)).order_by(Run.station, Run.created)
    return list(session.scalars(query))


def next_moment(session: Session, run: Run) -> str | None:
    """The run of the moment after this one that is still to be flown."""
    if run.drill_id is None:
        return None
    later = (r for r in runs_of_drill(session, run.drill_id) if r.finished is None and r.id != run.id)
    return next((each.id for each in later), None)


def drill_run_again(session: Session, drill_id: str, run_id: str) -> str:
    """A new run from where a moment of a drill began; one that still waits is gone on with. Gives its id."""
    runs = runs_of_drill(session, drill_id)
    run = next((each for each in runs if each.id == run_id), None)
    if run is None:
        raise NoSuchRecord(phrase("There is no such moment in this drill."))
    # A second click must not leave a second empty run.
    waiting = next((r.id for r in runs if r.station == run.station and r.finished is None), None)
    if waiting is not None:
        return waiting
    begins = run.origin_tick or 0
    # What led up to the moment, without what was done in it.
    events = [event for event, _ in events_of(session, run.id) if event.tick < begins]
    moment = Ready(run.digest, run.drill_item or "", tuple(events), begins)
    return _moment_run(session, drill_id, run.trainee_id, run.instructor_id, run.station or 1, moment, run.engine)
