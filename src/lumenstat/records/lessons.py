"""Lessons: one exercise started for many at once, each at a station with a code of its own."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import EntryRefused, NoSuchRecord, RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import keep_version
from lumenstat.records.people import get_person, now
from lumenstat.records.runs import NewEvents, create_run, find_run, keep_events
from lumenstat.records.tables import Lesson, Person, Run, RunEvent
from lumenstat.records.tallies import forget_items

CODE_LETTERS = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"
"""Nothing that is mistaken for something else when read across a room."""
CODE_LENGTH = 6
MOST_STATIONS = 60


@dataclass(frozen=True)
class LessonStation:
    """A station of a lesson: who sits there, and how the exercise differs there, if it does."""

    trainee_id: int
    bundle: Bundle | None = None
    says: str | None = None


def start_lesson(
    session: Session,
    digest: str,
    title: str,
    exercise_id: str,
    instructor_id: int,
    places: Sequence[LessonStation],
    together: bool,
    engine: str,
    group_id: int | None = None,
) -> str:
    """Start an exercise for everybody who has a place; gives the lesson's id. Raises EntryRefused."""
    if not places:
        raise EntryRefused(phrase("Choose at least one trainee."), "trainees")
    if len(places) > MOST_STATIONS:
        raise EntryRefused(
            phrase("A lesson has at most {most_stations} stations.", most_stations=MOST_STATIONS), "trainees"
        )
    lesson = Lesson(
        id=secrets.token_hex(8),
        title=title,
        exercise_id=exercise_id,
        group_id=group_id,
        instructor_id=instructor_id,
        together=together,
        created=now(),
    )
    session.add(lesson)
    session.flush()
    for number, place in enumerate(places, start=1):
        _start(session, lesson, number, place, digest, engine)
    return lesson.id


def _start(session: Session, lesson: Lesson, number: int, place: LessonStation, digest: str, engine: str) -> None:
    # A neighbour's start is a version of its own; it is kept before a run refers to it.
    if place.bundle is not None:
        keep_version(session, place.bundle)
        session.flush()
    own = place.bundle.digest if place.bundle is not None else digest
    run = create_run(session, own, place.trainee_id, lesson.instructor_id, engine)
    run.lesson_id, run.station, run.variant, run.like_digest = lesson.id, number, place.says, digest
    run.join_code = _free_code(session)
    session.flush()
    # Everybody begins at the instructor's word, so time stands still in all of them before the first acts.
    if lesson.together:
        keep_events(session, [NewEvents(run.id, 0, [(LogEvent(0, "instructor", "freeze"), None)])])


def start_single(session: Session, digest: str, trainee_id: int, instructor_id: int, engine: str) -> str:
    """Start one run, with a code of its own so that a phone can join it. Gives its id."""
    run = create_run(session, digest, trainee_id, instructor_id, engine)
    run.join_code = _free_code(session)
    session.flush()
    return run.id


def _free_code(session: Session) -> str:
    while True:
        code = "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_LENGTH))
        if session.scalar(select(Run.id).where(Run.join_code == code)) is None:
            return code


def run_of_code(session: Session, code: str) -> Run | None:
    """The run that a code opens, while it can be flown."""
    code = code.strip().upper().replace(" ", "").replace("-", "")
    run = session.scalar(select(Run).where(Run.join_code == code)) if code else None
    return run if run is not None and run.finished is None and run.voided_at is None else None


def get_lesson(session: Session, lesson_id: str) -> Lesson:
    """A lesson. Raises NoSuchRecord."""
    lesson = session.get(Lesson, lesson_id)
    if lesson is None:
        raise NoSuchRecord(phrase("There is no such lesson."))
    return lesson


def stations_of(session: Session, lesson_id: str) -> list[Run]:
    """The runs of a lesson, by station; those that were voided are left out."""
    query = select(Run).where(Run.lesson_id == lesson_id, Run.voided_at.is_(None))
    return list(session.scalars(query.order_by(Run.station)))


@dataclass(frozen=True)
class StationRow:
    """A station of a lesson as the desk asks for it every second."""

    run_id: str
    station: int
    trainee: str
    instructor: str
    state: str
    finished: datetime | None
    not_judged: str | None
    outcome: str | None
    percent: float | None
    digest: str
    like_digest: str


