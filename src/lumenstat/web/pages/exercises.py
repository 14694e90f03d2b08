"""The exercises that can be flown: searched, by aircraft, each with what it lights up."""

from __future__ import annotations

from itertools import groupby
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import SOURCE_LANGUAGE, joined, phrase
from lumenstat.records.exercises import current_exercises, withdraw
from lumenstat.records.lists import a_page_of
from lumenstat.records.tables import ExerciseVersion
from lumenstat.web import urls
from lumenstat.web.drawing.lights import Lights, lights_of
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor

router = APIRouter()

ASSISTS = ("guided", "coached", "examined")
SORTS = ("title", "shortest", "longest", "items")
AT_A_TIME = 30
"""Exercises on a page: each has a picture and its brief."""


class ExerciseRow(Context):
    """One exercise in the list."""

    id: str
    title: str
    airframe: str
    family: str
    place: str
    items: int
    minutes: float
    pass_mark: float
    assist: str
    brief: str
    faults: str
    withdrawn: bool
    lights: Lights


class AirframeGroup(Context):
    """The exercises of one airframe."""

    name: str
    family: str
    exercises: tuple[ExerciseRow, ...]


class ExercisesContext(Context):
    """The list of exercises, and how it was chosen."""

    template: ClassVar[str] = "exercises.html"
    tab: ClassVar[str] = "exercises"
    groups: tuple[AirframeGroup, ...]
    words: str
    assist: str
    sort: str
    withdrawn: bool
    shown: int
    total: int
    number: int
    pages: int
    assists: tuple[str, ...] = ASSISTS
    sorts: tuple[str, ...] = SORTS


@router.get("/exercises", name="exercises")
def show(
    request: Request,
    viewer: Instructor,
    q: Annotated[str, Query(max_length=80)] = "",
    assist: Annotated[str, Query(max_length=12)] = "",
    sort: Annotated[str, Query(max_length=12)] = "title",
    withdrawn: Annotated[str, Query(max_length=4)] = "",
    page_: Annotated[int, Query(alias="page", ge=1, le=1_000_000)] = 1,
) -> Response:
    """The exercises that can be started, a page at a time."""
    put_away = withdrawn == "yes"
    # All of them, since the search looks at words in the reader's language, which no column holds.
    versions = request.app.state.database.read(lambda session: current_exercises(session, withdrawn=True))
    versions = [version for version in versions if version.withdrawn == put_away]
    rows = [_row(version, viewer.language) for version in versions]
    wanted = [row for row in rows if _fits(row, q) and assist in ("", row.assist)]
    # By airframe first, whatever the order within: a page is a row of groups.
    wanted.sort(key=lambda row: (row.airframe, row.family, *_sorted_by(row, sort)))
    found = a_page_of(wanted, page_, AT_A_TIME)
    context = ExercisesContext(
        groups=tuple(
            AirframeGroup(name=name, family=family, exercises=tuple(exercises))
            for (name, family), exercises in groupby(found.rows, key=lambda row: (row.airframe, row.family))
        ),
        words=q,
        assist=assist,
        sort=sort,
        withdrawn=put_away,
        shown=found.total,
        total=len(rows),
        number=found.page,
        pages=found.pages,
    )
    return page(request, context)


@router.get("/exercises.{kind}", name="exercises_file")
def exercises_file(request: Request, kind: Literal["csv", "xlsx"], viewer: Instructor) -> Response:
    """Every exercise, as a table."""
    versions = request.app.state.database.read(lambda session: current_exercises(session, withdrawn=True))
    heads = (
        "Exercise", "Title", "Airframe", "Place", "Items", "Minutes at most", "Pass mark", "Help", "Version",
        "Withdrawn",
    )  # fmt: skip
    return table_file("exercises", heads, [_cells(version) for version in versions], kind)


def _cells(version: ExerciseVersion) -> list[Cell]:
    row = _row(version)
    figures: list[Cell] = [float(row.items), row.minutes, row.pass_mark]
    withdrawn = "yes" if row.withdrawn else "no"
    return [row.id, row.title, row.airframe, row.place, *figures, row.assist, version.digest[:12], withdrawn]


def _fits(row: ExerciseRow, words: str) -> bool:
    text = f"{row.title} {row.brief} {row.airframe} {row.place}".lower()
    return all(word.lower() in text for word in words.split())


def _sorted_by(row: ExerciseRow, sort: str) -> tuple[float, str]:
    figures = {"shortest": row.minutes, "longest": -row.minutes, "items": float(row.items)}
    return figures.get(sort, 0.0), row.title


def _row(version: ExerciseVersion, language: str = SOURCE_LANGUAGE) -> ExerciseRow:
    bundle = version.bundle.told_in(language)
    exercise = bundle.exercise
    return ExerciseRow(
        id=exercise.id,
        title=exercise.title,
        airframe=bundle.airframe.name,
        family=bundle.airframe.family,
        place=exercise.start.place.name,
        items=len(bundle.procedure.steps),
        minutes=exercise.minutes_at_most,
        pass_mark=exercise.pass_mark,
        assist=exercise.assist,
        brief=exercise.brief,
        faults=_faults(len(exercise.faults), len(exercise.start.out_of_service)),
        withdrawn=version.withdrawn,
        lights=lights_of(bundle),
    )


def _faults(hidden: int, known: int) -> str:
    """What can go wrong: hidden faults are the trainee's to find, known ones stand in the technical log."""
    found = [phrase("{count} hidden", count=hidden)] if hidden else []
    found += [phrase("{count} in the log", count=known)] if known else []
    return phrase("faults: {found}", found=joined(", ", found)) if found else phrase("no faults")


@router.post("/exercises/{exercise_id}/withdraw", name="withdraw_exercise", dependencies=[CheckedForm])
def put_away(
    request: Request, exercise_id: str, viewer: Instructor, withdrawn: Annotated[str, Form(max_length=4)] = "yes"
) -> Response:
    """Take an exercise out of what can be started, or put it back; runs of it stay."""

    def write(session: Session) -> None:
        withdraw(session, exercise_id, withdrawn == "yes")

    request.app.state.database.write(write)
    return RedirectResponse(urls.exercises(), 303)
