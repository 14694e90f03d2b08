"""A run on a phone: the ground crew's line, or looking on. It sees what the trainee sees, and is not the station."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.records.runs import find_run
from lumenstat.records.tables import Run
from lumenstat.web import urls
from lumenstat.web.drawing.lights import Lights, lights_of
from lumenstat.web.pages.runs import may_see
from lumenstat.web.pages.station import ServiceButton, services_of
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SignedIn

router = APIRouter()


class PhoneContext(Context):
    """What a phone shows of a run."""

    template: ClassVar[str] = "phone.html"
    run_id: str
    title: str
    trainee: str
    place: str
    asks: bool
    """Whether the ground crew may be asked from here."""
    items: tuple[tuple[str, str, str], ...]
    """Every item of the card: its id, challenge and response."""
    services: tuple[ServiceButton, ...]
    lights: Lights


@router.get("/runs/{run_id}/phone", name="phone")
def show(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """A run on a phone; one that has ended leads to where one joins another."""
    run: Run = request.app.state.database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    # By a code nobody reaches the debrief; they join the next exercise.
    if run.state == "ended":
        return RedirectResponse(urls.join() if viewer.part else urls.debrief(run_id), 303)
    bundle = run.exercise.bundle.told_in(viewer.language)
    steps = bundle.procedure.steps
    return page(
        request,
        PhoneContext(
            run_id=run.id,
            title=bundle.exercise.shown,
            trainee=run.trainee.name,
            place=bundle.exercise.start.place.name,
            asks=viewer.part != "observer" and viewer.id == run.trainee_id,
            items=tuple((step.item.id, step.item.challenge, step.item.response) for step in steps),
            services=tuple(services_of(bundle.airframe)),
            lights=lights_of(bundle, stacked=True),
        ),
    )
