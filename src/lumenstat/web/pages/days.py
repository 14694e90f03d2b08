"""Plans of days: made by rule from a class, what it is to fly and what there is for it; changed by hand; taken away."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Annotated, ClassVar, Literal
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, NoSuchRecord, Overtaken
from lumenstat.exchange.list_files import as_csv
from lumenstat.language.wording import phrase
from lumenstat.records.courses import courses
from lumenstat.records.day_plans import (
    DayPlanRecord,
    drop_plan,
    get_plan,
    move_in_plan,
    plans_before,
    plans_from,
)  # fmt: skip
from lumenstat.records.exercises import current_exercises
from lumenstat.records.groups import groups
from lumenstat.records.people import instructors, plain, time_zones
from lumenstat.training.day_plan import DayPlan, Move, Slot, on_the_wall
from lumenstat.training.day_rules import clashes
from lumenstat.web import urls
from lumenstat.web.drawing.day import DayDrawing, draw_day
from lumenstat.web.pages.choices import Chosen, GroupChoice
from lumenstat.web.pages.day_form import make_plan
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Edition, Instructor, PostedForm, SignedIn, Viewer, row_of

router = APIRouter()

EARLIER_SHOWN = 10
FLIGHTS_AT_MOST = 6


class DayRow(Context):
    """One plan in the list."""

    id: str
    day: date
    title: str
    slots: int
    trouble: int
    by: str


class DaysContext(Context):
    """Plans of days, and the form for one more."""

    template: ClassVar[str] = "days.html"
    tab: ClassVar[str] = "days"
    plans: tuple[DayRow, ...]
    earlier: tuple[DayRow, ...]
    groups: tuple[GroupChoice, ...]
    courses: tuple[tuple[str, str], ...]
    exercises: tuple[tuple[str, str], ...]
    instructors: tuple[Chosen, ...]
    zones: tuple[str, ...]
    flights: int
    form: FormState
    chosen: tuple[str, ...]
    chosen_instructors: tuple[str, ...]


class SlotRow(Context):
    """A slot in the table below the drawing."""

    key: str
    begins: str
    ends: str
    title: str
    phase: str
    where: str
    instructor: str
    trainees: str
    clash: bool


class DayContext(Context):
    """The plan of a day."""

    template: ClassVar[str] = "day.html"
    tab: ClassVar[str] = "days"
    id: str
    title: str
    day: date
    zone: str
    edition: int
    drawing: DayDrawing
    rows: tuple[SlotRow, ...]
    clashes: tuple[str, ...]
    left_over: tuple[str, ...]
    instructors: tuple[tuple[int, str], ...]
    rooms: tuple[str, ...]
    may_change: bool


@router.get("/days", name="days")
def show(request: Request, viewer: Instructor, group: Annotated[str, Query(max_length=20)] = "") -> Response:
    """Plans of days."""
    return page(request, _days(request, viewer, FormState(typed={"group": group})))


def _today(viewer: Viewer) -> date:
    return datetime.now(ZoneInfo(viewer.time_zone)).date()


def _days(
    request: Request, viewer: Viewer, form: FormState, chosen: Sequence[str] = (), teaching: Sequence[str] = ()
) -> DaysContext:
    def read(session: Session) -> DaysContext:
        today = _today(viewer)
        # Tomorrow is what is planned most; what was typed wins.
        typed = {"day": f"{today + timedelta(days=1):%Y-%m-%d}", "zone": viewer.time_zone, **form.typed}
        return DaysContext(
            plans=tuple(_day_row(each) for each in plans_from(session, today)),
            earlier=tuple(_day_row(each) for each in plans_before(session, today, EARLIER_SHOWN)),
            groups=tuple(GroupChoice(id=each.id, name=each.name) for each in groups(session)),
            courses=tuple((str(each.id), each.name) for each in courses(session)),
            exercises=tuple((v.exercise_id, v.named) for v in current_exercises(session)),
            instructors=tuple(
                Chosen(id=str(p.id), name=p.name, ticked=str(p.id) in teaching or (not teaching and p.id == viewer.id))
                for p in instructors(session)
            ),
            zones=time_zones(),
            flights=FLIGHTS_AT_MOST,
            form=FormState(typed=typed, wrong=form.wrong),
            chosen=tuple(chosen),
            chosen_instructors=tuple(teaching),
        )

    context: DaysContext = request.app.state.database.read(read)
    return context


def _day_row(record: DayPlanRecord) -> DayRow:
    plan = record.plan
    trouble = len(clashes(plan)) + len(plan.left_over)
    return DayRow(
        id=record.id, day=record.day, title=record.title, slots=len(plan.slots), trouble=trouble, by=record.by
    )


# ---- making ----------------------------------------------------------------------------------------------------------


@router.post("/days", name="plan_day", dependencies=[CheckedForm])
def make(request: Request, viewer: Instructor, posted: PostedForm) -> Response:
    """Plan a day by rule."""
    typed = {key: str(value) for key, value in posted.items() if key != "csrf"}
    exercises = [str(each) for each in posted.getlist("exercise") if str(each)]
    teaching = [str(each) for each in posted.getlist("instructors")]
    try:
        made = make_plan(request, viewer, typed, exercises, teaching)
    except EntryRefused as error:
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _days(request, viewer, form, exercises, teaching), 422)
    return RedirectResponse(urls.day(made), 303)


# ---- one plan --------------------------------------------------------------------------------------------------------


@router.get("/days/{plan_id}", name="day")
def show_one(request: Request, plan_id: str, viewer: SignedIn) -> Response:
    """The plan of a day: all of it for an instructor, and for whoever is in it."""
    record: DayPlanRecord = request.app.state.database.read(lambda session: _seen(session, plan_id, viewer))
    plan = record.plan
    found = clashes(plan)
    names = {who.id: who.name for who in (*plan.wanted.trainees, *plan.wanted.instructors)}
    hit = {key for clash in found for key in clash.slots}
    # As the drawing has them, for those who cannot see it.
    ordered = sorted(plan.slots, key=lambda slot: (slot.begins, slot.wave))
    return page(
        request,
        DayContext(
            id=record.id,
            title=record.title,
            day=record.day,
            zone=plan.wanted.zone,
            edition=record.edition,
            drawing=draw_day(plan, found, names, viewer.says),
            rows=tuple(_slot_row(plan, slot, names, slot.key in hit) for slot in ordered),
            clashes=tuple(dict.fromkeys(clash.says for clash in found)),
            left_over=plan.left_over,
            instructors=tuple((who.id, who.name) for who in plan.wanted.instructors),
            rooms=plan.wanted.rooms,
            may_change=viewer.is_instructor,
        ),
    )


def _seen(session: Session, plan_id: str, viewer: Viewer) -> DayPlanRecord:
    record = get_plan(session, plan_id)
    if not viewer.is_instructor and viewer.id not in {who.id for who in record.plan.wanted.trainees}:
        raise NoSuchRecord(phrase("There is no such plan."))
    return record


def _slot_row(plan: DayPlan, slot: Slot, names: dict[int, str], clash: bool) -> SlotRow:
    return SlotRow(
        key=slot.key,
        begins=on_the_wall(plan.wanted, slot.begins),
        ends=on_the_wall(plan.wanted, slot.ends),
        title=slot.title,
        phase=slot.phase,
        where=slot.room or ", ".join(slot.stations),
        instructor=names.get(slot.instructor, ""),
        trainees=", ".join(names.get(each, "") for each in slot.trainees),
        clash=clash,
    )


@router.post("/days/{plan_id}/move", name="move_slot", dependencies=[CheckedForm])
def move(
    request: Request,
    plan_id: str,
    viewer: Instructor,
    edition: Edition,
    slot: Annotated[str, Form(max_length=40)],
    by_minutes: Annotated[int, Form(ge=-2160, le=2160)] = 0,
    alone: Annotated[str, Form(max_length=4)] = "",
    instructor: Annotated[str, Form(max_length=20)] = "",
    room: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Change a plan by hand: a wave, or one slot of it alone, to another time, instructor or room."""
    database = request.app.state.database
    plan: DayPlan = database.read(lambda session: get_plan(session, plan_id).plan)
    if slot not in {each.key for each in plan.slots}:
        raise EntryRefused(phrase("There is no such slot in this plan."), "slot")
    chosen = row_of(instructor)
    if chosen is not None and chosen not in {who.id for who in plan.wanted.instructors}:
        raise EntryRefused(phrase("That instructor is not in this plan."), "instructor")
    if room and room not in plan.wanted.rooms:
        raise EntryRefused(phrase("That room is not in this plan."), "room")
    wanted = Move(slot=slot, by_minutes=by_minutes, whole_wave=alone != "yes", instructor=chosen, room=room or None)
    try:
        database.write(lambda session: move_in_plan(session, plan_id, edition, viewer.name, wanted))
    except Overtaken as error:
        raise EntryRefused(str(error), "slot") from None
    # Back to the slot that was moved: a plan of a long day is longer than a screen.
    return RedirectResponse(f"{urls.day(plan_id)}#slot-{slot}", 303)


