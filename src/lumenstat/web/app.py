"""Puts the application together."""

from __future__ import annotations

import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException as StarletteHTTPException

from lumenstat.demo import seed_demo, seed_library
from lumenstat.errors import RecordError
from lumenstat.records.database import Database
from lumenstat.records.people import anybody
from lumenstat.runs.hub import Hub
from lumenstat.runs.proofs import ProofDesk
from lumenstat.settings import Settings
from lumenstat.web.live import station as live_station
from lumenstat.web.pages import (
    brief,
    builder,
    compare,
    debrief,
    draft_files,
    drafts,
    errors,
    exercises,
    first_instructor,
    proofs,
    record,
    replay,
    runs,
    sign_in,
    station,
)
from lumenstat.web.rendering import STATIC
from lumenstat.web.security import SignInNeeded, Throttle, add_headers

PAGES = (
    sign_in, first_instructor, exercises, brief, runs, station, debrief, replay, record, compare, drafts, builder,
    draft_files, proofs, live_station,
)  # fmt: skip


def create_app(settings: Settings) -> FastAPI:
    """The application on its database, seeded with the shipped library (and the demo school)."""
    database = Database(settings.database)
    database.write(seed_library)
    if settings.demo:
        database.write(seed_demo)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        await app.state.hub.start()
        yield
        app.state.proofs.stop()
        await app.state.hub.stop()
        database.close()

    app = FastAPI(title="Lumenstat", docs_url=None, redoc_url=None, openapi_url=None, lifespan=lifespan)
    app.state.settings = settings
    app.state.database = database
    app.state.hub = Hub(database)
    app.state.proofs = ProofDesk(database, lambda: bool(app.state.hub.open_runs))
    app.state.replays = replay.Replays()
    app.state.throttle = Throttle()
    app.state.first_code = None if database.read(anybody) else secrets.token_hex(4)
    app.middleware("http")(add_headers)
    for module in PAGES:
        app.include_router(module.router)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    _handle_errors(app)
    return app


def _handle_errors(app: FastAPI) -> None:
    async def ask_to_sign_in(_: Request, error: Exception) -> Response:
        assert isinstance(error, SignInNeeded)
        return RedirectResponse(error.location, 303)

    async def say_what(request: Request, error: Exception) -> Response:
        if isinstance(error, StarletteHTTPException):
            return errors.show(request, error.status_code, str(error.detail))
        return errors.show(request, 404, str(error))

    async def say_form(request: Request, error: Exception) -> Response:
        assert isinstance(error, RequestValidationError)
        names = ", ".join(str(each["loc"][-1]) for each in error.errors())
        return errors.show(request, 422, f"The form needs: {names}.")

    app.add_exception_handler(SignInNeeded, ask_to_sign_in)
    app.add_exception_handler(RecordError, say_what)
    app.add_exception_handler(StarletteHTTPException, say_what)
    app.add_exception_handler(HTTPException, say_what)
    app.add_exception_handler(RequestValidationError, say_form)
