"""Runs that were flown, judged by the real judge and signed, in a database of a test's own."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.appraisal import Appraisal
from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.wording import KEEP_PARTS
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.people import find_person, now
from lumenstat.records.runs import NewEvents, create_run, end_run, find_run, keep_events, log_of
from lumenstat.records.sealing import add_appraisal, add_override, sign
from lumenstat.simulation.trace import trace_of
from tests.flights import perfect_frost

EXERCISE = "frost-on-the-ramp"


def person(database: Database, name: str) -> int:
    """The number of somebody of the demo school."""
    found = database.read(lambda session: find_person(session, name))
    assert found is not None
    return found.id


def flown(
    database: Database,
    trainee: str = "ines",
    events: Sequence[LogEvent] = (),
    days_ago: float = 0,
    mode: str = "assessed",
    by: str = "odile",
) -> str:
    """A judged run."""
    trainee_id, instructor_id = person(database, trainee), person(database, by)

    def begin(session: Session) -> str:
        digest = current_exercise(session, EXERCISE).digest
        run = create_run(session, digest, trainee_id, instructor_id, ENGINE_VERSION)
        run.created = now() - timedelta(days=days_ago)
        run.started = run.created
        run.finished = run.created + timedelta(minutes=20)
        run.state, run.mode = "running", mode
        kept = [(event, None) for event in events or perfect_frost()]
        run.tick = kept[-1][0].tick
        session.flush()
        keep_events(session, [NewEvents(run.id, 0, kept)])
        return run.id

    run_id = database.write(begin)

    def judged(session: Session) -> None:
        run = find_run(session, run_id)
        found = score(run.exercise.bundle, log_of(session, run))
        end_run(
            session, run_id, found.ledger.model_dump_json(context=KEEP_PARTS), trace_of(found.flight).model_dump_json()
        )

    database.write(judged)
    return run_id


def signed(
    database: Database, trainee: str = "ines", events: Sequence[LogEvent] = (), by: str = "Odile Marrash"
) -> str:
    """A run with a remark that names the trainee, an override and a signature."""
    run_id = flown(database, trainee, events)

    def write(session: Session) -> None:
        name = find_run(session, run_id).trainee.name
        said = Appraisal(remark=f"{name} reads well.", grade="Good", advice=None, drill=(), by=by, at="")
        add_appraisal(session, run_id, said)
        add_override(session, run_id, "item", "log", "wrong", 0.0, f"{name.split()[0]} did not have it on board.", by)
        session.flush()
        sign(session, run_id, by)

    database.write(write)
    return run_id


def ledger_of(database: Database, run_id: str) -> Ledger:
    """What is stored of a run's judgement."""
    text = database.read(lambda session: find_run(session, run_id).ledger)
    assert text is not None
    return Ledger.model_validate_json(text)
