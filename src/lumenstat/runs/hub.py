"""All exercises in progress here: who looks at them, when they tick, and that every act is on disk before it counts."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import time
from collections import deque
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused, LumenstatError, ModelError
from lumenstat.language.wording import phrase
from lumenstat.runs.live import DrillMoment, LiveRun
from lumenstat.runs.seats import Seat, encoded, send_all
from lumenstat.runs.store import RunStore
from lumenstat.runs.tiles import tile_of
from lumenstat.runs.view import View, Views

BEAT_SECONDS = 0.1
SLICE_SECONDS = 0.004
"""After so long at a stretch others have their turn: whoever acts does not wait for a whole round of ticks."""
UNSEEN_BEATS = 10
"""A run that nobody looks at is brought up to date once in so many beats: it flies the same however often."""
HEARTBEAT_TICKS = 500
HELD_AT_MOST = 10.0
IDLE_SECONDS = 120.0
RETRY_SECONDS = 2.0
"""After what happened by itself could not be stored, so long until it is tried again."""
NAMES_AT_MOST = 48
FEW_EVENTS = 4
"""A log this short is flown in a few milliseconds."""

Shown = Callable[[Bundle, bool], Sequence[str]]
"""Names the quantities that stand on a run's page: on that of the trainee who flies it, or of somebody who looks on."""

log = logging.getLogger("lumenstat.hub")


@dataclass(eq=False)
class _Open:
    """A live run with its viewers and how much of its log is on disk."""

    live: LiveRun
    views: Views
    stored: int
    client_ids: dict[str, int]
    seats: set[Seat] = field(default_factory=set)
    heartbeat: int = 0
    looked_at: float = 0.0
    ticks_again: float = 0.0
    lock: asyncio.Lock = field(default_factory=asyncio.Lock)


