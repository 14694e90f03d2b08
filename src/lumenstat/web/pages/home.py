"""A home page for each role: what is now, what is next, what waits."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime
from typing import ClassVar

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.language.wording import phrase
from lumenstat.records.courses import courses, progress_of, progress_of_person
from lumenstat.records.drafts import unpublished_of
from lumenstat.records.drills import drills_of, runs_of_drill
from lumenstat.records.exercises import current_exercise, exercise_titles
from lumenstat.records.groups import groups, groups_of, may_practise, member_counts
from lumenstat.records.lists import (
    PeopleFilter,
    RunFilter,
    Waiting,
    anything_flown,
    find_people,
    find_runs,
    unsigned_of,
    waiting_for,
)  # fmt: skip
from lumenstat.records.marks import LAST_BACKUP, backup_trouble, mark
from lumenstat.records.people import get_person
from lumenstat.records.runs import fly_practice
from lumenstat.web import urls
from lumenstat.web.pages.courses import DueLine, due_lines
from lumenstat.web.pages.day_now import NowNext, now_next_of
from lumenstat.web.pages.lessons import LessonLine, lesson_lines
from lumenstat.web.pages.runs import RunRow, rows_of
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, SignedIn, Viewer

router = APIRouter()

LATEST = 6


class HomeGroup(Context):
    """A group of the instructor's own."""

    id: int
    name: str
    members: int


class HomeDraft(Context):
    """A draft that is not published as it stands."""

    id: str
    title: str


class Practice(Context):
    """An exercise that somebody may practise, and how their last try at it went."""

    exercise_id: str
    title: str
    airframe: str
    minutes: float
    assist: str


class FirstStep(Context):
    """Something a new school has not done yet."""

    words: str
    says: str
    href: str
    done: bool


class InstructorHomeContext(Context):
    """An instructor's home page; a head of training sees the school's."""

    template: ClassVar[str] = "home_instructor.html"
    tab: ClassVar[str] = "home"
    name: str
    lessons: tuple[LessonLine, ...]
    open: tuple[RunRow, ...]
    groups: tuple[HomeGroup, ...]
    drafts: tuple[HomeDraft, ...]
    to_sign: tuple[RunRow, ...]
    waiting: Waiting
    whole_school: Waiting | None
    people: int
    last_backup: datetime | None
    backup_trouble: str
    today: tuple[NowNext, ...]
    lapsed: tuple[DueLine, ...]
    first_steps: tuple[FirstStep, ...]


class TraineeHomeContext(Context):
    """A trainee's home page."""

    template: ClassVar[str] = "home_trainee.html"
    tab: ClassVar[str] = "home"
    name: str
    to_fly: tuple[RunRow, ...]
    practice: tuple[Practice, ...]
    debriefs: tuple[RunRow, ...]
    groups: tuple[str, ...]
    today: tuple[NowNext, ...]
    due: tuple[DueLine, ...]
    drill: str | None
    """The drill with moments that are still to be flown."""


@router.get("/home", name="home")
def show(request: Request, viewer: SignedIn) -> Response:
    """The home page of whoever is signed in."""
    return page(request, _instructor(request, viewer) if viewer.is_instructor else _trainee(request, viewer))


def _instructor(request: Request, viewer: Viewer) -> InstructorHomeContext:
    database = request.app.state.database

    def read(session: Session) -> InstructorHomeContext:
        counts = member_counts(session)
        own = [each for each in groups(session) if each.instructor_id == viewer.id]
        mine = RunFilter(standing="open", instructor=viewer.id)
        backup = mark(session, LAST_BACKUP)
        people = find_people(session, PeopleFilter(role="trainee")).total
        # Stations of a lesson are seen from its desk.
        alone = [line for line in find_runs(session, mine).rows if line.lesson_id is None and line.drill_id is None]
        return InstructorHomeContext(
            name=viewer.name,
            lessons=tuple(lesson_lines(session)),
            open=rows_of(session, alone)[:LATEST],
            groups=tuple(HomeGroup(id=g.id, name=g.name, members=counts.get(g.id, 0)) for g in own),
            drafts=tuple(HomeDraft(id=d.id, title=d.title) for d in unpublished_of(session, viewer.id)[:LATEST]),
            to_sign=rows_of(session, unsigned_of(session, viewer.id, LATEST)),
            waiting=waiting_for(session, viewer.id),
            whole_school=waiting_for(session, None) if viewer.is_head else None,
            people=people,
            last_backup=backup[1] if backup else None,
            backup_trouble=backup_trouble(session),
            today=now_next_of(session, viewer),
            lapsed=tuple(_lapsed(session, request.app.state.settings.grades))[:LATEST],
            first_steps=tuple(_first_steps(people, bool(groups(session)), anything_flown(session))),
        )

    context: InstructorHomeContext = database.read(read)
    return context