def station_rows(session: Session, lesson_id: str) -> list[StationRow]:
    """The stations of a lesson, without their logs and ledgers."""
    trainee, instructor = aliased(Person), aliased(Person)
    columns = select(
        Run.id, func.coalesce(Run.station, 0), trainee.name, instructor.name, Run.state, Run.finished, Run.not_judged,
        Run.outcome, Run.percent, Run.digest, func.coalesce(Run.like_digest, Run.digest),
    )  # fmt: skip
    query = columns.join(trainee, trainee.id == Run.trainee_id).join(instructor, instructor.id == Run.instructor_id)
    query = query.where(Run.lesson_id == lesson_id, Run.voided_at.is_(None)).order_by(Run.station)
    return [StationRow(*tuple(row)) for row in session.execute(query)]


def lessons_in_the_air(session: Session) -> list[tuple[Lesson, int]]:
    """Lessons with runs that are not finished, newest first, each with how many those are."""
    query = select(Lesson, func.count()).join(Run, Run.lesson_id == Lesson.id)
    query = query.where(Run.state.in_(("ready", "running")), Run.finished.is_(None), Run.voided_at.is_(None))
    rows = session.execute(query.group_by(Lesson.id).order_by(Lesson.created.desc()))
    return [(row[0], row[1]) for row in rows]


def hand_over(session: Session, run_id: str, instructor_id: int) -> str:
    """Put another instructor in charge of a run; gives the name. Raises EntryRefused."""
    person = get_person(session, instructor_id)
    if person.role == "trainee" or not person.active:
        raise EntryRefused(phrase("A run is handed over to an instructor."), "instructor")
    find_run(session, run_id).instructor_id = person.id
    return person.name


# ---- an accidental start ---------------------------------------------------------------------------------------------


def trainee_acted(session: Session, run_id: str) -> bool:
    """Whether a trainee has done anything in a run."""
    acted = select(func.count()).select_from(RunEvent).where(RunEvent.run_id == run_id, RunEvent.by != "instructor")
    return bool(session.scalar(acted))


def take_back(session: Session, run_id: str) -> None:
    """Undo a start before the trainee has done anything: nothing of it is left. Raises RecordError once they have."""
    run = find_run(session, run_id)
    # An act is what a trainee has of a run; taking it away from them needs a reason that is kept.
    if trainee_acted(session, run_id) or run.state == "ended":
        raise RecordError(
            phrase("{trainee} has begun already; void the run with a reason instead.", trainee=run.trainee.name)
        )
    lesson_id = run.lesson_id
    for event in session.scalars(select(RunEvent).where(RunEvent.run_id == run_id)):
        session.delete(event)
    # What refers to the run goes before it does.
    session.flush()
    session.delete(run)
    session.flush()
    left = select(func.count()).select_from(Run).where(Run.lesson_id == lesson_id)
    # The last station takes its lesson with it: an empty one says nothing.
    if lesson_id is not None and not session.scalar(left):
        session.delete(get_lesson(session, lesson_id))


LEAST_REASON = 8


def void_run(session: Session, run_id: str, by: str, reason: str) -> None:
    """Take a run out of what counts and keep it with the reason. Raises EntryRefused, RecordError once it is signed."""
    run, reason = find_run(session, run_id), reason.strip()
    if len(reason) < LEAST_REASON:
        raise EntryRefused(phrase("Give the reason in a sentence: it is kept with the run."), "reason")
    if run.signed_by is not None:
        raise RecordError(
            phrase("This record was signed by {signed_by}; it can no longer be voided.", signed_by=run.signed_by)
        )
    if run.voided_at is not None:
        raise RecordError(
            phrase(
                "{voided_by} voided this run already: {void_reason}",
                voided_by=run.voided_by,
                void_reason=run.void_reason,
            )
        )
    run.voided_at, run.voided_by, run.void_reason, run.join_code = now(), by, reason, None
    # Statistics and courses count what counts; the log and the ledger stay, with the reason.
    forget_items(session, run_id)
    if run.finished is None:
        run.finished, run.state = run.voided_at, "ended"
        run.ended = run.voided_at


def archive_run(session: Session, run_id: str, archived: bool) -> None:
    """Put a run out of the usual lists, or back into them."""
    find_run(session, run_id).archived = archived
