"""Runs and their logs as stored."""

from __future__ import annotations

import json
import secrets
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import RecordError
from lumenstat.records.people import now
from lumenstat.records.tables import ExerciseVersion, Person, Run, RunEvent


def create_run(session: Session, digest: str, trainee_id: int, instructor_id: int, engine: str) -> Run:
    """A run that waits for its trainee. Raises RecordError where there is no such exercise or trainee."""
    trainee = session.get(Person, trainee_id)
    if trainee is None or trainee.role != "trainee":
        raise RecordError("Choose a trainee to start this exercise for.")
    if session.get(ExerciseVersion, digest) is None:
        raise RecordError("There is no such exercise version.")
    return _made(session, digest=digest, trainee_id=trainee_id, instructor_id=instructor_id, engine=engine)


def _made(session: Session, **fields: Any) -> Run:
    run = Run(id=secrets.token_hex(8), created=now(), **fields)
    session.add(run)
    session.flush()
    return run


def fork_run(session: Session, origin_id: str, tick: int, person_id: int) -> Run:
    """A new run that begins where another one was at a tick, flown by somebody of their own."""
    origin = find_run(session, origin_id)
    run = _made(
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
    )
    earlier = (
        event
        for event, _ in events_of(session, origin_id)
        if event.tick <= tick and event.verb not in ("finish", "rate")
    )
    for number, event in enumerate(earlier):
        add_event(session, run.id, number, event, None)
    return run


def practise_run(session: Session, digest: str, person_id: int, draft_id: str, engine: str) -> str:
    """A run in which whoever writes a draft flies it; gives its id."""
    return _made(
        session, digest=digest, trainee_id=person_id, instructor_id=person_id, engine=engine, draft_id=draft_id
    ).id


def practised(session: Session, draft_id: str) -> list[Run]:
    """The flights of a draft that have ended, newest first."""
    query = select(Run).where(Run.draft_id == draft_id, Run.state == "ended").order_by(Run.created.desc())
    return list(session.scalars(query))


def import_run(session: Session, digest: str, trainee_id: int, instructor_id: int, log: RunLog) -> str:
    """A run made of a log that was flown elsewhere; it waits to be judged. Gives its id."""
    run = create_run(session, digest, trainee_id, instructor_id, log.engine)
    run.flown_digest = log.digest
    for number, event in enumerate(log.events):
        add_event(session, run.id, number, event, None)
    return run.id


def find_run(session: Session, run_id: str) -> Run:
    """A run with its exercise and people. Raises RecordError where there is none."""
    run = session.get(Run, run_id)
    if run is None:
        raise RecordError("There is no such run.")
    return run


def runs_of(session: Session, trainee_id: int | None = None) -> list[Run]:
    """Runs, newest first: all, or one trainee's."""
    query = select(Run).order_by(Run.created.desc(), Run.id).limit(200)
    if trainee_id is not None:
        query = query.where(Run.trainee_id == trainee_id)
    return list(session.scalars(query))


def add_event(session: Session, run_id: str, number: int, event: LogEvent, client_id: str | None) -> None:
    """Keep one event of a run; the first one starts it."""
    run = find_run(session, run_id)
    if run.state == "ended":
        raise RecordError("This run has ended; nothing more can be done in it.")
    if run.state == "ready":
        run.state, run.started = "running", now()
    run.tick = max(run.tick, event.tick)
    args = json.dumps(dict(event.args), ensure_ascii=False)
    session.add(
        RunEvent(
            run_id=run_id,
            number=number,
            tick=event.tick,
            by=event.by,
            verb=event.verb,
            args=args,
            client_id=client_id,
        )
    )


def note_tick(session: Session, run_id: str, tick: int) -> None:
    """Remember how far exercise time has come, for going on after a restart."""
    run = find_run(session, run_id)
    run.tick = max(run.tick, tick)


def events_of(session: Session, run_id: str) -> list[tuple[LogEvent, str | None]]:
    """The events of a run in order, each with the client's own number for it."""
    rows = session.scalars(select(RunEvent).where(RunEvent.run_id == run_id).order_by(RunEvent.number))
    return [(LogEvent(row.tick, row.by, row.verb, _args(row.args)), row.client_id) for row in rows]


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
    run.state, run.ended, run.ledger, run.trace = "ended", now(), ledger, trace