def _first_steps(people: int, grouped: bool, flown: bool) -> list[FirstStep]:
    """What comes next in a new school; nothing once it has flown."""
    # A school that has flown needs no first steps, whatever it skipped of them.
    if flown:
        return []
    return [
        FirstStep(
            words=phrase("Add your trainees"),
            says=phrase(
                "Paste their names, one on a line, or give a list as CSV or XLSX. Slips with first passwords follow."
            ),
            href=urls.class_list(),
            done=people > 0,
        ),
        FirstStep(
            words=phrase("Put them into a group"),
            says=phrase(
                "A list can name a group by itself. A group can be started at once, and may practise what you open."
            ),
            href=urls.groups(),
            done=grouped,
        ),
        FirstStep(
            words=phrase("Start an exercise for all of them"),
            says=phrase("Choose one, tick who flies it, and watch them from the desk."),
            href=urls.exercises(),
            done=False,
        ),
        FirstStep(
            words=phrase("Or build your own"),
            says=phrase("From nothing, as a copy, or from the spreadsheet that you have. The model proves it first."),
            href=urls.drafts(),
            done=False,
        ),
    ]


def _trainee(request: Request, viewer: Viewer) -> TraineeHomeContext:
    def read(session: Session) -> TraineeHomeContext:
        found = find_runs(session, RunFilter(standing="open", trainee=viewer.id)).rows
        # A drill has a line of its own, with what comes next in it.
        still_open = [line for line in found if line.drill_id is None]
        ended = find_runs(session, RunFilter(standing="ended", trainee=viewer.id)).rows[:LATEST]
        return TraineeHomeContext(
            name=viewer.name,
            to_fly=rows_of(session, still_open),
            practice=tuple(
                Practice(
                    exercise_id=v.exercise_id,
                    title=v.named,
                    airframe=v.bundle.airframe.name,
                    minutes=v.bundle.exercise.minutes_at_most,
                    assist=v.bundle.exercise.assist,
                )
                for v in may_practise(session, viewer.id)
            ),
            debriefs=rows_of(session, ended),
            groups=tuple(each.name for each in groups_of(session, viewer.id)),
            today=now_next_of(session, viewer),
            due=tuple(_due_of(session, viewer.id, request.app.state.settings.grades)),
            drill=_open_drill(session, viewer.id),
        )

    context: TraineeHomeContext = request.app.state.database.read(read)
    return context


def _lapsed(session: Session, scale: tuple[str, ...]) -> Iterator[DueLine]:
    """What has lapsed, in any course."""
    titles = dict(exercise_titles(session))
    for course in courses(session):
        for progress in progress_of(session, course.id, scale):
            lapsed = tuple(each for each in progress.steps if each.state == "lapsed")
            yield from due_lines(replace(progress, steps=lapsed), titles)


def _due_of(session: Session, person_id: int, scale: tuple[str, ...]) -> Iterator[DueLine]:
    """What is due to somebody, in any of their courses."""
    titles = dict(exercise_titles(session))
    for _, progress in progress_of_person(session, get_person(session, person_id), scale):
        yield from due_lines(progress, titles)


def _open_drill(session: Session, person_id: int) -> str | None:
    for drill in drills_of(session, person_id):
        if any(run.finished is None for run in runs_of_drill(session, drill.id)):
            return drill.id
    return None


@router.post("/exercises/{exercise_id}/practise", name="practise", dependencies=[CheckedForm])
def practise(request: Request, exercise_id: str, viewer: SignedIn) -> Response:
    """Fly an exercise by oneself, where it is opened to one's group."""
    if viewer.is_instructor:
        raise HTTPException(403, phrase("Practice is for trainees. Fly a draft, or start the exercise for somebody."))

    def write(session: Session) -> str:
        version = current_exercise(session, exercise_id)
        if exercise_id not in {v.exercise_id for v in may_practise(session, viewer.id)}:
            raise HTTPException(403, phrase("This exercise is not opened to your group. Ask your instructor."))
        return fly_practice(session, version.digest, viewer.id, _in_charge(session, viewer.id), ENGINE_VERSION)

    return RedirectResponse(urls.station(request.app.state.database.write(write)), 303)


def _in_charge(session: Session, person_id: int) -> int:
    """Who is in charge of somebody's practice: the instructor of their group."""
    return next((group.instructor_id for group in groups_of(session, person_id)), person_id)
