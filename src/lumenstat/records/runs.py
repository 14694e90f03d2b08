"""Runs and their logs as stored."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import EntryRefused, NoSuchRecord, RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.people import now
from lumenstat.records.tables import ExerciseVersion, Person, Run, RunEvent
from lumenstat.records.tallies import count_as

OPEN_AT_MOST = 1000
OPEN_OF_ONE_AT_MOST = 20


def create_run(session: Session, digest: str, trainee_id: int, instructor_id: int, engine: str) -> Run:
    """A run that waits for its trainee. Raises RecordError where there is no such exercise or trainee."""
    trainee = session.get(Person, trainee_id)
    if trainee is None or trainee.role != "trainee" or not trainee.active:
        raise EntryRefused(phrase("Choose a trainee to start this exercise for."), "trainee")
    if session.get(ExerciseVersion, digest) is None:
        raise NoSuchRecord(phrase("There is no such exercise version."))
    return new_run(session, digest=digest, trainee_id=trainee_id, instructor_id=instructor_id, engine=engine)


def new_run(session: Session, **fields: Any) -> Run:
    """A run with these fields. Raises RecordError where too many are open."""
    _refuse_too_many(session, fields["trainee_id"])
    run = Run(id=secrets.token_hex(8), created=now(), **fields)
    session.add(run)
    session.flush()
    return run


def _refuse_too_many(session: Session, trainee_id: int) -> None:
    # A drill is a row of short runs, all open from the start; they are not what this limit is about.
    count = select(func.count()).select_from(Run).where(Run.state != "ended", Run.drill_id.is_(None))
    if (session.scalar(count.where(Run.trainee_id == trainee_id)) or 0) >= OPEN_OF_ONE_AT_MOST:
        raise RecordError(
            phrase(
                "{most} exercises are open for this person already; end some of them first.",
                most=OPEN_OF_ONE_AT_MOST,
            )
        )
    # Each open run costs the judge memory and a share of every tick.
    if (session.scalar(count) or 0) >= OPEN_AT_MOST:
        raise RecordError(
            phrase(
                "{open_at_most:,} exercises are open in this school already; end some of them first.",
                open_at_most=OPEN_AT_MOST,
            )
        )


def fork_run(session: Session, origin_id: str, tick: int, person_id: int) -> Run:
    """A new run that begins where another one was at a tick, flown by somebody of their own."""
    origin = find_run(session, origin_id)
    run = new_run(
        session,
        digest=origin.digest,
        trainee_id=person_id,
        instructor_id=origin.instructor_id,
        started=now(),
        state="running",
        engine=origin.engine,
        tick=tick,
        origin_id=origin.id,
        origin_tick=tick,
        mode="practice",
        like_digest=origin.like_digest,
        variant=origin.variant,
    )
    # The new run has its own end and its own rate; everything else up to here is how the aircraft came to be as it is.
    earlier = (
        event
        for event, _ in events_of(session, origin_id)
        if event.tick <= tick and event.verb not in ("finish", "rate")
    )
    if kept := [(event, None) for event in earlier]:
        add_events(session, [NewEvents(run.id, 0, kept)])
    return run


def practise_run(session: Session, digest: str, person_id: int, draft_id: str, engine: str) -> str:
    """A run in which whoever writes a draft flies it; gives its id."""
    return new_run(
        session,
        digest=digest,
        trainee_id=person_id,
        instructor_id=person_id,
        engine=engine,
        draft_id=draft_id,
        mode="practice",
    ).id


def fly_practice(session: Session, digest: str, person_id: int, instructor_id: int, engine: str) -> str:
    """A run that somebody flies by themselves; gives its id. One of the same exercise that waits is gone on with."""
    waiting = select(Run.id).where(Run.trainee_id == person_id, Run.digest == digest, Run.mode == "practice")
    # Nobody wants two half-flown runs of one exercise; whoever comes back goes on.
    waiting = waiting.where(Run.finished.is_(None), Run.draft_id.is_(None), Run.origin_id.is_(None))
    if (found := session.scalar(waiting)) is not None:
        return found
    made = {"digest": digest, "trainee_id": person_id, "instructor_id": instructor_id, "engine": engine}
    return new_run(session, mode="practice", **made).id


def practised(session: Session, draft_id: str) -> list[Run]:
    """The flights of a draft that have ended, newest first."""
    query = select(Run).where(Run.draft_id == draft_id, Run.state == "ended").order_by(Run.created.desc())
    return list(session.scalars(query))


def import_run(session: Session, digest: str, trainee_id: int, instructor_id: int, log: RunLog) -> str:
    """A run made of a log that was flown elsewhere; it waits to be judged. Gives its id."""
    run = create_run(session, digest, trainee_id, instructor_id, log.engine)
    # The digest of the flown version stays beside ours: documents may have changed since the log was made.
    run.flown_digest, run.finished = log.digest, now()
    session.flush()
    if log.events:
        add_events(session, [NewEvents(run.id, 0, [(event, None) for event in log.events])])
    return run.id


@dataclass(frozen=True)
class RunFacts:
    """What is asked of a run before it is opened."""

    digest: str
    trainee_id: int
    state: str
    tick: int
    exercise_id: str
    judged: bool
    signed_by: str | None
    instructor_id: int
    lesson_id: str | None
    voided_by: str | None
    archived: bool
    drill_item: str | None
    origin_tick: int | None


def facts_of(session: Session, run_id: str) -> RunFacts:
    """A run without its documents and its ledger. Raises RecordError where there is none."""
    # The ledger itself is large, and this is asked at every page of a run.
    judged, exercise = Run.ledger.is_not(None), ExerciseVersion.exercise_id
    columns = select(
        Run.digest, Run.trainee_id, Run.state, Run.tick, exercise, judged, Run.signed_by, Run.instructor_id,
        Run.lesson_id, Run.voided_by, Run.archived, Run.drill_item, Run.origin_tick,
    )  # fmt: skip
    columns = columns.join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    row = session.execute(columns.where(Run.id == run_id)).first()
    if row is None:
        raise NoSuchRecord(phrase("There is no such run."))
    return RunFacts(*tuple(row))


def find_run(session: Session, run_id: str) -> Run:
    """A run with its exercise and people. Raises RecordError where there is none."""
    run = session.get(Run, run_id)
    if run is None:
        raise NoSuchRecord(phrase("There is no such run."))
    return run


@dataclass(frozen=True)
class NewEvents:
    """Events to be kept in a run's log, numbered from `first` on, each with the client's own number for it."""

    run_id: str
    first: int
    events: Sequence[tuple[LogEvent, str | None]]


# These two are carried out for every act of every station; written out, they take a tenth of the time.
_BEGUN = """
UPDATE runs SET state = CASE WHEN ? THEN 'running' ELSE state END,
  started = CASE WHEN ? THEN coalesce(started, ?) ELSE started END, tick = max(tick, ?),
  finished = CASE WHEN ? THEN coalesce(finished, ?) ELSE finished END
