"""Courses: who is how far in what, what is due and what lapsed; what a course asks for, and who is in it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import joined, phrase
from lumenstat.records.courses import (
    Course,
    CourseProgress,
    add_course,
    courses,
    enrol,
    enrol_group,
    enrolled,
    get_course,
    progress_of,
    steps_of,
)  # fmt: skip
from lumenstat.records.exercises import current_exercise, exercise_titles
from lumenstat.records.groups import groups
from lumenstat.records.logbook import mastered_counts, sections_of
from lumenstat.records.people import now, plain, trainees
from lumenstat.training.course_standing import STATE_WORDS, Requirement, StepStanding, due, share_done
from lumenstat.web import urls
from lumenstat.web.pages.choices import Chosen, GroupChoice
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Instructor, Row, RowInPath, row_of

router = APIRouter()


class CourseRow(Context):
    """One course in the list."""

    id: int
    name: str
    steps: int
    people: int
    share: float
    due: int
    archived: bool


class CoursesContext(Context):
    """All courses, and the form for one more."""

    template: ClassVar[str] = "courses.html"
    tab: ClassVar[str] = "courses"
    courses: tuple[CourseRow, ...]
    form: FormState


class GridCell(Context):
    """How somebody stands with one step, in words."""

    state: str
    words: str
    points: str
    run_id: str
    soon: bool
    mastered: str = ""
    """How many of the exercise's items are mastered, where any are."""


class GridRow(Context):
    """One trainee of a course."""

    person_id: int
    name: str
    cells: tuple[GridCell, ...]
    share: float


class DueLine(Context):
    """Something that somebody is to fly, and why."""

    person_id: int
    name: str
    exercise_id: str
    title: str
    words: str


class StepHead(Context):
    """A step of a course: its exercise and what it needs."""

    number: int
    exercise_id: str
    title: str
    needs: str


class CourseContext(Context):
    """One course."""

    template: ClassVar[str] = "course.html"
    tab: ClassVar[str] = "courses"
    id: int
    name: str
    about: str
    archived: bool
    steps: tuple[StepHead, ...]
    rows: tuple[GridRow, ...]
    due: tuple[DueLine, ...]
    lapsing: tuple[DueLine, ...]
    people: tuple[Chosen, ...]
    groups: tuple[GroupChoice, ...]


@router.get("/courses", name="courses")
def show(request: Request, viewer: Instructor) -> Response:
    """All courses."""
    return page(request, _courses(request))


def _courses(request: Request, form: FormState | None = None) -> CoursesContext:
    scale = request.app.state.settings.grades

    def read(session: Session) -> CoursesContext:
        rows = tuple(_course_row(session, course, scale) for course in courses(session, archived=True))
        return CoursesContext(courses=rows, form=form or FormState())

    context: CoursesContext = request.app.state.database.read(read)
    return context


def _course_row(session: Session, course: Course, scale: Sequence[str]) -> CourseRow:
    # A course that was put away is listed, and nobody counts how far everybody was.
    progress = [] if course.archived else progress_of(session, course.id, scale)
    return CourseRow(
        id=course.id,
        name=course.name,
        steps=len(steps_of(session, course.id)),
        people=len(progress),
        share=sum(share_done(each.steps) for each in progress) / len(progress) if progress else 0.0,
        due=sum(any(each.state == "lapsed" for each in who.steps) for who in progress),
        archived=course.archived,
    )


@router.post("/courses", name="add_course", dependencies=[CheckedForm])
def add(request: Request, viewer: Instructor, name: Annotated[str, Form()] = "") -> Response:
    """A new course; what it asks for is said on its own page."""
    try:
        made = request.app.state.database.write(lambda session: add_course(session, name).id)
    except EntryRefused as error:
        form = FormState(typed={"name": name}, wrong={error.field: str(error)})
        return page(request, _courses(request, form), 422)
    return RedirectResponse(urls.course_form(str(made)), 303)


@router.get("/courses/{course_id}", name="course")
def show_one(request: Request, course_id: RowInPath, viewer: Instructor) -> Response:
    """How far everybody is."""
    scale = request.app.state.settings.grades

    def read(session: Session) -> CourseContext:
        course = get_course(session, course_id)
        titles = dict(exercise_titles(session))
        progress = progress_of(session, course_id, scale)
        mastered = _mastered(session, progress, titles)
        present = {person.id for person, _ in enrolled(session, course_id)}
        people = [Chosen(id=str(p.id), name=p.name, ticked=p.id in present) for p in trainees(session)]
        return CourseContext(
            id=course.id,
            name=course.name,
            about=course.about,
            archived=course.archived,
            steps=tuple(step_heads(steps_of(session, course_id), titles)),
            rows=tuple(_grid_row(each, mastered) for each in progress),
            due=tuple(line for each in progress for line in due_lines(each, titles)),
            lapsing=tuple(line for each in progress for line in _lapsing(each, titles)),
            # Whoever is in it first: that is what a reader looks for and would untick.
            people=tuple(sorted(people, key=lambda each: (not each.ticked, each.name))),
            groups=tuple(GroupChoice(id=each.id, name=each.name) for each in groups(session)),
        )

    return page(request, request.app.state.database.read(read))


