"""Live runs in processes of their own, for more cores than one: the web process is their front.

The front holds the sockets and the database. Each host flies its share of the runs with a hub like that of a single
process, and talks to the front in JSON messages over a pair of sockets. A host that dies is replaced; its viewers come
back by themselves, and its runs are brought up from their logs.
"""

from __future__ import annotations

import asyncio
import logging
import socket
import zlib
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from lumenstat import errors
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import LumenstatError, WorkerError
from lumenstat.language.wording import as_json, from_json, phrase
from lumenstat.processes import FORKED
from lumenstat.runs.flying import serve_runs
from lumenstat.runs.hub import Shown
from lumenstat.runs.pipe import Pipe
from lumenstat.runs.seats import Seat, encoded, send_all
from lumenstat.runs.store import DatabaseStore

log = logging.getLogger("lumenstat.hosts")

ENDED = phrase("The process that flew this exercise ended; it comes back by itself.")
SECONDS_TO_BEGIN, SECONDS_TO_END, SECONDS_BETWEEN_TRIES = 60.0, 5.0, 2.0


@dataclass(eq=False)
class _HostProcess:
    """One process that flies runs, as the front sees it."""

    number: int
    process: Any = None
    pipe: Pipe | None = None
    reading: asyncio.Task[None] | None = None
    open_count: int = 0
    ready: asyncio.Event = field(default_factory=asyncio.Event)
    asked: dict[int, asyncio.Future[Any]] = field(default_factory=dict)
    joining: dict[int, Seat] = field(default_factory=dict)


