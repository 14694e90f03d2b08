"""The exercises that can be flown."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, Request, Response

from lumenstat.records.exercises import current_exercises
from lumenstat.records.tables import ExerciseVersion
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import Instructor

router = APIRouter()


class ExerciseRow(Context):
    """One exercise in the list."""

    id: str
    title: str
    airframe: str
    place: str
    items: int
    minutes: float
    pass_mark: float
    assist: str
    brief: str


class ExercisesContext(Context):
    """The list of exercises."""

    template: ClassVar[str] = "exercises.html"
    tab: ClassVar[str] = "exercises"
    exercises: tuple[ExerciseRow, ...]


@router.get("/exercises", name="exercises")
def show(request: Request, viewer: Instructor) -> Response:
    """Every exercise, ready to be started."""
    versions = request.app.state.database.read(current_exercises)
    return page(request, ExercisesContext(exercises=tuple(_row(version) for version in versions)))


def _row(version: ExerciseVersion) -> ExerciseRow:
    bundle = version.bundle
    exercise = bundle.exercise
    return ExerciseRow(
        id=exercise.id,
        title=exercise.title,
        airframe=bundle.airframe.name,
        place=exercise.start.place.name,
        items=len(bundle.procedure.steps),
        minutes=exercise.minutes_at_most,
        pass_mark=exercise.pass_mark,
        assist=exercise.assist,
        brief=exercise.brief,
    )
