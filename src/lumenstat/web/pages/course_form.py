"""What a course asks for: its exercises in their order, and what each needs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, Overtaken
from lumenstat.language.wording import phrase
from lumenstat.records.courses import STEPS_AT_MOST, CourseChange, change_course, get_course, steps_of
from lumenstat.records.exercises import exercise_titles
from lumenstat.training.course_standing import Requirement
from lumenstat.web import urls
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Edition, Instructor, PostedForm, RowInPath

router = APIRouter()

BLANK_STEPS = 3
"""How many empty lines the form has below those that are filled in."""


class StepLine(Context):
    """A line of the form: a step as it is typed."""

    exercise: str = ""
    passes: str = "1"
    at_least: str = ""
    grade: str = ""
    within_days: str = ""


class CourseFormContext(Context):
    """What a course asks for, to be changed."""

    template: ClassVar[str] = "course_form.html"
    tab: ClassVar[str] = "courses"
    id: int
    name: str
    about: str
    archived: bool
    edition: int
    lines: tuple[StepLine, ...]
    exercises: tuple[tuple[str, str], ...]
    grades: tuple[str, ...]
    form: FormState


@router.get("/courses/{course_id}/change", name="course_form")
def show_form(request: Request, course_id: RowInPath, viewer: Instructor) -> Response:
    """What a course asks for, to be changed."""
    return page(request, _form(request, course_id))


def _form(
    request: Request, course_id: int, form: FormState | None = None, typed: Sequence[StepLine] | None = None
) -> CourseFormContext:
    def read(session: Session) -> CourseFormContext:
        course = get_course(session, course_id)
        lines = list(typed) if typed is not None else [_line(step) for step in steps_of(session, course_id)]
        # Some lines to fill in; an empty one is left out when the form comes back.
        blank = min(BLANK_STEPS, STEPS_AT_MOST - len(lines))
        return CourseFormContext(
            id=course.id,
            name=course.name,
            about=course.about,
            archived=course.archived,
            edition=course.edition,
            lines=(*lines, *(StepLine() for _ in range(blank))),
            exercises=tuple(exercise_titles(session)),
            grades=request.app.state.settings.grades,
            form=form or FormState(),
        )

    context: CourseFormContext = request.app.state.database.read(read)
    return context


def _line(step: Requirement) -> StepLine:
    return StepLine(
        exercise=step.exercise_id,
        passes=str(step.passes),
        at_least="" if step.at_least is None else f"{step.at_least:g}",
        grade=step.grade or "",
        within_days="" if step.within_days is None else str(step.within_days),
    )


@router.post("/courses/{course_id}/change", name="change_course", dependencies=[CheckedForm])
def change(
    request: Request, course_id: RowInPath, viewer: Instructor, edition: Edition, posted: PostedForm
) -> Response:
    """Change what a course asks for."""
    typed = {key: str(value) for key, value in posted.items() if key != "csrf"}
    columns = (
        [str(each).strip() for each in posted.getlist(name)]
        for name in ("exercise", "passes", "at_least", "grade", "within_days")
    )
    lines = [
        StepLine(exercise=e, passes=p, at_least=a, grade=g, within_days=w)
        # A browser that sends fewer of one column sends a line that cannot be told from another.
        for e, p, a, g, w in zip(*columns, strict=False)
        if e
    ]
    scale = request.app.state.settings.grades
    try:
        steps = tuple(_step(line, number) for number, line in enumerate(lines))
        wanted = CourseChange(
            edition, typed.get("name", ""), typed.get("about", ""), steps, typed.get("archived") == "yes"
        )
        request.app.state.database.write(lambda session: change_course(session, course_id, wanted, scale))
    except (EntryRefused, Overtaken) as error:
        form = FormState(typed=typed, wrong={getattr(error, "field", ""): str(error)})
        shown = _form(request, course_id, form, lines)
        return page(request, shown, 409 if isinstance(error, Overtaken) else 422)
    return RedirectResponse(urls.course(str(course_id)), 303)


def _step(line: StepLine, number: int) -> Requirement:
    def figure(text: str, what: str) -> float | None:
        try:
            return float(text.replace(",", ".")) if text else None
        except ValueError:
            raise EntryRefused(
                phrase("Step {number}: {what} is a figure, not {text}.", number=number + 1, what=what, text=repr(text)),
                "steps",
            ) from None

    passes, days = figure(line.passes or "1", "passes"), figure(line.within_days, "days")
    # Half a pass would round to something that nobody asked for.
    if any(each is not None and each != each // 1 for each in (passes, days)):
        raise EntryRefused(phrase("Step {number}: passes and days are whole numbers.", number=number + 1), "steps")
    return Requirement(
        exercise_id=line.exercise,
        passes=int(passes or 1),
        at_least=figure(line.at_least, "points"),
        grade=line.grade or None,
        within_days=None if days is None else int(days),
    )
