"""Where live runs are kept: read when they are opened, written before an act counts."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol, TypeVar

from sqlalchemy.orm import Session

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.records import runs as records
from lumenstat.records.database import Database
from lumenstat.records.exercises import bundle_of
from lumenstat.records.runs import NewEvents
from lumenstat.runs.judging import JudgeDesk
from lumenstat.runs.live import DrillMoment

T = TypeVar("T")

Kept = Sequence[tuple[LogEvent, str | None]]
"""Events with the client's own number for each."""


@dataclass(frozen=True)
class StoredRun:
    """A run as it is kept: its documents, its log, how far its time had come, whether it is judged, and of a drill
    the moment that it is about."""

    bundle: Bundle
    digest: str
    events: Kept
    tick: int
    ended: bool
    drill: DrillMoment | None = None


class RunStore(Protocol):
    """What live runs need of whatever keeps them."""

    async def load(self, run_id: str) -> StoredRun:
        """A run as it is kept. Raises RecordError where there is none, StorageError where it cannot be read."""

    async def add(self, run_id: str, first: int, events: Kept) -> None:
        """Keep new events, numbered from `first` on; they are on disk when this is done."""

    def note_ticks(self, ticks: Mapping[str, int]) -> None:
        """Remember how far time has come in some runs; nobody waits for it."""

    def finished(self, run_id: str) -> None:
        """A run has come to its end and is to be judged."""


class DatabaseStore:
    """Keeps runs in the database of this process. Events that come while others are being kept go together."""

    def __init__(self, database: Database, judges: JudgeDesk) -> None:
        self.database, self.judges = database, judges
        self._waiting: list[tuple[NewEvents, asyncio.Future[None]]] = []
        self._keeping: asyncio.Task[None] | None = None

    async def load(self, run_id: str) -> StoredRun:
        """A run as it is kept, read without holding up the others."""
        return await asyncio.to_thread(load, self.database, run_id)

    async def add(self, run_id: str, first: int, events: Kept) -> None:
        """Keep new events."""
        loop = asyncio.get_running_loop()
        done: asyncio.Future[None] = loop.create_future()
        self._waiting.append((NewEvents(run_id, first, events), done))
        if self._keeping is None or self._keeping.done():
            self._keeping = loop.create_task(self._keep())
        await done

    async def _keep(self) -> None:
        while self._waiting:
            group, self._waiting = self._waiting, []
            try:
                await self._write([new for new, _ in group])
            except Exception as error:
                if len(group) == 1:
                    _tell(group[0][1], error)
                else:
                    # One of them spoils the group; apart, only that one is refused.
                    await self._keep_apart(group)
            else:
                for _, done in group:
                    _tell(done, None)

    async def _keep_apart(self, group: Sequence[tuple[NewEvents, asyncio.Future[None]]]) -> None:
        """One of them cannot be kept: each by itself, so that it spoils no other."""
        for new, done in group:
            try:
                await self._write([new])
            except Exception as error:
                _tell(done, error)
            else:
                _tell(done, None)

    async def _write(self, new: Sequence[NewEvents]) -> None:
        await asyncio.wrap_future(self.database.submit(lambda session: records.add_events(session, new)))

    def note_ticks(self, ticks: Mapping[str, int]) -> None:
        """Remember how far time has come in some runs."""
        self.database.submit(lambda session: records.note_ticks(session, ticks))

    def finished(self, run_id: str) -> None:
        """Have a run judged."""
        self.judges.add(run_id)


def _tell(done: asyncio.Future[None], error: Exception | None) -> None:
    """Tell whoever waits, if they still do."""
    if done.done():
        return
    if error is None:
        done.set_result(None)
    else:
        done.set_exception(error)


class AsksDatabase(Protocol):
    """Whatever can be asked for what is kept."""

    def read(self, job: Callable[[Session], T]) -> T:
        """Run a query."""


def load(database: AsksDatabase, run_id: str) -> StoredRun:
    """A run as it is kept, with its documents."""
    run = database.read(lambda session: records.facts_of(session, run_id))
    events = database.read(lambda session: records.events_of(session, run_id))
    bundle = database.read(lambda session: bundle_of(session, run.digest))
    drill = DrillMoment(run.drill_item, run.origin_tick or 0) if run.drill_item is not None else None
    return StoredRun(bundle, run.digest, events, run.tick, run.state == "ended", drill)
