"""Courses: an ordered list of exercises with what each needs, who is in it, and how far everybody is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import (
    Boolean,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    Select,
    String,
    Text,
    false,
    func,
    null,
    select,
)
from sqlalchemy.orm import Mapped, Session, aliased, mapped_column

from lumenstat.errors import EntryRefused, NoSuchRecord, Overtaken
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import exercise_titles
from lumenstat.records.names import free_name
from lumenstat.records.people import now
from lumenstat.records.tables import AppraisalRecord, Base, ExerciseVersion, Membership, Person, Run
from lumenstat.training.course_standing import CountedRun, Requirement, StepStanding, standings

LONGEST_ABOUT = 2000
STEPS_AT_MOST = 40
MOST_PASSES, MOST_DAYS = 10, 3650


class Course(Base):
    """A course. `edition` goes up with every change."""

    __tablename__ = "courses"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    about: Mapped[str] = mapped_column(Text, default="")
    archived: Mapped[bool] = mapped_column(Boolean, default=False, server_default=false())
    edition: Mapped[int] = mapped_column(Integer, default=0, server_default="0")


class CourseStep(Base):
    """One exercise of a course and what it needs: passes, points, a grade, and for how many days that counts."""

    __tablename__ = "course_steps"

    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64))
    passes: Mapped[int] = mapped_column(Integer, default=1)
    at_least: Mapped[float | None] = mapped_column(Float)
    grade: Mapped[str | None] = mapped_column(String(60))
    within_days: Mapped[int | None] = mapped_column(Integer)


class Enrolment(Base):
    """That somebody is in a course, and since when."""

    __tablename__ = "enrolments"

    course_id: Mapped[int] = mapped_column(ForeignKey("courses.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), primary_key=True)
    since: Mapped[datetime] = mapped_column(DateTime)

    __table_args__ = (Index("ix_enrolments_person", "person_id"),)


@dataclass(frozen=True)
class CourseChange:
    """A course as somebody wants it, who saw it at `edition`."""

    edition: int
    name: str
    about: str
    steps: tuple[Requirement, ...]
    archived: bool = False


@dataclass(frozen=True)
class CourseProgress:
    """One person in a course: how they stand with each step, in the course's order."""

    person_id: int
    name: str
    since: datetime
    steps: tuple[StepStanding, ...]


def add_course(session: Session, name: str, about: str = "", steps: Sequence[Requirement] = ()) -> Course:
    """A new course. Raises EntryRefused."""
    course = Course(name=free_name(session, Course, name, None), about=_checked_about(about), edition=0)
    session.add(course)
    session.flush()
    _set_steps(session, course.id, steps)
    return course


def change_course(session: Session, course_id: int, change: CourseChange, scale: Sequence[str] = ()) -> None:
    """Change a course. Raises EntryRefused, and Overtaken where somebody else was quicker."""
    course = get_course(session, course_id)
    if course.edition != change.edition:
        # Never a merge: the two may have meant different things by the same step.
        raise Overtaken(
            phrase("Somebody else changed {course} in the meantime. Look at how it stands now.", course=course.name)
        )
    course.name, course.about = (
        free_name(session, Course, change.name, course_id),
        _checked_about(change.about),
    )
    course.archived = change.archived
    course.edition += 1
    _set_steps(session, course_id, change.steps, scale)


def _checked_about(about: str) -> str:
    if len(about) > LONGEST_ABOUT:
        raise EntryRefused(
            phrase("What a course is about has up to {longest_about:,} characters.", longest_about=LONGEST_ABOUT),
            "about",
        )
    return about.strip()


