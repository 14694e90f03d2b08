"""Drills: the moments that somebody keeps missing, each flown by itself."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, ClassVar

from fastapi import APIRouter, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import EntryRefused, NoSuchRecord
from lumenstat.language.wording import phrase
from lumenstat.records.drills import drill_run_again, get_drill, runs_of_drill
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import groups_of
from lumenstat.records.people import get_person
from lumenstat.records.tables import Run
from lumenstat.runs.drilling import MOMENTS_AT_MOST, DrillPlan
from lumenstat.web import urls
from lumenstat.web.pages.lessons import StartingContext
from lumenstat.web.rendering import Context, json_answer, page
from lumenstat.web.security import CheckedForm, RowInPath, SignedIn, Viewer

router = APIRouter()


class MomentLine(Context):
    """One moment of a drill."""

    run_id: str
    number: int
    item: str
    response: str
    why: str
    exercise: str
    begins: float
    state: str
    verdict: str | None
    words: str
    says: str
    latest: bool


class DrillContext(Context):
    """A drill."""

    template: ClassVar[str] = "drill.html"
    tab: ClassVar[str] = "runs"
    drill_id: str
    person_id: int
    name: str
    own: bool
    by: str
    at: datetime
    moments: tuple[MomentLine, ...]
    left_out: tuple[str, ...]
    next_run: str | None


def _may_drill(viewer: Viewer, person_id: int) -> None:
    if not viewer.is_instructor and viewer.id != person_id:
        raise HTTPException(404, phrase("There is no such record."))


@router.post("/people/{person_id}/drill", name="make_drill", dependencies=[CheckedForm])
def make(
    request: Request, person_id: RowInPath, viewer: SignedIn, items: Annotated[list[str] | None, Form()] = None
) -> Response:
    """Make a drill of these items, each given as its exercise and itself with a bar between."""
    _may_drill(viewer, person_id)
    chosen = list(dict.fromkeys(items or ()))
    if not 1 <= len(chosen) <= MOMENTS_AT_MOST:
        raise EntryRefused(phrase("Tick one to {moments_at_most} items.", moments_at_most=MOMENTS_AT_MOST), "items")

    def read(session: Session) -> DrillPlan:
        person = get_person(session, person_id)
        if person.role != "trainee" or not person.active:
            raise EntryRefused(phrase("A drill is made for a trainee."), "items")
        # Somebody who drills alone still has an instructor to whom the runs belong.
        in_charge = viewer.id if viewer.is_instructor else _in_charge(session, person_id)
        return DrillPlan(person_id, in_charge, viewer.name, tuple(_moment(session, each) for each in chosen))

    key = request.app.state.drilling.start(request.app.state.database.read(read))
    return RedirectResponse(urls.making_drill(str(person_id), key), 303)


def _in_charge(session: Session, person_id: int) -> int:
    return next((group.instructor_id for group in groups_of(session, person_id)), person_id)


def _moment(session: Session, choice: str) -> tuple[Bundle, str]:
    exercise_id, _, item = choice.partition("|")
    try:
        bundle = current_exercise(session, exercise_id).bundle
    except NoSuchRecord:
        raise EntryRefused(
            phrase("There is no exercise {exercise_id} any more.", exercise_id=repr(exercise_id)), "items"
        ) from None
    if item not in bundle.procedure.by_id:
        # The list may be older than the exercise: an item can have gone with a new version.
        raise EntryRefused(phrase("{title} has no item {item} any more.", title=bundle.title, item=repr(item)), "items")
    return bundle, item


@router.get("/people/{person_id}/drill/{key}", name="making_drill")
def making(request: Request, person_id: RowInPath, key: str, viewer: SignedIn) -> Response:
    """How far a drill is that is being made, also as JSON; the drill once it is."""
    _may_drill(viewer, person_id)
    drilling = request.app.state.drilling.drillings.get(key)
    if drilling is None or drilling.person_id != person_id:
        raise HTTPException(404, phrase("That drill is not being made any more."))
    words, share = (
        phrase("{done} of {of} moments are ready", done=drilling.done, of=drilling.of),
        drilling.done / drilling.of,
    )
    if "application/json" in request.headers.get("accept", ""):
        return json_answer(request, {"words": words, "share": share, "over": drilling.over.is_set()})
    if drilling.drill_id is not None:
        return RedirectResponse(urls.drill(drilling.drill_id), 303)
    here, back = urls.making_drill(str(person_id), key), urls.logbook(str(person_id))
    title, what = phrase("Making the drill ready"), phrase("The model flies to just before each item.")
    return page(
        request,
        StartingContext(words=words, share=share, failed=drilling.failed, here=here, back=back, title=title, what=what),
    )


@router.get("/drills/{drill_id}", name="drill")
def show(request: Request, drill_id: str, viewer: SignedIn) -> Response:
    """The moments of a drill."""

    def read(session: Session) -> DrillContext:
        drill = get_drill(session, drill_id)
        _may_drill(viewer, drill.person_id)
        runs = runs_of_drill(session, drill_id)
        # A moment may have been flown several times; the last one is what counts of it.
        latest = {run.station: run.id for run in sorted(runs, key=lambda run: run.created)}
        return DrillContext(
            drill_id=drill.id,
            person_id=drill.person_id,
            name=get_person(session, drill.person_id).name,
            own=drill.person_id == viewer.id,
            by=drill.by,
            at=drill.at,
            moments=tuple(_line(run, latest.get(run.station) == run.id) for run in runs),
            left_out=request.app.state.drilling.left_out_of(drill_id),
            next_run=next((run.id for run in runs if run.finished is None), None),
        )

    return page(request, request.app.state.database.read(read))


def _line(run: Run, latest: bool) -> MomentLine:
    bundle = run.exercise.bundle
    item = bundle.procedure.by_id[run.drill_item or ""].item
    row = Ledger.model_validate_json(run.ledger).items[0] if run.ledger else None
    state = "ended" if row is not None else "judging" if run.finished is not None else "ready"
    return MomentLine(
        run_id=run.id,
        number=run.station or 0,
        item=bundle.worded(item.challenge),
        response=bundle.worded(item.response),
        why=bundle.worded(item.why or ""),
        exercise=bundle.title,
        begins=(run.origin_tick or 0) / 100,
        state=state,
        verdict=row.verdict if row is not None else None,
        words=row.words if row is not None else "",
        says=row.says if row is not None else "",
        latest=latest,
    )


@router.post("/drills/{drill_id}/again", name="drill_again", dependencies=[CheckedForm])
def again(request: Request, drill_id: str, viewer: SignedIn, run: Annotated[str, Form(max_length=32)]) -> Response:
    """Fly a moment once more."""

    def write(session: Session) -> str:
        drill = get_drill(session, drill_id)
        if viewer.id != drill.person_id:
            raise HTTPException(404, phrase("There is no such record."))
        return drill_run_again(session, drill_id, run)

    return RedirectResponse(urls.station(request.app.state.database.write(write)), 303)