WHERE id = ? AND state <> 'ended'
"""
_KEPT = 'INSERT INTO run_events (run_id, number, tick, "by", verb, args, client_id) VALUES (?, ?, ?, ?, ?, ?, ?)'


def add_event(session: Session, run_id: str, number: int, event: LogEvent, client_id: str | None) -> None:
    """Keep one event of a run; the first one starts it."""
    add_events(session, [NewEvents(run_id, number, [(event, client_id)])])


def add_events(session: Session, new: Sequence[NewEvents]) -> None:
    """Keep events, of several runs in one go: the first one starts a run, `finish` finishes it.

    Raises RecordError where there is no such run, or one has ended; then nothing of them all is to be kept.
    """
    at = f"{now():%Y-%m-%d %H:%M:%S.%f}"
    connection = session.connection()
    begun = [_begun(each, at) for each in new]
    # One statement for all of them; only where it missed one is it worth looking which.
    if connection.exec_driver_sql(_BEGUN, begun).rowcount != len(begun):
        for each in new:
            if find_run(session, each.run_id).state == "ended":
                raise RecordError(phrase("This run has ended; nothing more can be done in it."))
    keep_events(session, new)


def _begun(new: NewEvents, at: str) -> tuple[object, ...]:
    """What new events make of a run: only an instructor's word before the first act does not begin it."""
    begins = any(e.by != "instructor" or e.verb in ("resume", "finish") for e, _ in new.events)
    finishes = any(e.verb == "finish" for e, _ in new.events)
    return begins, begins, at, max(e.tick for e, _ in new.events), finishes, at, new.run_id