def _set_steps(session: Session, course_id: int, steps: Sequence[Requirement], scale: Sequence[str] = ()) -> None:
    if len(steps) > STEPS_AT_MOST:
        raise EntryRefused(
            phrase("A course has at most {steps_at_most} exercises.", steps_at_most=STEPS_AT_MOST), "steps"
        )
    # Rows keep their numbers and are changed in place, so that the audit list tells what changed of a step and not that
    # all of them were taken out and added again.
    known = dict(exercise_titles(session))
    present = {row.number: row for row in steps_rows(session, course_id)}
    for number, step in enumerate(steps):
        _check_step(step, number, known, scale)
        row = present.pop(number, None)
        if row is None:
            row = CourseStep(course_id=course_id, number=number)
            session.add(row)
        row.exercise_id, row.passes, row.at_least = step.exercise_id, step.passes, step.at_least
        row.grade, row.within_days = step.grade, step.within_days
    for row in present.values():
        session.delete(row)


def _check_step(step: Requirement, number: int, known: dict[str, str], scale: Sequence[str]) -> None:
    where = phrase("Step {number}", number=number + 1)
    if step.exercise_id not in known:
        raise EntryRefused(
            phrase("{where}: there is no exercise {exercise_id}.", where=where, exercise_id=repr(step.exercise_id)),
            "steps",
        )
    if not 1 <= step.passes <= MOST_PASSES:
        raise EntryRefused(
            phrase("{where}: passes go from 1 to {most_passes}.", where=where, most_passes=MOST_PASSES), "steps"
        )
    if step.at_least is not None and not 0 <= step.at_least <= 100:
        raise EntryRefused(phrase("{where}: points go from 0 to 100 %.", where=where), "steps")
    if step.within_days is not None and not 1 <= step.within_days <= MOST_DAYS:
        raise EntryRefused(
            phrase("{where}: days go from 1 to {most_days:,}.", where=where, most_days=MOST_DAYS), "steps"
        )
    # A school that has no scale of grades may keep courses that came with one.
    if step.grade is not None and scale and step.grade not in scale:
        raise EntryRefused(
            phrase("{where}: this school's grades are {scale}.", where=where, scale=", ".join(scale)), "steps"
        )


def get_course(session: Session, course_id: int) -> Course:
    """A course. Raises NoSuchRecord."""
    course = session.get(Course, course_id)
    if course is None:
        raise NoSuchRecord(phrase("There is no such course."))
    return course


def courses(session: Session, archived: bool = False) -> list[Course]:
    """All courses by name; with those that are put away only where asked for."""
    query = select(Course).order_by(Course.name)
    return list(session.scalars(query if archived else query.where(~Course.archived)))


def steps_rows(session: Session, course_id: int) -> list[CourseStep]:
    """The steps of a course as they are stored, in order."""
    query = select(CourseStep).where(CourseStep.course_id == course_id).order_by(CourseStep.number)
    return list(session.scalars(query))


def steps_of(session: Session, course_id: int) -> list[Requirement]:
    """What a course asks for, in order."""
    return [
        Requirement(row.exercise_id, row.passes, row.at_least, row.grade, row.within_days)
        for row in steps_rows(session, course_id)
    ]


# ---- who is in it ----------------------------------------------------------------------------------------------------


def enrol(session: Session, course_id: int, people: Iterable[int]) -> None:
    """Let these trainees, and no others, be in a course; whoever is in it already stays since then."""
    wanted = set(people)
    known = session.scalars(select(Person.id).where(Person.id.in_(wanted), Person.role == "trainee"))
    if wanted - set(known):
        raise EntryRefused(phrase("Only trainees are in a course."), "people")
    present = {row.person_id: row for row in session.scalars(select(Enrolment).where(Enrolment.course_id == course_id))}
    # Whoever stays keeps the day on which they began.
    for gone in present.keys() - wanted:
        session.delete(present[gone])
    added = sorted(wanted - present.keys())
    session.add_all(Enrolment(course_id=course_id, person_id=each, since=now()) for each in added)


