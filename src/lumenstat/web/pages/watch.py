"""What an instructor sees and does beside a station: the log as it grows, verdicts so far, the desk's forms."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, Form, HTTPException, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import WorkerError
from lumenstat.language.wording import phrase
from lumenstat.records.lessons import archive_run, hand_over, station_rows, take_back, void_run
from lumenstat.records.runs import RunFacts, events_after, facts_of, find_run, log_of
from lumenstat.records.tables import Run
from lumenstat.runs.reader_jobs import judge_so_far
from lumenstat.runs.telling import WHO, said_of
from lumenstat.runs.tiles import Tile
from lumenstat.web import urls
from lumenstat.web.rendering import Context, json_answer, page
from lumenstat.web.security import CheckedForm, Instructor

router = APIRouter()

SO_FAR_SECONDS = 60.0


class LogLine(Context):
    """One event of the log in words."""

    number: int
    t: float
    by: str
    verb: str
    says: str


class Watched(Context):
    """What is new beside a station: log lines from a number on, slips, limits and faults as they stand."""

    lines: tuple[LogLine, ...]
    next: int
    words: tuple[str, ...]
    limits: tuple[str, ...]
    hazards: tuple[str, ...]
    faults: tuple[tuple[str, str], ...]
    hand: bool
    over: bool


class VerdictLine(Context):
    """The verdict on one item as it would be now."""

    number: int
    challenge: str
    verdict: str
    words: str
    earned: float
    possible: float
    says: str


class VerdictsContext(Context):
    """The ledger as it would be if the run ended now."""

    template: ClassVar[str] = "verdicts.html"
    at: float
    percent: float
    lines: tuple[VerdictLine, ...]
    besides: tuple[str, ...]
    says: str | None = None


@router.get("/runs/{run_id}/watch", name="watch")
async def watch(
    request: Request, run_id: str, viewer: Instructor, after: Annotated[int, Query(ge=0, le=100_000)] = 0
) -> Response:
    """What is new, as JSON."""
    database, hub = request.app.state.database, request.app.state.hub

    def read(session: Session) -> tuple[RunFacts, Bundle, list[tuple[int, LogEvent]]]:
        bundle = find_run(session, run_id).exercise.bundle.told_in(viewer.language)
        return facts_of(session, run_id), bundle, events_after(session, run_id, after)

    # On another thread: this page asks every few seconds, and stations are served on this one.
    facts, bundle, events = await run_in_threadpool(database.read, read)
    lines = [
        LogLine(number=n, t=e.tick / 100, by=WHO.get(e.by, e.by), verb=e.verb, says=said_of(e, bundle))
        for n, e in events
    ]
    tiles = [] if facts.state == "ended" else await hub.tiles([run_id])
    tile = Tile.from_message(tiles[0]) if tiles else None
    content = Watched(
        lines=tuple(lines),
        next=after + len(lines),
        words=tile.words if tile else (),
        limits=tile.limits if tile else (),
        hazards=tile.hazards if tile else (),
        faults=tile.faults if tile else (),
        hand=tile.hand if tile else False,
        over=facts.state == "ended",
    )
    return json_answer(request, content.model_dump())


# ---- verdicts so far -------------------------------------------------------------------------------------------------


@router.get("/runs/{run_id}/verdicts", name="verdicts")
def verdicts(request: Request, run_id: str, viewer: Instructor) -> Response:
    """The real judge on the log so far; for the instructor alone."""
    database = request.app.state.database
    run: Run = database.read(lambda session: find_run(session, run_id))
    text = database.read(lambda session: log_of(session, run)).text()
    # In another process: judging would take the time that the stations need.
    try:
        ledger: Ledger = request.app.state.reader.call(judge_so_far, run.exercise.content, text, seconds=SO_FAR_SECONDS)
    except WorkerError as error:
        return page(request, VerdictsContext(at=0, percent=0, lines=(), besides=(), says=str(error)))
    so_far = _so_far(run.exercise.bundle.told_in(viewer.language), ledger)
    names = run.exercise.bundle.names_in(viewer.language)
    return page(request, so_far.model_copy(update={"document_names": names}))


def _so_far(bundle: Bundle, ledger: Ledger) -> VerdictsContext:
    steps = bundle.procedure.by_id
    lines = [
        VerdictLine(
            number=steps[row.item].number + 1,
            challenge=steps[row.item].item.challenge,
            verdict=row.verdict,
            words=row.words,
            earned=row.earned,
            possible=row.possible,
            says=row.says,
        )
        for row in ledger.items
        if row.at is not None
    ]
    besides = [extra.says for extra in ledger.extras if extra.effect not in ("harmless", "undone")]
    besides += [limit.says for limit in ledger.limits]
    earned, possible = sum(line.earned for line in lines), sum(line.possible for line in lines)
    # Before anything counted, nothing is lost.
    share = 100.0 if not possible else round(100 * earned / possible, 1)
    return VerdictsContext(at=ledger.ended_at, percent=share, lines=tuple(lines), besides=tuple(besides))


# ---- what is done to a run as a whole --------------------------------------------------------------------------------


@router.post("/runs/{run_id}/hand-over", name="hand_over", dependencies=[CheckedForm])
async def give_over(
    request: Request, run_id: str, viewer: Instructor, instructor: Annotated[int, Form(ge=1, le=2**63 - 1)]
) -> Response:
    """Put another instructor in charge; it is said to the trainee and stands in the log."""
    database = request.app.state.database
    facts: RunFacts = await run_in_threadpool(database.read, lambda session: facts_of(session, run_id))
    name: str = await run_in_threadpool(database.write, lambda session: hand_over(session, run_id, instructor))
    if facts.state != "ended":
        await request.app.state.hub.act(run_id, "instructor", "hand-over", {"to": name}, None)
    return RedirectResponse(urls.station(run_id) if facts.state != "ended" else urls.debrief(run_id), 303)


@router.post("/runs/{run_id}/take-back", name="take_back", dependencies=[CheckedForm])
def undo_start(request: Request, run_id: str, viewer: Instructor) -> Response:
    """Take an accidental start back; nothing of it is left."""
    facts = request.app.state.database.read(lambda session: facts_of(session, run_id))
    request.app.state.database.write(lambda session: take_back(session, run_id))
    request.app.state.hub.judged(run_id, "")
    left = facts.lesson_id is not None and _still_there(request, facts.lesson_id)
    return RedirectResponse(urls.desk(facts.lesson_id) if left and facts.lesson_id else urls.runs(), 303)


def _still_there(request: Request, lesson_id: str) -> bool:
    return bool(request.app.state.database.read(lambda session: station_rows(session, lesson_id)))


@router.post("/runs/{run_id}/void", name="void_run", dependencies=[CheckedForm])
def void(
    request: Request, run_id: str, viewer: Instructor, reason: Annotated[str, Form(max_length=400)] = ""
) -> Response:
    """Take a run out of what counts, with a reason that is kept."""
    request.app.state.database.write(lambda session: void_run(session, run_id, viewer.name, reason))
    request.app.state.hub.judged(run_id, "")
    return RedirectResponse(f"{urls.runs()}?standing=voided", 303)


@router.post("/runs/{run_id}/archive", name="archive_run", dependencies=[CheckedForm])
def archive(
    request: Request, run_id: str, viewer: Instructor, archived: Annotated[str, Form(max_length=4)] = "yes"
) -> Response:
    """Put a run out of the usual lists, or back."""
    facts = request.app.state.database.read(lambda session: facts_of(session, run_id))
    if facts.state != "ended":
        raise HTTPException(409, phrase("A run that goes on cannot be put away; end it first."))
    request.app.state.database.write(lambda session: archive_run(session, run_id, archived == "yes"))
    return RedirectResponse(urls.debrief(run_id), 303)
