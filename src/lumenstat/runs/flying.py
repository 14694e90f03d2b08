"""A process that flies a share of the live runs for the web process in front of it."""

from __future__ import annotations

import asyncio
import gc
import signal
import socket
import sys
import threading
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy.orm import Session, sessionmaker

from lumenstat import logs
from lumenstat.errors import LumenstatError, StorageError
from lumenstat.records.opening import read_only_engine
from lumenstat.records.trouble import in_words
from lumenstat.runs.hub import Hub, Shown
from lumenstat.runs.pipe import Pipe
from lumenstat.runs.seats import Seat
from lumenstat.runs.store import Kept, StoredRun, load
from lumenstat.runs.workers import leave_with_parent

T = TypeVar("T")
STATUS_SECONDS = 1.0
SWITCH_SECONDS = 0.001
"""How long another thread may keep the one that serves stations waiting."""
GARBAGE_AFTER = (20_000, 20, 100)
"""How seldom unused objects are looked for: a look at all that 200 runs hold stops them for a tenth of a second."""


def serve_without_pauses() -> None:
    """Set the process up so that nothing keeps live runs waiting for long; what is loaded by now stays."""
    sys.setswitchinterval(SWITCH_SECONDS)
    # Not collected before: loading leaves a thousand objects behind, and to find them takes longer than they cost.
    gc.freeze()
    gc.set_threshold(*GARBAGE_AFTER)
    gc.enable()


def serve_runs(connected: socket.socket, database: Path, shown: Shown) -> None:
    """Fly runs until the front closes its end, or ends."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it ends when its front does
    threading.Thread(target=leave_with_parent, daemon=True).start()
    logs.set_up(as_json=False)
    serve_without_pauses()
    asyncio.run(_serve(connected, database, shown))


async def _serve(connected: socket.socket, database: Path, shown: Shown) -> None:
    pipe = await Pipe.over(connected)
    flier = _RunHost(pipe, database, shown)
    await flier.hub.start()
    status = asyncio.create_task(flier.tell_status())
    async for message in pipe.messages():
        flier.take(message)
    status.cancel()
    await flier.hub.stop()
    await pipe.closed()


class _Looking:
    """Reads the database and changes nothing."""

    def __init__(self, path: Path) -> None:
        self.sessions = sessionmaker(read_only_engine(path), expire_on_commit=False)

    def read(self, job: Callable[[Session], T]) -> T:
        """Run a query."""
        with in_words(), self.sessions() as session:
            return job(session)


class _FrontStore:
    """Keeps runs through the front, which alone writes."""

    def __init__(self, pipe: Pipe, database: Path) -> None:
        self.pipe, self.looking = pipe, _Looking(database)
        self.asked: dict[int, asyncio.Future[None]] = {}
        self._number = 0

    async def load(self, run_id: str) -> StoredRun:
        """A run as it is kept."""
        return await asyncio.to_thread(load, self.looking, run_id)

    async def add(self, run_id: str, first: int, events: Kept) -> None:
        """Keep new events."""
        self._number += 1
        number = self._number
        # Answered by the server once it is on disk; an act is acknowledged only then.
        done = self.asked[number] = asyncio.get_running_loop().create_future()
        rows = [(e.tick, e.by, e.verb, dict(e.args), client) for e, client in events]
        self.pipe.send({"is": "keep", "n": number, "run": run_id, "first": first, "events": rows})
        try:
            await done
        finally:
            self.asked.pop(number, None)

    def note_ticks(self, ticks: Mapping[str, int]) -> None:
        """Remember how far time has come in some runs."""
        self.pipe.send({"is": "ticks", "ticks": ticks})

    def finished(self, run_id: str) -> None:
        """Have a run judged."""
        self.pipe.send({"is": "finished", "run": run_id})


class _Relay(Seat):
    """All viewers of a run behind the front who see the same: its trainee's station, or those who look on."""

    def __init__(self, pipe: Pipe, run_id: str, flies: bool) -> None:
        super().__init__(flies=flies)
        self.pipe, self.run_id = pipe, run_id
        self.joining: list[int] = []

    def begin(self, text: str) -> None:
        """The whole state, for those who join."""
        for number in self.joining:
            self.pipe.send({"is": "whole", "n": number, "run": self.run_id, "text": text})
        self.joining.clear()

    def send(self, text: str) -> None:
        """What has changed, for all."""
        self.pipe.send({"is": "frame", "run": self.run_id, "flies": self.flies, "text": text})


class _RunHost:
    """Does what the front asks for."""

    def __init__(self, pipe: Pipe, database: Path, shown: Shown) -> None:
        self.pipe = pipe
        self.store = _FrontStore(pipe, database)
        self.hub = Hub(self.store, shown)
        self.relays: dict[tuple[str, bool], _Relay] = {}
        self._tasks: set[asyncio.Task[None]] = set()

    def take(self, message: dict[str, Any]) -> None:
        """Begin what a message asks for."""
        run_id = message.get("run", "")
        match message["do"]:
            case "kept":
                done = self.store.asked.get(message["n"])
                # The run may have fallen back meanwhile, and nobody waits any more.
                if done is not None and not done.done():
                    if "error" in message:
                        done.set_exception(StorageError(message["says"]))
                    else:
                        done.set_result(None)
            case "leave":
                for relay in self._taken(run_id):
                    self.hub.leave(run_id, relay)
            case "drop":
                self._taken(run_id)
                self.hub.drop(run_id)
            case _:
                task = asyncio.get_running_loop().create_task(self._answer(message))
                # A task that nothing holds may be collected while it runs.
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)

    def _taken(self, run_id: str) -> list[_Relay]:
        """The relays of a run, which it has no more."""
        found = [self.relays.pop((run_id, flies), None) for flies in (True, False)]
        return [relay for relay in found if relay is not None]

    async def _answer(self, message: dict[str, Any]) -> None:
        answer: dict[str, Any] = {"is": "answer", "n": message["n"]}
        try:
            answer["result"] = await self._do(message)
        except Exception as error:
            name = type(error).__name__ if isinstance(error, LumenstatError) else "WorkerError"
            answer |= {"error": name, "says": str(error)}
        self.pipe.send(answer)

    async def _do(self, message: dict[str, Any]) -> Any:
        run_id = message.get("run", "")
        match message["do"]:
            case "tiles":
                return await self.hub.tiles(message["runs"])
            case "join":
                flies = bool(message["flies"])
                relay = self.relays.setdefault((run_id, flies), _Relay(self.pipe, run_id, flies))
                relay.joining.append(message["n"])
                await self.hub.join(run_id, relay)
            case "act":
                m = message
                return await self.hub.act(run_id, m["by"], m["verb"], m["args"], m["client"], m["held"])
            case "open":
                await self.hub.open_item(run_id, message["item"])
        return None

    async def tell_status(self) -> None:
        """Tell the front, now and then, how many runs are live and how late beats came."""
        told = 0
        while True:
            late = list(self.hub.lateness)[-(self.hub.beats - told) :] if self.hub.beats > told else []
            told = self.hub.beats
            self.pipe.send({"is": "status", "open": self.hub.open_count, "late": late})
            await asyncio.sleep(STATUS_SECONDS)
