"""Proofs of drafts: begun and stopped from the builder, their perfect flight looked at moment by moment."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import JSONResponse

from lumenstat.documents.bundles import Bundle
from lumenstat.drafting.draft import Draft, read_draft
from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.drafts import load
from lumenstat.web.drawing.riser import lay_out as lay_out_riser
from lumenstat.web.pages.replay import ReplayContext, ReplayMark
from lumenstat.web.pages.station import deck_of
from lumenstat.web.rendering import page
from lumenstat.web.security import CheckedForm, Instructor

router = APIRouter()


def bundle_of(request: Request, draft_id: str) -> Bundle:
    """The draft as an exercise. Raises RecordError where it cannot be flown."""
    kept = request.app.state.database.read(lambda session: load(session, draft_id))
    read = read_draft(Draft.from_json(kept.content))
    if read.bundle is None:
        raise RecordError(phrase("The draft cannot be flown yet; mend what its findings say first."))
    return read.bundle


@router.post("/drafts/{draft_id}/prove", name="prove_draft", dependencies=[CheckedForm])
def prove(
    request: Request,
    draft_id: str,
    viewer: Instructor,
    stop: Annotated[str, Form()] = "",
    follows: Annotated[str, Form()] = "",
) -> Response:
    """Begin to prove the draft as it stands, or stop. A proof that only `follows` a change waits for the next one."""
    try:
        bundle = bundle_of(request, draft_id)
    except RecordError:
        # A change can leave a draft that cannot be flown yet; that is no error of whoever makes it.
        if follows:
            return JSONResponse({"digest": None})
        raise
    if stop:
        request.app.state.proofs.cancel(bundle.digest)
    else:
        request.app.state.proofs.start(bundle, draft_id)
    return JSONResponse({"digest": bundle.digest})


@router.get("/drafts/{draft_id}/flight", name="proof_flight")
def flight(request: Request, draft_id: str, viewer: Instructor, t: float = 0.0) -> Response:
    """The perfect flight of the draft, beginning at `t` seconds."""
    bundle = bundle_of(request, draft_id)
    flown = request.app.state.replays.perfect(bundle)
    steps = bundle.procedure.by_id
    # A flight of no length would put every mark at an infinite place.
    end = max(flown.ready_at / 100, 0.01)
    marks = [
        ReplayMark(
            id=act.item,
            number=steps[act.item].number + 1,
            challenge=steps[act.item].item.challenge,
            at=act.ends / 100,
            verdict="done",
            words=phrase("Done"),
            share=round(1000 * act.ends / 100 / end, 1),
        )
        for act in flown.acts
    ]
    context = ReplayContext(
        run_id=draft_id,
        title=bundle.exercise.title,
        airframe=bundle.airframe.name,
        trainee=phrase("The model"),
        end=end,
        begin=min(max(0.0, t), end),
        marks=tuple(marks),
        deck=deck_of(bundle.airframe),
        riser=lay_out_riser(bundle.airframe),
        of_draft=True,
    )
    return page(request, context)


@router.get("/drafts/{draft_id}/flight/moment", name="proof_moment")
def moment(request: Request, draft_id: str, viewer: Instructor, t: float) -> Response:
    """The aircraft at `t` seconds of the perfect flight."""
    bundle = bundle_of(request, draft_id)
    seconds = t if t == t and abs(t) < 1e6 else 0.0  # noqa: PLR0124 - what is no figure is the beginning
    return JSONResponse(request.app.state.replays.perfect_moment(bundle, round(seconds * 100)))
