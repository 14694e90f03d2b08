"""Starting an exercise for many, and the desk of a lesson: a tile a station."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, HTTPException, Query, Request, Response
from fastapi.responses import RedirectResponse
from pydantic import ValidationError
from sqlalchemy.orm import Session

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Fault
from lumenstat.errors import EntryRefused, NoSuchRecord
from lumenstat.language.wording import joined, phrase
from lumenstat.records.approvals import refuse_unapproved
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import get_group, groups, members_of
from lumenstat.records.lessons import get_lesson, lessons_in_the_air, stations_of
from lumenstat.records.people import trainees
from lumenstat.records.tables import Run
from lumenstat.rehearsal.neighbours import Range
from lumenstat.runs.starting import LessonPlan
from lumenstat.systems.registry import fault_targets
from lumenstat.web import urls
from lumenstat.web.drawing.lights import Lights, lights_of
from lumenstat.web.pages.choices import Chosen, FaultChoice, GroupChoice, fault_choices
from lumenstat.web.pages.day_now import NowNext, now_next_of
from lumenstat.web.rendering import Context, FormState, json_answer, page
from lumenstat.web.security import CheckedForm, Instructor, PostedForm, row_of

router = APIRouter()

FAULTS_AT_MOST = 3
CELSIUS, SECONDS = (-60.0, 60.0), (0.0, 3600.0)


class StartManyContext(Context):
    """The form that starts an exercise for many."""

    template: ClassVar[str] = "start_many.html"
    tab: ClassVar[str] = "exercises"
    exercise_id: str
    title: str
    airframe: str
    group: int | None
    groups: tuple[GroupChoice, ...]
    people: tuple[Chosen, ...]
    faults: tuple[FaultChoice, ...]
    fault_count: int
    form: FormState


class StartingContext(Context):
    """A lesson being made ready."""

    template: ClassVar[str] = "starting.html"
    tab: ClassVar[str] = "desk"
    words: str
    share: float
    failed: str | None
    here: str
    back: str
    title: str = phrase("Making the stations ready")
    what: str = phrase("The model flies each start before anybody gets it.")


class Station(Context):
    """One station of a lesson, as the page begins with it."""

    run_id: str
    number: int
    trainee: str
    state: str
    code: str | None
    variant: str | None
    instructor: str


class LessonLine(Context):
    """A lesson in the air."""

    id: str
    title: str
    group: str | None
    instructor: str
    open: int


class DeskContext(Context):
    """The desk of one lesson."""

    template: ClassVar[str] = "desk.html"
    tab: ClassVar[str] = "desk"
    lesson_id: str
    title: str
    exercise_id: str
    airframe: str
    group: str | None
    together: bool
    stations: tuple[Station, ...]
    others: tuple[LessonLine, ...]
    today: tuple[NowNext, ...]
    lights: Lights


class DesksContext(Context):
    """Lessons in the air."""

    template: ClassVar[str] = "desks.html"
    tab: ClassVar[str] = "desk"
    lessons: tuple[LessonLine, ...]


# ---- starting --------------------------------------------------------------------------------------------------------


@router.get("/exercises/{exercise_id}/start-many", name="start_many")
def show_form(
    request: Request, exercise_id: str, viewer: Instructor, group: Annotated[str, Query(max_length=20)] = ""
) -> Response:
    """The form that starts an exercise for many."""
    return page(request, _form(request, exercise_id, row_of(group)))


def _form(
    request: Request,
    exercise_id: str,
    group_id: int | None,
    form: FormState | None = None,
    ticked: frozenset[int] | None = None,
) -> StartManyContext:
    def read(session: Session) -> StartManyContext:
        bundle = current_exercise(session, exercise_id).bundle
        members = {p.id for p in members_of(session, group_id)} if group_id is not None else set()
        chosen = members if ticked is None else ticked
        # Somebody who was ticked and is not in the group stays in sight.
        shown = [p for p in trainees(session) if group_id is None or p.id in members or p.id in chosen]
        return StartManyContext(
            exercise_id=exercise_id,
            title=bundle.title,
            airframe=bundle.airframe.name,
            group=group_id,
            groups=tuple(GroupChoice(id=each.id, name=each.name) for each in groups(session)),
            people=tuple(Chosen(id=str(p.id), name=p.name, ticked=p.id in chosen) for p in shown),
            faults=tuple(fault_choices(bundle.airframe)),
            fault_count=FAULTS_AT_MOST,
            form=form or FormState(),
        )

    context: StartManyContext = request.app.state.database.read(read)
    return context


@router.post("/exercises/{exercise_id}/start-many", dependencies=[CheckedForm])
def start_many(request: Request, exercise_id: str, viewer: Instructor, posted: PostedForm) -> Response:
    """Start it for everybody chosen."""
    typed = {key: str(value) for key, value in posted.items() if key != "csrf"}
    # A form can send anything as a trainee's number.
    people = frozenset(row for each in posted.getlist("trainees") if (row := row_of(str(each))) is not None)
    group = row_of(typed.get("group", ""))
    database = request.app.state.database
    try:
        version = database.read(lambda session: current_exercise(session, exercise_id))
        database.read(lambda session: refuse_unapproved(session, version))
        bundle = version.bundle
        plan = _plan(request, bundle, typed, [str(each) for each in posted.getlist("fault")], people, group, viewer.id)
        key, starting = request.app.state.starting.start(plan)
    except EntryRefused as error:
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _form(request, exercise_id, group, form, people), 422)
    where = urls.desk(starting.lesson_id) if starting.lesson_id else urls.starting(exercise_id, key)
    return RedirectResponse(where, 303)


def _plan(
    request: Request,
    bundle: Bundle,
    typed: dict[str, str],
    faults: list[str],
    people: frozenset[int],
    group: int | None,
    instructor: int,
) -> LessonPlan:
    known = request.app.state.database.read(trainees)
    # In the order of their names, which is the order of the stations; whoever is no trainee falls out.
    chosen = tuple(person.id for person in known if person.id in people)
    if not chosen:
        raise EntryRefused(phrase("Choose at least one trainee."), "trainees")
    named = request.app.state.database.read(lambda s: get_group(s, group).name) if group is not None else None
    title = joined(", ", (bundle.title, named)) if named else bundle.title
    alike = typed.get("starts", "alike") == "alike"
    wanted = Range() if alike else _range(bundle, typed, [each for each in faults if each])
    return LessonPlan(bundle, title, chosen, instructor, typed.get("together") == "yes", wanted, group)


def _range(bundle: Bundle, typed: dict[str, str], faults: list[str]) -> Range:
    charge = _pair(typed, "charge", (0.0, 100.0), phrase("Charge goes from 0 to 100 %"))
    celsius = _pair(typed, "celsius", CELSIUS, phrase("Temperature goes from -60 to 60 °C"))
    at = _pair(typed, "at", SECONDS, phrase("A fault begins 0 to 3,600 s after the start"))
    made = tuple(
        _fault(bundle, each, n, at or (60.0, 60.0), len(faults)) for n, each in enumerate(faults[:FAULTS_AT_MOST])
    )
    wanted = Range((charge[0] / 100, charge[1] / 100) if charge else None, celsius, made)
    if not wanted:
        raise EntryRefused(
            phrase("Give a range of charge, of temperature, or faults; or let everybody start alike."), "starts"
        )
    return wanted


def _pair(typed: dict[str, str], name: str, bounds: tuple[float, float], says: str) -> tuple[float, float] | None:
    # One end alone means just that figure.
    low, high = (typed.get(f"{name}_{end}", "").strip().replace(",", ".") for end in ("from", "to"))
    if not low and not high:
        return None
    try:
        pair = float(low or high), float(high or low)
    except ValueError:
        raise EntryRefused(phrase("{says}, in figures.", says=says), name) from None
    if not bounds[0] <= pair[0] <= pair[1] <= bounds[1]:
        raise EntryRefused(phrase("{says}, the lower figure first.", says=says), name)
    return pair


def _fault(bundle: Bundle, choice: str, number: int, at: tuple[float, float], of: int) -> Fault:
    kind, _, target = choice.partition("|")
    if target not in fault_targets(bundle.airframe).get(kind, ()):
        raise EntryRefused(
            phrase("The {airframe} knows no fault {choice}.", airframe=bundle.airframe.name, choice=repr(choice)),
            "faults",
        )
    # Spread over the span, so that not all faults come at once.
    seconds = at[0] + (at[1] - at[0]) * (number / max(1, of - 1))
    taken = {fault.id for fault in bundle.exercise.faults}
    # The exercise may have been made from a neighbour's start itself.
    name = next(f"neighbour-{n}" for n in range(number + 1, 999) if f"neighbour-{n}" not in taken)
    try:
        return Fault.model_validate({"id": name, "kind": kind, "target": target, "at": round(seconds)})
    # A target that is there can still be wrong for the kind; the model of the fault says so.
    except ValidationError:
        raise EntryRefused(
            phrase("The {airframe} knows no fault {choice}.", airframe=bundle.airframe.name, choice=repr(choice)),
            "faults",
        ) from None


@router.get("/exercises/{exercise_id}/starting/{key}", name="starting")
def show_starting(request: Request, exercise_id: str, key: str, viewer: Instructor) -> Response:
    """How far a lesson is that is being made ready, also as JSON; its desk once it is."""
    starting = request.app.state.starting.starts.get(key)
    if starting is None:
        raise HTTPException(404, phrase("That start is not under way any more."))
    words, share = phrase("{done} of {of} are ready", done=starting.done, of=starting.of), starting.done / starting.of
    if "application/json" in request.headers.get("accept", ""):
        return json_answer(request, {"words": words, "share": share, "over": starting.over.is_set()})
    if starting.lesson_id is not None:
        return RedirectResponse(urls.desk(starting.lesson_id), 303)
    here, back = urls.starting(exercise_id, key), urls.start_many(exercise_id)
    return page(request, StartingContext(words=words, share=share, failed=starting.failed, here=here, back=back))


# ---- the desk --------------------------------------------------------------------------------------------------------


@router.get("/desk", name="desks")
def show_desks(request: Request, viewer: Instructor) -> Response:
    """Lessons in the air; where there is one alone, its desk."""
    lines = tuple(request.app.state.database.read(lesson_lines))
    if len(lines) == 1:
        return RedirectResponse(urls.desk(lines[0].id), 303)
    return page(request, DesksContext(lessons=lines))


def lesson_lines(session: Session) -> list[LessonLine]:
    """Lessons in the air, newest first."""
    return [
        LessonLine(
            id=lesson.id,
            title=lesson.title,
            group=lesson.group.name if lesson.group else None,
            instructor=lesson.instructor.name,
            open=count,
        )
        for lesson, count in lessons_in_the_air(session)
    ]


@router.get("/desk/{lesson_id}", name="desk")
def show_desk(request: Request, lesson_id: str, viewer: Instructor) -> Response:
    """The desk of a lesson."""
    database = request.app.state.database
    lesson = database.read(lambda session: get_lesson(session, lesson_id))
    runs: list[Run] = database.read(lambda session: stations_of(session, lesson_id))
    # All of them were voided or taken back.
    if not runs:
        raise NoSuchRecord(phrase("Nobody is left in this lesson."))
    bundle = runs[0].exercise.bundle
    return page(
        request,
        DeskContext(
            lesson_id=lesson.id,
            title=lesson.title,
            exercise_id=lesson.exercise_id,
            airframe=bundle.airframe.name,
            group=lesson.group.name if lesson.group else None,
            together=lesson.together,
            stations=tuple(_station(run) for run in runs),
            others=tuple(line for line in database.read(lesson_lines) if line.id != lesson_id),
            today=database.read(lambda session: now_next_of(session, viewer, lesson.group_id)),
            lights=lights_of(bundle, stacked=True),
        ),
    )


def _station(run: Run) -> Station:
    return Station(
        run_id=run.id,
        number=run.station or 0,
        trainee=run.trainee.name,
        state=run.state,
        code=run.join_code,
        variant=run.variant,
        instructor=run.instructor.name,
    )
