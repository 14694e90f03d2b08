"""Puts the application together."""

from __future__ import annotations

import asyncio
import logging
import secrets
import time
from collections.abc import AsyncIterator, Mapping
from contextlib import asynccontextmanager
from typing import Any

from fastapi import HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from starlette.exceptions import HTTPException as StarletteHTTPException
from starlette.middleware.gzip import GZipMiddleware

from lumenstat.demo import seed_demo, seed_library
from lumenstat.errors import EntryRefused, InputRefused, LumenstatError, NoSuchRecord, RecordError, StorageError
from lumenstat.language.field_words import field_words
from lumenstat.language.wording import joined, phrase
from lumenstat.logs import request_id
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercises
from lumenstat.records.people import anybody
from lumenstat.runs.drilling import DrillDesk
from lumenstat.runs.fairness import FairDesk
from lumenstat.runs.hosts import Hosts
from lumenstat.runs.housekeeping import Housekeeping
from lumenstat.runs.hub import Hub
from lumenstat.runs.judging import JudgeDesk
from lumenstat.runs.model_facts import FactsDesk
from lumenstat.runs.proofs import ProofDesk
from lumenstat.runs.run_statements import HOME
from lumenstat.runs.sending import RecordStore, Sender
from lumenstat.runs.starting import StartingDesk
from lumenstat.runs.store import DatabaseStore
from lumenstat.runs.workers import Worker
from lumenstat.settings import Settings
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.standins.history import History
from lumenstat.standins.pilots import DemoClass
from lumenstat.standins.today import plan_today
from lumenstat.web import urls
from lumenstat.web.drawing.riser import lay_out_both
from lumenstat.web.front import Lumenstat
from lumenstat.web.guessing import Guessing, HashingQueue
from lumenstat.web.live import desk as live_desk
from lumenstat.web.live import station as live_station
from lumenstat.web.pages import (
    account,
    being_judged,
    brief,
    builder,
    class_list,
    class_record,
    compare,
    course_form,
    courses,
    days,
    debrief,
    draft_files,
    drafts,
    drills,
    errors,
    exercises,
    fairness,
    first_instructor,
    groups,
    health,
    help_page,
    home,
    join,
    lessons,
    logbook,
    people,
    phone,
    proofs,
    record,
    replay,
    runs,
    school,
    sheets,
    sign_in,
    station,
    watch,
    words,
)
from lumenstat.web.rendering import STATIC, PageCache
from lumenstat.web.security import PasswordNeeded, SignInNeeded
from lumenstat.web.shipped import ShippedFiles

PAGES = (
    sign_in, first_instructor, home, account, join, class_list, people, groups, courses, course_form, logbook,
    class_record, drills, days, school, exercises, lessons, brief, runs, station, watch, debrief, being_judged, replay,
    help_page, record, compare, sheets, drafts, builder, draft_files, proofs, fairness, health, phone, words,
    live_station,
    live_desk,
)  # fmt: skip
SMALLEST_PACKED = 600
WARM_AFTER_SECONDS = 0.5
OWN_WORDS = {
    "Not Found": phrase("There is nothing at this address."),
    "Method Not Allowed": phrase("Nothing can be sent to this address."),
}
STATUSES = ((NoSuchRecord, 404), (EntryRefused, 422))
"""What is answered to what records refuse; the others do not fit what stands."""

log = logging.getLogger("lumenstat.web")


def create_app(settings: Settings) -> Lumenstat:
    """The application on its database, seeded with the shipped library (and the demo school)."""
    database = Database(settings.database)
    database.write(seed_library)
    if settings.demo:
        database.write(seed_demo)

    @asynccontextmanager
    async def lifespan(app: Lumenstat) -> AsyncIterator[None]:
        loop, state = asyncio.get_running_loop(), app.state
        # The judges run on threads of their own, the hub on this loop.
        state.judges.on_judged = lambda run_id, says: loop.call_soon_threadsafe(state.hub.judged, run_id, says)
        await state.hub.start()
        state.judges.start()
        state.housekeeping.start()
        state.sender.start()
        warming = asyncio.create_task(_warm_soon(database))
        life = (History(database, state.judges), DemoClass(database, state.hub)) if settings.demo_life else None
        if life is not None:
            await asyncio.to_thread(database.write, plan_today)
            life[0].start()
            life[1].start()
        yield
        # In the opposite order of what needs what: nobody is left asking for something that has stopped.
        warming.cancel()
        if life is not None:
            life[0].stop()
            await life[1].stop()
        state.housekeeping.stop()
        state.sender.stop()
        state.proofs.stop()
        state.fairness.stop()
        await state.hub.stop()
        state.judges.stop()
        state.reader.close()
        state.starting.stop()
        state.facts.stop()
        # Last: until here somebody may still have something to write.
        await asyncio.to_thread(database.close)

    app = Lumenstat(title="Lumenstat", docs_url=None, redoc_url=None, openapi_url=None, lifespan=lifespan)
    _set_up(app, settings, database)
    app.add_middleware(GZipMiddleware, minimum_size=SMALLEST_PACKED, compresslevel=5)
    for module in PAGES:
        # Taken over as they are: an included router has the framework work out each of its routes a second time.
        app.router.routes.extend(module.router.routes)
    urls.bind(app.router)
    app.mount("/static", ShippedFiles(directory=STATIC), name="static")
    _handle_errors(app)
    return app