class Hub:
    """The live runs of this process."""

    def __init__(self, store: RunStore, shown: Shown) -> None:
        self.store, self.shown = store, shown
        self.open_runs: dict[str, _Open] = {}
        self.lateness: deque[float] = deque(maxlen=2000)
        """By how many seconds the latest beats came late."""
        self._names: dict[str, tuple[Sequence[str], Sequence[str]]] = {}
        self._opening: dict[str, asyncio.Task[_Open]] = {}
        # After a restart a whole class comes back at once; one log is flown at a time, so that those already
        # there go on.
        self._one_opens = asyncio.Semaphore(1)
        self._tasks: set[asyncio.Task[Any]] = set()
        self._ticker: asyncio.Task[None] | None = None
        self.beats = 0

    async def start(self) -> None:
        """Begin to tick; runs that were being flown when the server stopped go on when they are looked at."""
        self._ticker = asyncio.create_task(self._tick_forever())

    async def stop(self) -> None:
        """Stop ticking; everything done so far is on disk, or will be once what is under way is done."""
        if self._ticker is not None:
            self._ticker.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._ticker
        if self._tasks:
            await asyncio.wait(self._tasks, timeout=10)

    @property
    def open_count(self) -> int:
        """How many runs are live here."""
        return len(self.open_runs)

    # ---- opening -------------------------------------------------------------------------------------------

    async def _opened(self, run_id: str) -> _Open:
        """The live run, brought up from its log if need be. Raises RecordError where there is none to fly."""
        if (found := self.open_runs.get(run_id)) is not None:
            return found
        task = self._opening.get(run_id)
        if task is None:
            task = self._opening[run_id] = self._begin(self._open(run_id))
            task.add_done_callback(lambda _: self._opening.pop(run_id, None))
        # Whoever asked first may go away; the others wait for the same flight.
        return await asyncio.shield(task)

    async def _open(self, run_id: str) -> _Open:
        async with self._one_opens:
            loaded = await self.store.load(run_id)
            if loaded.ended:
                raise ActionRefused(phrase("This exercise has ended."))
            events = [event for event, _ in loaded.events]
            live = await self._brought_up(run_id, loaded.bundle, events, loaded.tick, loaded.drill)
            views = Views(live, *await self._shown_of(loaded.digest, loaded.bundle))
        ids = {client: number for number, (_, client) in enumerate(loaded.events) if client}
        found = self.open_runs[run_id] = _Open(live, views, len(events), ids, looked_at=time.monotonic())
        if live.finished:
            # It ended while the server was down, and nobody has judged it yet.
            self.store.finished(run_id)
        return found

    @staticmethod
    async def _brought_up(
        run_id: str, bundle: Bundle, events: list[LogEvent], tick: int, drill: DrillMoment | None
    ) -> LiveRun:
        """A run flown to where it is; a long log on a thread, so that the others go on meanwhile."""
        if len(events) < FEW_EVENTS:
            return LiveRun(run_id, bundle, events, tick, drill)
        return await asyncio.to_thread(LiveRun, run_id, bundle, events, tick, drill)

    async def _shown_of(self, digest: str, bundle: Bundle) -> tuple[Sequence[str], Sequence[str]]:
        """What stands on the trainee's page of runs of these documents, and on an onlooker's, worked out once."""
        names = self._names.get(digest)
        if names is None:
            if len(self._names) >= NAMES_AT_MOST:
                self._names.clear()
            trainee, onlookers = [await asyncio.to_thread(self.shown, bundle, flies) for flies in (True, False)]
            names = self._names[digest] = (trainee, onlookers)
        return names

    def _begin(self, work: Coroutine[Any, Any, Any]) -> asyncio.Task[Any]:
        """Do something to its end, whoever asked for it goes away or not."""
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        return task

    async def join(self, run_id: str, seat: Seat) -> None:
        """A new viewer, to whom the whole state is sent first."""
        found = await self._opened(run_id)
        view = found.views.of(seat)
        # Those who are there already get what changed first, or the newcomer's whole state would swallow it.
        if (frame := view.changes()) is not None:
            send_all([each for each in found.seats if found.views.of(each) is view], encoded(frame))
        seat.begin(encoded(view.whole()))
        found.seats.add(seat)

    def leave(self, run_id: str, seat: Seat) -> None:
        """A viewer has gone."""
        if (found := self.open_runs.get(run_id)) is not None:
            found.seats.discard(seat)
            found.looked_at = time.monotonic()

    # ---- the desk ------------------------------------------------------------------------------------------

    async def tiles(self, run_ids: Sequence[str]) -> list[dict[str, Any]]:
        """How these runs stand at a glance, as far as they can be flown; those being flown are opened for it."""
        found = []
        for run_id in run_ids:
            with contextlib.suppress(LumenstatError):
                opened = await self._opened(run_id)
                opened.looked_at = time.monotonic()
                found.append(tile_of(opened.live).message())
        return found

    def linked(self, run_id: str) -> bool:
        """Whether the trainee's station is there."""
        found = self.open_runs.get(run_id)
        return found is not None and any(seat.flies and seat.counts for seat in found.seats)

    # ---- acting --------------------------------------------------------------------------------------------

    async def act(
        self, run_id: str, by: str, verb: str, args: Any, client_id: str | None, held: float = 0.0
    ) -> dict[str, Any]:
        """Carry an act out and acknowledge it once it is on disk. Sent twice, it happens once.

        What has begun is done to its end, also where whoever sent it goes away meanwhile. A button is let go no sooner
        than it was `held` for in the hand (seconds), however late its press was heard of.
        """
        found = await self._opened(run_id)
        if verb == "release" and isinstance(args, dict):
            # The network may bring press and release together; the aircraft sees the hold as the hand
            # made it.
            await asyncio.sleep(min(HELD_AT_MOST, found.live.still_held(str(args.get("control")), held)))
        done: dict[str, Any] = await asyncio.shield(self._begin(self._act(found, by, verb, args, client_id)))
        return done

    async def _act(self, found: _Open, by: str, verb: str, args: Any, client_id: str | None) -> dict[str, Any]:
        async with found.lock:
            # Sent again after a broken link: told what came of it the first time.
            if client_id is not None and client_id in found.client_ids:
                number = found.client_ids[client_id]
                return {"number": number, "t": found.live.log[number].tick / 100}
            # What happens by itself until now comes before the act in the log.
            await self._advance(found)
            applied = found.live.act(by, verb, args)
            await self._store(found, {applied.number: client_id})
            if client_id is not None:
                found.client_ids[client_id] = applied.number
            self._show(found)
            if by == "instructor":
                # It need not change anything that is shown, and the trainee is not told that it happened.
                send_all([seat for seat in found.seats if not seat.flies], encoded({"type": "logged"}))
            if found.live.finished:
                self.store.finished(found.live.run_id)
            return {"number": applied.number, "t": applied.event.tick / 100}

    async def _advance(self, found: _Open) -> None:
        """Bring a run up to its clock and keep what happens by itself on the way."""
        if found.live.advance():
            await self._store(found, {})
            if found.live.finished:
                self._show(found)
                self.store.finished(found.live.run_id)

    async def open_item(self, run_id: str, item: str) -> None:
        """Turn the card to an item."""
        found = await self._opened(run_id)
        if found.live.open_item(item):
            self._show(found)

    async def _store(self, found: _Open, client_ids: dict[int, str | None]) -> None:
        """Put what is new in the log on disk. Where that fails the run goes back to what is on disk."""
        first = found.stored
        new = [(event, client_ids.get(n)) for n, event in enumerate(found.live.log[first:], start=first)]
        if not new:
            return
        # Counted before it is waited for: an act that comes meanwhile begins behind it.
        found.stored += len(new)
        try:
            await self.store.add(found.live.run_id, first, new)
        except Exception:
            log.exception("run %s: an act could not be stored", found.live.run_id)
            await self._fall_back(found, first)
            raise

    async def _fall_back(self, found: _Open, stored: int) -> None:
        live = found.live
        live.clock.stop()
        found.live = await self._brought_up(live.run_id, live.bundle, live.log[:stored], live.clock.now(), live.drill)
        found.views, found.stored = found.views.anew(found.live), stored
        found.ticks_again = time.monotonic() + RETRY_SECONDS
        found.views.send(found.seats, _all_of_it)

    # ---- ticking -------------------------------------------------------------------------------------------

    async def _tick_forever(self) -> None:
        """A beat that does not drift: one that was missed is left out, and the next comes at its time."""
        loop = asyncio.get_running_loop()
        due = loop.time()
        while True:
            due += BEAT_SECONDS
            await asyncio.sleep(max(0.0, due - loop.time()))
            late = loop.time() - due
            self.lateness.append(late)
            # Beats that were missed are not made up for, or one hiccup would bring the next.
            if late > BEAT_SECONDS:
                due = loop.time()
            self.beats += 1
            try:
                await self._tick_all(loop)
            except Exception:
                log.exception("a beat failed")

    async def _tick_all(self, loop: asyncio.AbstractEventLoop) -> None:
        begun = loop.time()
        ticks: dict[str, int] = {}
        for run_id, found in list(self.open_runs.items()):
            # An act under way brings the run up itself.
            if found.live.clock.running and not found.lock.locked():
                self._tick(found, ticks)
            elif not found.seats and time.monotonic() - found.looked_at > IDLE_SECONDS and not found.live.log:
                self.open_runs.pop(run_id, None)
            # One slice at a time: acts and frames of others come in between.
            if loop.time() - begun > SLICE_SECONDS:
                await asyncio.sleep(0)
                begun = loop.time()
        if ticks:
            self.store.note_ticks(ticks)

    def _tick(self, found: _Open, ticks: dict[str, int]) -> None:
        live = found.live
        try:
            # Spread over the beats by where they lie in memory, so that not all of them are due in one.
            if not found.seats and (self.beats + id(found) // 64) % UNSEEN_BEATS:
                return
            if found.ticks_again > time.monotonic():
                return
            now = live.clock.now()
            if now < found.views.quiet_until(found.seats) and now < live.last_tick:
                found.views.send(found.seats, View.passing)
            elif live.advance():
                self._begin(self._store_tick(found))
            else:
                self._show(found)
            if now - found.heartbeat > HEARTBEAT_TICKS:
                found.heartbeat = ticks[live.run_id] = now
        except ModelError as error:
            log.exception("run %s stopped", live.run_id)
            # The model itself has failed: flying on would only fail again.
            live.clock.stop()
            send_all(found.seats, encoded({"type": "stopped", "says": str(error)}))
        except Exception:
            log.exception("run %s: a tick failed", live.run_id)

    async def _store_tick(self, found: _Open) -> None:
        """Keep what happened by itself, then show it."""
        async with found.lock:
            with contextlib.suppress(Exception):  # told already; the run is back where it was, and it happens again
                await self._store(found, {})
                if found.live.finished:
                    self.store.finished(found.live.run_id)
            self._show(found)

    def _show(self, found: _Open) -> None:
        """Send every viewer what has changed."""
        found.views.send(found.seats, View.changes)

    # ---- ending --------------------------------------------------------------------------------------------

    def judged(self, run_id: str, says: str) -> None:
        """Tell the viewers of a run that it is judged, or why it could not be, and let it go."""
        frame = {"type": "stopped", "says": says} if says else {"type": "ended"}
        if (found := self.open_runs.get(run_id)) is not None:
            send_all(found.seats, encoded(frame))
        self.drop(run_id)

    def drop(self, run_id: str) -> None:
        """Let a run go."""
        self.open_runs.pop(run_id, None)


def _all_of_it(view: View) -> dict[str, Any]:
    """Everything, as it stands now."""
    view.changes()
    return view.whole()