@router.post("/days/{plan_id}/drop", name="drop_day", dependencies=[CheckedForm])
def drop(request: Request, plan_id: str, viewer: Instructor) -> Response:
    """Take a plan out."""
    request.app.state.database.write(lambda session: drop_plan(session, plan_id))
    return RedirectResponse(urls.days(), 303)


@router.get("/days/{plan_id}/plan.{kind}", name="day_file")
def day_file(request: Request, plan_id: str, kind: Literal["ics", "pdf", "csv"], viewer: SignedIn) -> Response:
    """A plan as a calendar, on paper or as a table; a trainee's calendar holds what is theirs."""
    from lumenstat.exchange.day_ics import DayFacts, day_ics  # noqa: PLC0415 - slow to load, only where taken away
    from lumenstat.exchange.day_pdf import HEADS, day_pdf, day_rows  # noqa: PLC0415

    record: DayPlanRecord = request.app.state.database.read(lambda session: _seen(session, plan_id, viewer))
    facts = DayFacts(record.id, record.title, request.app.state.settings.school, record.edition, record.changed)
    match kind:
        case "ics":
            # A trainee's calendar with others' slots in it would be no use, and theirs to know.
            only = None if viewer.is_instructor else viewer.id
            content, media_type = day_ics(record.plan, facts, only), "text/calendar; charset=utf-8"
        case "pdf":
            content, media_type = day_pdf(record.plan, facts, viewer.language), "application/pdf"
        case "csv":
            made = as_csv(HEADS, day_rows(record.plan))
            content, media_type = made.content, made.media_type
    name = f"plan-{record.day}-{plain(record.title)}.{kind}"
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