def _set_up(app: Lumenstat, settings: Settings, database: Database) -> None:
    """Everything that the pages share."""
    state = app.state
    state.settings, state.database = settings, database
    state.judges = JudgeDesk(database)
    store, shown = DatabaseStore(database, state.judges), station.shown_quantities
    state.hub = Hub(store, shown) if settings.workers == 1 else Hosts(store, shown, settings.database, settings.workers)
    # Proofs give way while somebody flies.
    state.fairness = FairDesk(lambda: bool(state.hub.open_count))
    state.proofs = ProofDesk(database, lambda: bool(state.hub.open_count))
    state.held_for_link, state.link_tasks = set(), set()
    state.reader = Worker("reader")
    state.starting = StartingDesk(database)
    state.facts = FactsDesk(database)
    state.housekeeping = Housekeeping(database, state.facts)
    state.sender = Sender(database, record_store_of(settings))
    state.drilling = DrillDesk(database, state.facts.worker)
    state.replays, state.page_cache = replay.Replays(), PageCache()
    state.sign_outs = 0
    state.message_clock = time.monotonic
    state.guessing, state.hashing = Guessing(database), HashingQueue()
    # Whoever sets the school up has the console; the code shows that they do.
    state.first_code = None if database.read(anybody) else secrets.token_hex(4)


def record_store_of(settings: Settings) -> RecordStore | None:
    """Where statements go, if the school named a record store."""
    if not settings.record_store:
        return None
    return RecordStore(settings.record_store, settings.record_store_key, settings.home_address or HOME)


async def _warm_soon(database: Database) -> None:
    """Make exercises ready once whoever waits for the first page has it, which would take twice as long beside this."""
    await asyncio.sleep(WARM_AFTER_SECONDS)
    await asyncio.to_thread(_warm, database)


def _warm(database: Database) -> None:
    """Read and compile what exercises fly and lay their risers out, before the first trainee waits for it."""
    try:
        bundles = [version.bundle for version in database.read(current_exercises)]
        # What was done before an exercise begins is not flown here: each start flies it anew.
        for bundle in bundles:
            Aircraft(bundle.airframe, bundle.exercise.start)
        for airframe in {bundle.airframe.id: bundle.airframe for bundle in bundles}.values():
            lay_out_both(airframe)
    # An exercise that cannot be read says so where it is opened; the server starts for all the others.
    except LumenstatError:
        log.exception("not all exercises could be made ready")


def _wrong_field(error: Mapping[str, Any]) -> str:
    return phrase("{field}: {wrong}", field=str(error["loc"][-1]), wrong=field_words(error))


def _handle_errors(app: Lumenstat) -> None:
    async def ask_to_sign_in(_: Request, error: Exception) -> Response:
        return RedirectResponse(getattr(error, "location", "/sign-in"), 303)

    async def say_http(request: Request, error: Exception) -> Response:
        status = getattr(error, "status_code", 500)
        says = str(getattr(error, "detail", error))
        # What the framework itself says stands in no catalogue.
        return errors.show(request, status, OWN_WORDS.get(says, says))

    async def say_record(request: Request, error: Exception) -> Response:
        status = next((status for kind, status in STATUSES if isinstance(error, kind)), 409)
        return errors.show(request, status, str(error), getattr(error, "field", ""))

    async def say_input(request: Request, error: Exception) -> Response:
        return errors.show(request, 422, phrase("{error:high}.", error=str(error)))

    async def say_storage(request: Request, error: Exception) -> Response:
        log.error("%s %s: %s", request.method, request.url.path, error)
        # A proxy, or the page itself, may try again by then.
        response = errors.show(request, 503, str(error))
        response.headers["Retry-After"] = "10"
        return response

    async def say_form(request: Request, error: Exception) -> Response:
        found = error.errors() if isinstance(error, RequestValidationError) else []
        # A wrong part of an address is an address that does not exist, not a form that was filled in wrong.
        if any(each["loc"][0] == "path" for each in found):
            return errors.show(request, 404, phrase("There is nothing at this address."))
        missing = ", ".join(str(each["loc"][-1]) for each in found if each["type"] == "missing")
        wrong = joined("; ", (_wrong_field(each) for each in found if each["type"] != "missing"))
        needs = phrase("The form needs: {missing}", missing=missing) if missing else ""
        says = joined(". ", (part for part in (needs, wrong) if part)) + "."
        return errors.show(request, 422, says, str(found[0]["loc"][-1]) if found else "")

    async def say_trouble(request: Request, error: Exception) -> Response:
        # The page gives no detail away; the number finds it in the log.
        log.error("%s %s failed", request.method, request.url.path, exc_info=error)
        says = phrase(
            "This did not work, and it is the server's doing. Its log tells more under the number {number}.",
            number=request_id.get(),
        )
        return errors.show(request, 500, says)

    app.add_exception_handler(SignInNeeded, ask_to_sign_in)
    app.add_exception_handler(PasswordNeeded, ask_to_sign_in)
    app.add_exception_handler(RecordError, say_record)
    app.add_exception_handler(InputRefused, say_input)
    app.add_exception_handler(StorageError, say_storage)
    app.add_exception_handler(StarletteHTTPException, say_http)
    app.add_exception_handler(HTTPException, say_http)
    app.add_exception_handler(RequestValidationError, say_form)
    app.add_exception_handler(Exception, say_trouble)
