"""All exercises in progress: who looks at them, when they tick, and that every action is on disk before it counts."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import multiprocessing
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import LumenstatError, ModelError
from lumenstat.records import runs as records
from lumenstat.records.database import Database
from lumenstat.runs.judging import judge, step_back
from lumenstat.runs.live import LiveRun
from lumenstat.simulation.plan import Discrete

TICK_SECONDS = 0.1
HEARTBEAT_TICKS = 500
FRAMES_BEHIND_AT_MOST = 40
HELD_AT_MOST = 10.0

log = logging.getLogger("lumenstat.hub")


@dataclass(eq=False)
class Viewer:
    """Somebody looking at a run: frames are put into its queue; `lost` when it could not keep up."""

    queue: asyncio.Queue[dict[str, Any]] = field(default_factory=lambda: asyncio.Queue(FRAMES_BEHIND_AT_MOST))
    lost: bool = False

    def send(self, frame: dict[str, Any]) -> None:
        """Queue a frame; a viewer that cannot keep up is let go and may come back for the whole state."""
        try:
            self.queue.put_nowait(frame)
        except asyncio.QueueFull:
            self.lost = True


@dataclass(eq=False)
class _Open:
    """A live run with its viewers and how much of its log is on disk."""

    live: LiveRun
    stored: int
    client_ids: dict[str, int]
    viewers: set[Viewer] = field(default_factory=set)
    shown: dict[str, Discrete | None] = field(default_factory=dict)
    crew_shown: int = 0
    words_shown: int = 0
    heartbeat: int = 0
    lock: asyncio.Lock = field(default_factory=asyncio.Lock)


class Hub:
    """The live runs of this server process."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.open_runs: dict[str, _Open] = {}
        self._ticker: asyncio.Task[None] | None = None
        self._ending: set[asyncio.Task[None]] = set()
        self._workers: ProcessPoolExecutor | None = None

    async def start(self) -> None:
        """Begin to tick; runs that were being flown when the server stopped go on when they are looked at."""
        self._ticker = asyncio.create_task(self._tick_forever())

    async def stop(self) -> None:
        """Stop ticking; everything done so far is on disk already."""
        if self._ticker is not None:
            self._ticker.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._ticker
        if self._ending:
            await asyncio.wait(self._ending, timeout=20)
        if self._workers is not None:
            self._workers.shutdown(cancel_futures=True)

    # ---- opening -------------------------------------------------------------------------------------------

    def opened(self, run_id: str) -> _Open:
        """The live run, brought up from its log if need be. Raises RecordError where there is none to fly."""
        found = self.open_runs.get(run_id)
        if found is None:
            run = self.database.read(lambda session: records.find_run(session, run_id))
            events = self.database.read(lambda session: records.events_of(session, run_id))
            bundle = Bundle.from_canonical_json(run.exercise.content)
            live = LiveRun(run_id, bundle, [event for event, _ in events], run.tick)
            client_ids = {client: number for number, (_, client) in enumerate(events) if client}
            found = self.open_runs[run_id] = _Open(live, len(events), client_ids, words_shown=len(live.words))
            if live.finished and run.state != "ended":
                self._end(found)
        return found

    def join(self, run_id: str) -> tuple[Viewer, dict[str, Any]]:
        """A new viewer and the whole state to begin with."""
        found = self.opened(run_id)
        viewer = Viewer()
        found.viewers.add(viewer)
        found.live.advance()
        state = found.live.state()
        frame = self._frame(found, state) | {"whole": True, "crew": _crew(found.live, 0), "words": []}
        return viewer, frame

    def leave(self, run_id: str, viewer: Viewer) -> None:
        """A viewer has gone."""
        if (found := self.open_runs.get(run_id)) is not None:
            found.viewers.discard(viewer)

    # ---- acting --------------------------------------------------------------------------------------------

    async def act(
        self, run_id: str, by: str, verb: str, args: Any, client_id: str | None, held: float = 0.0
    ) -> dict[str, Any]:
        """Carry an action out and acknowledge it once it is on disk. Sent twice, it happens once.

        A button is let go no sooner than it was `held` for in the hand (seconds), however late its press was heard of.
        """
        found = self.opened(run_id)
        if verb == "release" and isinstance(args, dict):
            await asyncio.sleep(min(HELD_AT_MOST, found.live.still_held(str(args.get("control")), held)))
        async with found.lock:
            if client_id is not None and client_id in found.client_ids:
                event = found.live.log[found.client_ids[client_id]]
                return {"number": found.client_ids[client_id], "t": event.tick / 100}
            found.live.advance()
            applied = found.live.act(by, verb, args)
            await self._store(found, {applied.number: client_id})
            if client_id is not None:
                found.client_ids[client_id] = applied.number
            self._show(found)
            if found.live.finished:
                self._end(found)
            return {"number": applied.number, "t": applied.event.tick / 100}

    async def open_item(self, run_id: str, item: str) -> None:
        """Turn the card to an item."""
        found = self.opened(run_id)
        if found.live.card.open(item):
            self._show(found)

    async def _store(self, found: _Open, client_ids: dict[int, str | None]) -> None:
        """Put what is new in the log on disk. Where that fails the run goes back to what is on disk."""
        first, new = found.stored, list(found.live.log[found.stored :])
        if not new:
            return
        found.stored += len(new)

        def job(session: Any) -> None:
            for number, event in enumerate(new, start=first):
                records.add_event(session, found.live.run_id, number, event, client_ids.get(number))

        try:
            await asyncio.wrap_future(self.database.submit(job))
        except Exception:
            log.exception("run %s: an action could not be stored", found.live.run_id)
            self._fall_back(found, first)
            raise

    def _fall_back(self, found: _Open, stored: int) -> None:
        events: list[LogEvent] = found.live.log[:stored]
        found.live = LiveRun(found.live.run_id, found.live.bundle, events, found.live.clock.now())
        found.stored = stored
        found.shown = {}

    # ---- ticking -------------------------------------------------------------------------------------------

    async def _tick_forever(self) -> None:
        while True:
            await asyncio.sleep(TICK_SECONDS)
            for found in list(self.open_runs.values()):
                if found.live.clock.running and not found.lock.locked():
                    await self._tick(found)

    async def _tick(self, found: _Open) -> None:
        try:
            if found.live.advance():
                await self._store(found, {})
            self._show(found)
            if found.live.finished:
                self._end(found)
            elif found.live.aircraft.tick - found.heartbeat > HEARTBEAT_TICKS:
                found.heartbeat = tick = found.live.clock.now()
                run_id = found.live.run_id
                self.database.submit(lambda session: records.note_tick(session, run_id, tick))
        except ModelError as error:
            log.exception("run %s stopped", found.live.run_id)
            found.live.clock.stop()
            for viewer in found.viewers:
                viewer.send({"type": "stopped", "says": str(error)})
        except Exception:
            log.exception("run %s: a tick failed", found.live.run_id)

    def _frame(self, found: _Open, quantities: dict[str, Discrete | None]) -> dict[str, Any]:
        live = found.live
        card = live.card
        return {
            "type": "state",
            "t": live.clock.now() / 100,
            "running": live.clock.running,
            "finished": live.finished,
            "rate": live.clock.rate,
            "rates": list(live.rates_allowed()),
            "quantities": quantities,
            "card": {
                "current": card.current.id if card.current else None,
                "answered": sorted(card.answered),
                "items": [item.id for item in card.items],
                "hints": card.hints,
                "ready": card.ready,
                "flow": card.flow,
            },
        }

    def _show(self, found: _Open) -> None:
        """Send every viewer what has changed."""
        if not found.viewers:
            return
        state = found.live.state()
        changed = {name: value for name, value in state.items() if found.shown.get(name, found) != value}
        found.shown = state
        words = [word.says for word in found.live.words[found.words_shown :]]
        new = {"whole": False, "crew": _crew(found.live, found.crew_shown), "words": words}
        frame = self._frame(found, changed) | new
        found.crew_shown, found.words_shown = len(found.live.aircraft.crew), len(found.live.words)
        for viewer in found.viewers:
            viewer.send(frame)

    # ---- ending --------------------------------------------------------------------------------------------

    def _end(self, found: _Open) -> None:
        """Judge the run beside the others and tell its viewers."""
        task = asyncio.get_running_loop().create_task(self.judge(found.live.run_id))
        self._ending.add(task)
        task.add_done_callback(self._ending.discard)

    async def judge(self, run_id: str) -> None:
        """Judge a finished run and close its record."""
        run = self.database.read(lambda session: records.find_run(session, run_id))
        if run.state != "ended":
            text = self.database.read(lambda session: records.log_of(session, run)).text()
            if self._workers is None:
                context = multiprocessing.get_context("spawn")
                self._workers = ProcessPoolExecutor(1, mp_context=context, initializer=step_back)
            try:
                loop = asyncio.get_running_loop()
                ledger, trace = await loop.run_in_executor(self._workers, judge, run.exercise.content, text)
            except LumenstatError as error:
                log.exception("run %s could not be judged", run_id)
                self._tell(run_id, {"type": "stopped", "says": str(error)})
                return
            done = self.database.submit(lambda session: records.end_run(session, run_id, ledger, trace))
            await asyncio.wrap_future(done)
        self._tell(run_id, {"type": "ended"})
        self.open_runs.pop(run_id, None)

    def _tell(self, run_id: str, frame: dict[str, Any]) -> None:
        found = self.open_runs.get(run_id)
        for viewer in found.viewers if found else ():
            viewer.send(frame)


def _crew(live: LiveRun, after: int) -> list[dict[str, Any]]:
    return [{"t": line.tick / 100, "by": line.by, "says": line.says} for line in live.aircraft.crew[after:]]