def enrolled(session: Session, course_id: int) -> list[tuple[Person, datetime]]:
    """Who is in a course, since when, by name."""
    query = select(Person, Enrolment.since).join(Enrolment, Enrolment.person_id == Person.id)
    query = query.where(Enrolment.course_id == course_id, Person.active).order_by(Person.name)
    return [(row[0], row[1]) for row in session.execute(query)]


def courses_of(session: Session, person_id: int) -> list[Course]:
    """The courses that somebody is in."""
    query = select(Course).join(Enrolment, Enrolment.course_id == Course.id)
    return list(session.scalars(query.where(Enrolment.person_id == person_id, ~Course.archived).order_by(Course.name)))


def opened_by_courses(person_id: int) -> Select[str]:
    """A query for the exercises that somebody's courses open for practice."""
    query = select(CourseStep.exercise_id).join(Enrolment, Enrolment.course_id == CourseStep.course_id)
    query = query.join(Course, Course.id == CourseStep.course_id)
    return query.where(Enrolment.person_id == person_id, ~Course.archived)


# ---- how far they are ------------------------------------------------------------------------------------------------


def flown_by(
    session: Session, people: Sequence[int], exercises: Iterable[str], grades: bool = True
) -> dict[int, list[CountedRun]]:
    """The assessed runs of these people in these exercises that count; with the `grades` given last where asked for."""
    latest = select(func.max(AppraisalRecord.id)).where(AppraisalRecord.run_id == Run.id).scalar_subquery()
    said = aliased(AppraisalRecord)
    # The latest appraisal counts; joining it costs as much as all the rest, so it is left out where no step asks for
    # it.
    grade = said.grade if grades else null()
    columns = (Run.trainee_id, ExerciseVersion.exercise_id, Run.created, Run.outcome, Run.percent, grade, Run.id)
    query = select(*columns).join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    if grades:
        query = query.outerjoin(said, said.id == latest)
    query = query.where(
        Run.trainee_id.in_(people),
        ExerciseVersion.exercise_id.in_(set(exercises)),
        Run.mode == "assessed",
        Run.outcome.is_not(None),
        Run.voided_at.is_(None),
        # A run of a draft tries the exercise, not the person.
        Run.draft_id.is_(None),
    )
    found: dict[int, list[CountedRun]] = {person: [] for person in people}
    for person, exercise, at, outcome, percent, given, run_id in session.execute(query):
        found[person].append(CountedRun(exercise, at, outcome == "pass", percent or 0.0, given, run_id))
    return found


def progress_of(
    session: Session, course_id: int, scale: Sequence[str] = (), people: Sequence[tuple[Person, datetime]] | None = None
) -> list[CourseProgress]:
    """How everybody in a course stands, by name; or only those of `people`."""
    steps = steps_of(session, course_id)
    present = enrolled(session, course_id) if people is None else people
    graded = any(step.grade is not None for step in steps)
    runs = flown_by(session, [person.id for person, _ in present], {step.exercise_id for step in steps}, graded)
    at = now()
    return [
        CourseProgress(person.id, person.name, since, tuple(standings(steps, runs[person.id], at, scale)))
        for person, since in present
    ]


def progress_of_person(
    session: Session, person: Person, scale: Sequence[str] = ()
) -> list[tuple[Course, CourseProgress]]:
    """How somebody stands in each of their courses."""
    found = []
    for course in courses_of(session, person.id):
        enrolment = session.get(Enrolment, (course.id, person.id))
        # Taken out of the course in between: nothing counts from before now.
        since = enrolment.since if enrolment is not None else now()
        found.append((course, progress_of(session, course.id, scale, [(person, since)])[0]))
    return found


def enrol_group(session: Session, course_id: int, group_id: int) -> None:
    """Let everybody of a group be in a course too."""
    members = session.scalars(select(Membership.person_id).where(Membership.group_id == group_id))
    present = session.scalars(select(Enrolment.person_id).where(Enrolment.course_id == course_id))
    enrol(session, course_id, {*present, *members})