class Hosts:
    """Answers like a hub, and has the work done by processes."""

    def __init__(self, store: DatabaseStore, shown: Shown, database: Path, count: int) -> None:
        self.store, self.shown, self.database = store, shown, database
        self.lateness: deque[float] = deque(maxlen=2000)
        self.replaced = 0
        self._hosts = [_HostProcess(number) for number in range(count)]
        self._seats: dict[str, set[Seat]] = {}
        self._number = 0
        self._stopping = False
        self._tasks: set[asyncio.Task[Any]] = set()

    async def start(self) -> None:
        """Start the processes."""
        await asyncio.gather(*(self._begin(host) for host in self._hosts))
        await asyncio.wait_for(asyncio.gather(*(host.ready.wait() for host in self._hosts)), SECONDS_TO_BEGIN)

    async def stop(self) -> None:
        """End the processes; everything that was acknowledged is on disk."""
        self._stopping = True
        for host in self._hosts:
            if host.pipe is not None:
                # A closed pipe is the word to end: the host stores what it has, and goes.
                host.pipe.close()
        for host in self._hosts:
            if host.reading is not None:
                await asyncio.wait([host.reading], timeout=SECONDS_TO_END)
            await asyncio.to_thread(host.process.join, SECONDS_TO_END)
            if host.process.is_alive():
                # It had its time; a start script that waits for the server must not wait for ever.
                host.process.kill()

    @property
    def open_count(self) -> int:
        """How many runs are live."""
        return sum(host.open_count for host in self._hosts)

    # ---- what a hub does -----------------------------------------------------------------------------------

    async def join(self, run_id: str, seat: Seat) -> None:
        """A new viewer, to whom the whole state is sent first."""
        host = self._host_of(run_id)
        number = self._next()
        host.joining[number] = seat
        self._seats.setdefault(run_id, set())
        try:
            await self._ask(host, number, {"do": "join", "run": run_id, "flies": seat.flies})
        except BaseException:
            # Whoever left while it was opened must not stay among the viewers.
            self.leave(run_id, seat)
            raise

    def leave(self, run_id: str, seat: Seat) -> None:
        """A viewer has gone."""
        seats = self._seats.get(run_id, set())
        seats.discard(seat)
        if not seats:
            self._seats.pop(run_id, None)
            self._send(self._host_of(run_id), {"do": "leave", "run": run_id})

    async def act(
        self, run_id: str, by: str, verb: str, args: Any, client_id: str | None, held: float = 0.0
    ) -> dict[str, Any]:
        """Carry an act out and acknowledge it once it is on disk. Sent twice, it happens once."""
        message = {"do": "act", "run": run_id, "by": by, "verb": verb, "args": args, "client": client_id, "held": held}
        done: dict[str, Any] = await self._ask(self._host_of(run_id), self._next(), message)
        return done

    async def tiles(self, run_ids: Sequence[str]) -> list[dict[str, Any]]:
        """How these runs stand at a glance, asked of the processes that fly them."""
        shares: dict[int, list[str]] = {}
        for run_id in run_ids:
            shares.setdefault(self._host_of(run_id).number, []).append(run_id)
        asked = [self._ask(self._hosts[n], self._next(), {"do": "tiles", "runs": ids}) for n, ids in shares.items()]
        return [tile for tiles in await asyncio.gather(*asked) for tile in tiles]

    def linked(self, run_id: str) -> bool:
        """Whether the trainee's station is there."""
        return any(seat.flies and seat.counts for seat in self._seats.get(run_id, ()))

    async def open_item(self, run_id: str, item: str) -> None:
        """Turn the card to an item."""
        await self._ask(self._host_of(run_id), self._next(), {"do": "open", "run": run_id, "item": item})

    def judged(self, run_id: str, says: str) -> None:
        """Tell the viewers of a run that it is judged, or why it could not be, and let it go."""
        frame = {"type": "stopped", "says": says} if says else {"type": "ended"}
        send_all(self._seats.pop(run_id, set()), encoded(frame))
        self._send(self._host_of(run_id), {"do": "drop", "run": run_id})

    # ---- processes and messages ----------------------------------------------------------------------------

    def _host_of(self, run_id: str) -> _HostProcess:
        return self._hosts[zlib.crc32(run_id.encode()) % len(self._hosts)]

    def _next(self) -> int:
        self._number += 1
        return self._number

    async def _begin(self, host: _HostProcess) -> None:
        ours, theirs = socket.socketpair()
        args = (theirs, self.database, self.shown)
        host.process = FORKED.Process(target=serve_runs, args=args, name=f"runs-{host.number}", daemon=True)
        await asyncio.to_thread(host.process.start)
        theirs.close()
        host.pipe = await Pipe.over(ours)
        host.reading = asyncio.get_running_loop().create_task(self._read(host, host.pipe))

    async def _read(self, host: _HostProcess, pipe: Pipe) -> None:
        """Take in what a host sends until it ends; then replace it."""
        async for message in pipe.messages():
            try:
                self._take(host, message)
            except Exception:
                log.exception("a message of host %d could not be used", host.number)
        await pipe.closed()
        # Until the next process is there, whoever asks is told so at once: what is sent to nobody is never answered.
        host.pipe = None
        if self._stopping:
            return
        log.error("the process that flies runs, number %d, has ended and is replaced", host.number)
        self.replaced += 1
        host.open_count = 0
        for asked in list(host.asked.values()):
            if not asked.done():
                asked.set_exception(WorkerError(ENDED))
        for run_id in [each for each in self._seats if self._host_of(each) is host]:
            for seat in self._seats.pop(run_id):
                seat.let_go()
        while not self._stopping:
            try:
                await self._begin(host)
                return
            except OSError:
                log.exception("host %d could not be started; it is tried again", host.number)
                await asyncio.sleep(SECONDS_BETWEEN_TRIES)

    def _send(self, host: _HostProcess, message: dict[str, Any]) -> None:
        if host.pipe is not None:
            host.pipe.send(message)

    async def _ask(self, host: _HostProcess, number: int, message: dict[str, Any]) -> Any:
        if host.pipe is None:
            host.joining.pop(number, None)
            raise WorkerError(ENDED)
        asked = host.asked[number] = asyncio.get_running_loop().create_future()
        self._send(host, {**message, "n": number})
        try:
            return await asked
        finally:
            host.asked.pop(number, None)
            host.joining.pop(number, None)

    def _take(self, host: _HostProcess, message: dict[str, Any]) -> None:
        match message["is"]:
            case "frame":
                seats = self._seats.get(message["run"], ())
                send_all([seat for seat in seats if seat.flies == message["flies"]], message["text"])
            case "whole":
                self._seat_down(host, message)
            case "answer":
                _settle(host.asked.get(message["n"]), message)
            case "keep":
                self._do(self._keep(host, message))
            case "ticks":
                self.store.note_ticks(message["ticks"])
            case "finished":
                self.store.finished(message["run"])
            case "status":
                host.open_count = message["open"]
                host.ready.set()
                self.lateness.extend(message["late"])

    def _seat_down(self, host: _HostProcess, message: dict[str, Any]) -> None:
        """The whole state has come for somebody who joins: from here on they get what changes."""
        seat = host.joining.get(message["n"])
        if seat is not None:
            seat.send(message["text"])
            self._seats.setdefault(message["run"], set()).add(seat)

    def _do(self, work: Any) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _keep(self, host: _HostProcess, message: dict[str, Any]) -> None:
        events: Sequence[tuple[LogEvent, str | None]] = [
            (LogEvent(tick, by, verb, args), client) for tick, by, verb, args, client in message["events"]
        ]
        answer: dict[str, Any] = {"do": "kept", "n": message["n"]}
        try:
            await self.store.add(message["run"], message["first"], events)
        except Exception as error:
            answer |= told(error)
        self._send(host, answer)


def told(error: BaseException) -> dict[str, str]:
    """An error as a message carries it."""
    return {"error": type(error).__name__, "says": as_json(str(error))}


def error_in(message: dict[str, Any]) -> LumenstatError | None:
    """The error that a message carries, if it does."""
    if "error" not in message:
        return None
    kind = getattr(errors, message["error"], None)
    if isinstance(kind, type) and issubclass(kind, LumenstatError) and kind is not errors.DocumentError:
        return kind(from_json(message["says"]))
    return WorkerError(f"{message['error']}: {from_json(message['says'])}")


def _settle(asked: asyncio.Future[Any] | None, message: dict[str, Any]) -> None:
    if asked is None or asked.done():
        return
    error = error_in(message)
    if error is not None:
        asked.set_exception(error)
    else:
        asked.set_result(message.get("result"))