def keep_events(session: Session, new: Sequence[NewEvents]) -> None:
    """Keep events without a word of what they mean for their runs."""
    rows = [
        (each.run_id, number, e.tick, e.by, e.verb, json.dumps(dict(e.args), ensure_ascii=False), client_id)
        for each in new
        for number, (e, client_id) in enumerate(each.events, start=each.first)
    ]
    session.connection().exec_driver_sql(_KEPT, rows)


def note_ticks(session: Session, ticks: Mapping[str, int]) -> None:
    """Remember how far exercise time has come in some runs, for going on after a restart."""
    for run_id, tick in ticks.items():
        later = update(Run).where(Run.id == run_id, Run.tick < tick).values(tick=tick)
        session.execute(later.execution_options(synchronize_session=False))


def awaiting_verdict(session: Session) -> list[str]:
    """The runs that are finished and not judged, oldest first; those that could not be judged are left out."""
    query = select(Run.id).where(
        Run.finished.is_not(None), Run.ledger.is_(None), Run.not_judged.is_(None), Run.voided_at.is_(None)
    )
    return list(session.scalars(query.order_by(Run.finished, Run.created)))


def note_not_judged(session: Session, run_id: str, says: str | None) -> None:
    """Remember why a run could not be judged, or that it is to be tried again."""
    find_run(session, run_id).not_judged = says


def events_of(session: Session, run_id: str) -> list[tuple[LogEvent, str | None]]:
    """The events of a run in order, each with the client's own number for it."""
    columns = select(RunEvent.tick, RunEvent.by, RunEvent.verb, RunEvent.args, RunEvent.client_id)
    rows = session.execute(columns.where(RunEvent.run_id == run_id).order_by(RunEvent.number))
    return [(LogEvent(tick, by, verb, _args(args)), client_id) for tick, by, verb, args, client_id in rows]


def events_after(session: Session, run_id: str, first: int) -> list[tuple[int, LogEvent]]:
    """The events of a run from a number on, each with its number."""
    columns = select(RunEvent.number, RunEvent.tick, RunEvent.by, RunEvent.verb, RunEvent.args)
    rows = session.execute(columns.where(RunEvent.run_id == run_id, RunEvent.number >= first).order_by(RunEvent.number))
    return [(number, LogEvent(tick, by, verb, _args(args))) for number, tick, by, verb, args in rows]


def _args(text: str) -> dict[str, Any]:
    args: dict[str, Any] = json.loads(text)
    return args


def log_of(session: Session, run: Run) -> RunLog:
    """The run's log, ready to be written or judged."""
    started = run.started.isoformat(timespec="seconds") + "Z" if run.started else None
    events = tuple(event for event, _ in events_of(session, run.id))
    return RunLog(run.exercise.exercise_id, run.digest, run.engine, events, run.trainee.name, started)


def end_run(session: Session, run_id: str, ledger: str, trace: str) -> None:
    """Close a run with its judgement."""
    run = find_run(session, run_id)
    run.state, run.ended, run.ledger, run.trace, run.not_judged = "ended", now(), ledger, trace, None
    # A run whose trainee never said that they had finished was finished by the judge.
    run.finished = run.finished or run.ended
    run.join_code = None
    told = Ledger.model_validate_json(ledger)
    count_as(session, run, told)
