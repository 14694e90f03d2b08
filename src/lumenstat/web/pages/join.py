"""Joining a run by the code that the desk shows, at a computer that nobody has signed in to."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.language.wording import phrase
from lumenstat.records.lessons import run_of_code
from lumenstat.records.tables import Run
from lumenstat.web import urls
from lumenstat.web.guessing import Try
from lumenstat.web.pages.sign_in import address_of, signed_in_response
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm

router = APIRouter()

Part = Literal["station", "crew", "observer"]


class JoinContext(Context):
    """The form for a code, what was wrong with the last one, and whose it is once it is known."""

    template: ClassVar[str] = "join.html"
    code: str = ""
    says: str | None = None
    trainee: str | None = None
    exercise: str | None = None
    part: Part = "station"


@router.get("/join", name="join")
def show(request: Request, code: Annotated[str, Query(max_length=12)] = "") -> Response:
    """The form for a code."""
    return page(request, JoinContext(code=code))


@router.post("/join", dependencies=[CheckedForm])
def join(
    request: Request,
    code: Annotated[str, Form(max_length=12)] = "",
    sure: Annotated[str, Form(max_length=4)] = "",
    part: Annotated[Part, Form()] = "station",
) -> Response:
    """Say whose station the code opens; then open it. Codes are guessed no faster than passwords."""
    state = request.app.state
    tried = Try((f"join {address_of(request)}",))
    if (pause := state.guessing.begin(tried)) > 0:
        says = phrase("Too many tries. Wait {pause} seconds, then try again.", pause=max(1, round(pause)))
        return page(request, JoinContext(code=code, says=says), 429)
    run: Run | None = state.database.read(lambda session: run_of_code(session, code))
    if run is None:
        says = phrase(
            "No exercise waits under that code. It has six letters and digits, and is on your instructor's desk."
        )
        return page(request, JoinContext(code=code, says=says), 404)
    # Only a wrong code counts as a try: a class that joins from behind one address would lock itself out.
    state.guessing.right(tried)
    # Shown first whose it is, since two neighbours' slips are easily swapped.
    if sure != "yes":
        return page(request, JoinContext(code=code, trainee=run.trainee.name, exercise=run.exercise.named, part=part))
    if part != "station":
        # A browser that joined by a code reaches this run and nothing else of its trainee.
        return signed_in_response(request, run.trainee, RedirectResponse(urls.phone(run.id), 303), run.id, part)
    return signed_in_response(request, run.trainee, RedirectResponse(urls.station(run.id), 303), run.id)
