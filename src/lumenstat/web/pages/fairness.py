"""Fair before class: what the judge would say of every plausible flight of a draft, beside its proof."""

from __future__ import annotations

from contextlib import suppress
from typing import ClassVar

from fastapi import APIRouter, Request, Response

from lumenstat.errors import RecordError
from lumenstat.fairness.fair import JudgedFlight
from lumenstat.runs.fairness import FairJob
from lumenstat.web.pages.proofs import bundle_of
from lumenstat.web.rendering import Context, json_answer, render
from lumenstat.web.security import CheckedForm, Instructor, Viewer

router = APIRouter()


class FairnessContext(Context):
    """How far the flights of a draft are, or what came of them."""

    template: ClassVar[str] = "builder_fair.html"
    done: int
    of: int
    busy: bool
    failed: str
    findings: tuple[JudgedFlight, ...]
    flights: tuple[JudgedFlight, ...]


@router.post("/drafts/{draft_id}/fair", name="try_fairness", dependencies=[CheckedForm])
def begin(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """Begin to fly and judge the draft as it stands."""
    return _told(request, request.app.state.fairness.start(bundle_of(request, draft_id)), viewer)


@router.get("/drafts/{draft_id}/fair", name="fairness")
def look(request: Request, draft_id: str, viewer: Instructor) -> Response:
    """How far it is with the draft as it stands, and what came of it; nothing where it cannot be flown just now."""
    job: FairJob | None = None
    # The page asks by itself whenever it is opened: a draft that is half written is no error of whoever writes it.
    with suppress(RecordError):
        job = request.app.state.fairness.jobs.get(bundle_of(request, draft_id).digest)
    return _told(request, job or FairJob(cancelled=True), viewer)


def _told(request: Request, job: FairJob, viewer: Viewer) -> Response:
    context = FairnessContext(
        done=job.done,
        of=job.of,
        busy=job.busy,
        failed=job.failed or "",
        findings=job.found.findings if job.found else (),
        flights=job.found.flights if job.found else (),
    )
    html = render(request, context.template, context, viewer, viewer.csrf_token)
    return json_answer(request, {"busy": job.busy, "html": html})