def step_heads(steps: Sequence[Requirement], titles: dict[str, str]) -> list[StepHead]:
    """The steps of a course in words."""
    return [
        StepHead(
            number=number + 1,
            exercise_id=step.exercise_id,
            title=titles.get(step.exercise_id, step.exercise_id),
            needs=_needs(step),
        )
        for number, step in enumerate(steps)
    ]


def _needs(step: Requirement) -> str:
    parts = [phrase("passed") if step.passes == 1 else phrase("passed {passes} times", passes=step.passes)]
    if step.at_least is not None:
        parts.append(phrase("{at_least:g} % or more", at_least=step.at_least))
    if step.grade is not None:
        parts.append(phrase("{grade} or better", grade=step.grade))
    if step.within_days is not None:
        parts.append(phrase("counts for {within_days} days", within_days=step.within_days))
    return joined(", ", parts)


def _mastered(
    session: Session, progress: Sequence[CourseProgress], titles: dict[str, str]
) -> dict[tuple[int, str], str]:
    """How many items each trainee has mastered in each exercise, of how many."""
    names = [step.step.exercise_id for step in progress[0].steps if step.step.exercise_id in titles] if progress else []
    counts = mastered_counts(session, [each.person_id for each in progress], names)
    of = {name: sum(len(items) for _, items in sections_of(current_exercise(session, name).bundle)) for name in names}
    return {key: phrase("{count} of {key} mastered", count=count, key=of[key[1]]) for key, count in counts.items()}


def _grid_row(progress: CourseProgress, mastered: dict[tuple[int, str], str]) -> GridRow:
    cells = tuple(
        cell_of(each).model_copy(update={"mastered": mastered.get((progress.person_id, each.step.exercise_id), "")})
        for each in progress.steps
    )
    return GridRow(person_id=progress.person_id, name=progress.name, cells=cells, share=share_done(progress.steps))


def cell_of(standing: StepStanding) -> GridCell:
    """How somebody stands with a step, in words."""
    words = STATE_WORDS[standing.state]
    if standing.state in ("done", "lapsed") and standing.lapses is not None:
        at = standing.lapses
        words = phrase("until {at:%-d %b}", at=at) if standing.state == "done" else phrase("lapsed {at:%-d %b}", at=at)
    elif standing.step.passes > 1 and standing.passes:
        words = phrase("{words}, {passes} of {all}", words=words, passes=standing.passes, all=standing.step.passes)
    return GridCell(
        state=standing.state,
        words=words,
        points="" if standing.best is None else f"{standing.best:g}",
        run_id=standing.run_id,
        soon=standing.lapses_soon(now()),
    )


def due_lines(progress: CourseProgress, titles: dict[str, str]) -> list[DueLine]:
    """What somebody is to fly in a course."""
    return [_due_line(progress, each, titles, cell_of(each).words) for each in due(progress.steps)]


def _lapsing(progress: CourseProgress, titles: dict[str, str]) -> list[DueLine]:
    at = now()
    return [
        _due_line(progress, each, titles, phrase("lapses on {lapses:%-d %B}", lapses=each.lapses))
        for each in progress.steps
        if each.lapses_soon(at)
    ]


def _due_line(progress: CourseProgress, each: StepStanding, titles: dict[str, str], words: str) -> DueLine:
    name = each.step.exercise_id
    return DueLine(
        person_id=progress.person_id,
        name=progress.name,
        exercise_id=name,
        title=titles.get(name, name),
        words=words,
    )


@router.post("/courses/{course_id}/people", name="enrol", dependencies=[CheckedForm])
def choose_people(
    request: Request,
    course_id: RowInPath,
    viewer: Instructor,
    people: Annotated[list[Row] | None, Form()] = None,
    group: Annotated[str, Form(max_length=20)] = "",
) -> Response:
    """Choose who is in the course; a group joins those who are ticked."""

    def write(session: Session) -> None:
        course = get_course(session, course_id)
        enrol(session, course.id, people or ())
        if (chosen := row_of(group)) is not None:
            # The group joins whom the database has by now, so they are written first.
            session.flush()
            enrol_group(session, course.id, chosen)

    request.app.state.database.write(write)
    return RedirectResponse(urls.course(str(course_id)), 303)


@router.get("/courses/{course_id}/progress.{kind}", name="course_file")
def course_file(request: Request, course_id: RowInPath, kind: Literal["csv", "xlsx"], viewer: Instructor) -> Response:
    """Everybody's progress as a table."""
    scale = request.app.state.settings.grades

    def read(session: Session) -> tuple[str, list[str], list[list[Cell]]]:
        course, titles = get_course(session, course_id), dict(exercise_titles(session))
        heads = ["Trainee", "Since, UTC"]
        for step in step_heads(steps_of(session, course_id), titles):
            heads += [step.title, f"{step.title}, best %", f"{step.title}, last, UTC"]
        rows = [_table_row(each) for each in progress_of(session, course_id, scale)]
        return course.name, heads, rows

    name, heads, rows = request.app.state.database.read(read)
    return table_file(f"course-{plain(name) or course_id}", heads, rows, kind)


def _table_row(progress: CourseProgress) -> list[Cell]:
    row: list[Cell] = [progress.name, progress.since]
    for each in progress.steps:
        last: datetime | None = each.last
        row += [cell_of(each).words, each.best, last]
    return row
