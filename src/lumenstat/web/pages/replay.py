"""Replay: the whole deck and riser as they were at any moment of an ended run, and flying on from there."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Annotated, Any, ClassVar

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse

from lumenstat.assessment.ledger import Ledger
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.runs import events_of, find_run, fork_run
from lumenstat.records.tables import Run
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.simulation.reading import as_shown
from lumenstat.simulation.replay import Replay
from lumenstat.web import urls
from lumenstat.web.drawing.riser import Riser
from lumenstat.web.drawing.riser import lay_out as lay_out_riser
from lumenstat.web.pages.runs import may_see
from lumenstat.web.pages.station import DeckPage, deck_of
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, SignedIn

router = APIRouter()

CACHED_AT_MOST = 6


class Replays:
    """The replays looked at last, each flown once; one moment of one replay at a time."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, Replay] = OrderedDict()
        self._perfect: OrderedDict[str, Rehearsal] = OrderedDict()
        self._lock = threading.Lock()

    def moment(self, run: Run, database: Any, tick: int) -> dict[str, Any]:
        """What a page needs to draw a moment of a run."""

        def flown() -> Replay:
            events = [event for event, _ in database.read(lambda session: events_of(session, run.id))]
            return Replay(run.exercise.bundle, events)

        return self._seen(run.id, flown, tick)

    def perfect(self, bundle: Bundle) -> Rehearsal:
        """The perfect flight of an exercise, flown once."""
        with self._lock:
            found = self._perfect.get(bundle.digest)
            if found is None:
                found = self._perfect[bundle.digest] = rehearse(bundle)
                if len(self._perfect) > CACHED_AT_MOST:
                    self._perfect.popitem(last=False)
            return found

    def perfect_moment(self, bundle: Bundle, tick: int) -> dict[str, Any]:
        """What a page needs to draw a moment of a perfect flight."""
        flight = self.perfect(bundle)
        return self._seen(bundle.digest, lambda: Replay(bundle, flight.events), tick)

    def _seen(self, name: str, flown: Callable[[], Replay], tick: int) -> dict[str, Any]:
        with self._lock:
            replay = self._kept.get(name)
            if replay is None:
                replay = self._kept[name] = flown()
                # The replay that was looked at longest ago goes: each holds a whole aircraft with its snapshots.
                if len(self._kept) > CACHED_AT_MOST:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(name)
            seen = replay.at(tick)
            quantities = as_shown(replay.aircraft.plan, seen.state)
        crew = [{"t": line.tick / 100, "by": line.by, "says": line.says} for line in seen.crew]
        return {"t": seen.tick / 100, "quantities": quantities, "crew": crew}


class ReplayMark(Context):
    """An item on the time axis."""

    id: str
    number: int
    challenge: str
    at: float
    verdict: str
    words: str
    share: float


class ReplayContext(Context):
    """An ended run, to be looked at moment by moment."""

    template: ClassVar[str] = "replay.html"
    run_id: str
    title: str
    airframe: str
    trainee: str
    end: float
    begin: float
    marks: tuple[ReplayMark, ...]
    deck: tuple[DeckPage, ...]
    riser: Riser | None
    may_fly: bool = False
    of_draft: bool = False


@router.get("/runs/{run_id}/replay", name="replay")
def show(request: Request, run_id: str, viewer: SignedIn, t: float = 0.0) -> Response:
    """The replay of an ended run, beginning at `t` seconds."""
    run = _ended(request, run_id, viewer)
    bundle = run.exercise.bundle.told_in(viewer.language)
    ledger = Ledger.model_validate_json(run.ledger or "")
    return page(request, _context(run, bundle, ledger, t, viewer.is_instructor or bundle.exercise.riser_afterwards))


@router.get("/runs/{run_id}/moment")
def moment(request: Request, run_id: str, viewer: SignedIn, t: float) -> Response:
    """The aircraft at `t` seconds."""
    run = _ended(request, run_id, viewer)
    seconds = t if t == t and abs(t) < 1e6 else 0.0  # noqa: PLR0124 - what is no figure is the beginning
    return JSONResponse(request.app.state.replays.moment(run, request.app.state.database, round(seconds * 100)))


@router.post("/runs/{run_id}/fork", dependencies=[CheckedForm])
def fork(request: Request, run_id: str, viewer: SignedIn, t: Annotated[float, Form()]) -> Response:
    """Fly on from a moment, in a new run that names its origin: a trainee their own, an instructor to show how."""
    run = _ended(request, run_id, viewer)
    tick = round(min(max(0.0, t), 1e6) * 100)
    new = request.app.state.database.write(lambda session: fork_run(session, run.id, tick, viewer.id).id)
    return RedirectResponse(urls.station(new), 303)


def _ended(request: Request, run_id: str, viewer: SignedIn) -> Run:
    run: Run = request.app.state.database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    if run.ledger is None:
        raise RecordError(phrase("This run has not ended; there is nothing to look back on yet."))
    return run


def _context(run: Run, bundle: Bundle, ledger: Ledger, begin: float, riser: bool) -> ReplayContext:
    procedure = bundle.procedure
    end = max(ledger.ended_at, 0.01)
    marks = [
        ReplayMark(
            id=row.item,
            number=procedure.by_id[row.item].number + 1,
            challenge=procedure.by_id[row.item].item.challenge,
            at=row.at,
            verdict=row.verdict,
            words=row.words,
            share=round(1000 * row.at / end, 1),
        )
        for row in ledger.items
        if row.at is not None
    ]
    return ReplayContext(
        run_id=run.id,
        title=bundle.exercise.title,
        airframe=bundle.airframe.name,
        trainee=run.trainee.name,
        end=ledger.ended_at,
        begin=min(max(0.0, begin), ledger.ended_at),
        marks=tuple(sorted(marks, key=lambda mark: mark.at)),
        deck=deck_of(bundle.airframe),
        riser=lay_out_riser(bundle.airframe) if riser else None,
    )
