"""The demo's class in the air: six stand-ins who fly at their stations as trainees do, each in their own way.

They act through the same hub as everybody: frozen, they wait; asked for, they raise a hand; one of them loses the link.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import random
import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.demo import DEMO_GROUPS
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import LumenstatError
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import find_group
from lumenstat.records.lessons import LessonStation, start_lesson, station_rows, void_run
from lumenstat.records.marks import mark, set_mark
from lumenstat.records.people import find_person, now
from lumenstat.records.runs import NewEvents, add_events, note_ticks
from lumenstat.records.tables import SignIn
from lumenstat.rehearsal.neighbours import Neighbour, Range
from lumenstat.runs.seats import Seat
from lumenstat.runs.starting import SECONDS_FOR_ONE, draw
from lumenstat.runs.workers import Worker
from lumenstat.standins.history import fly

log = logging.getLogger("lumenstat.standins")

LESSON = "demo-lesson"
EXERCISE = "full-cold-start"
RANGE = Range(charge=(0.62, 0.9), celsius=(-8.0, 14.0))
LOOK_SECONDS = 0.25
REST_SECONDS = 60.0
SOMEBODY_HERE = timedelta(minutes=10)
"""A class takes off anew only while somebody looks at the demo."""


@dataclass(frozen=True)
class Manner:
    """How somebody flies: slips, slowness, how far they are when the demo opens, and what happens to them when (s)."""

    slips: int
    slowness: float
    flown: float
    hand_at: float | None = None
    stuck_at: float | None = None
    lost_at: float | None = None


MANNERS = (
    Manner(1, 0.5, 210),
    Manner(3, 0.9, 150, hand_at=175),
    Manner(0, 0.2, 260),
    Manner(4, 1.1, 120, stuck_at=150),
    Manner(2, 0.7, 185, lost_at=230),
    Manner(2, 1.3, 95),
)
STUCK_SECONDS, LOST_SECONDS = 240.0, 90.0


@dataclass
class Pilot:
    """One stand-in at a station: what is left to be done, and the seat that they sit in."""

    run_id: str
    manner: Manner
    events: list[LogEvent]
    seat: Seat = field(default_factory=lambda: Seat(flies=True))
    hand: bool = False


class DemoClass:
    """Keeps a class in the air while somebody looks at the demo."""

    def __init__(self, database: Database, hub: Any) -> None:
        self.database, self.hub = database, hub
        self.worker = Worker("stand-ins")
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        """Begin."""
        self._task = asyncio.get_running_loop().create_task(self._forever())

    async def stop(self) -> None:
        """End; the class is taken out of what counts when the demo is opened again."""
        self.worker.close()
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    async def _forever(self) -> None:
        await asyncio.to_thread(self._clear_away)
        first = True
        while True:
            # Without anybody who looks there is no need to fly.
            if first or await asyncio.to_thread(self.database.read, _somebody_here):
                first = False
                try:
                    await self._fly(await asyncio.to_thread(self._take_off))
                except LumenstatError as error:
                    log.warning("the demo's class did not take off: %s", error)
            await asyncio.sleep(REST_SECONDS)

    # ---- a lesson ------------------------------------------------------------------------------------------

    def _clear_away(self) -> None:
        """What was in the air when the demo was stopped counts no more."""
        found = self.database.read(lambda session: mark(session, LESSON))
        if found is None:
            return

        def write(session: Session) -> None:
            for row in station_rows(session, found[0]):
                if row.finished is None:
                    void_run(session, row.run_id, "Lumenstat", "The demo was stopped while this class was in the air.")

        self.database.write(write)

    def _take_off(self) -> list[Pilot]:
        """Start a lesson and fly each station to where it is when the demo opens."""
        name, instructor, members = DEMO_GROUPS[0]
        base = self.database.read(lambda session: current_exercise(session, EXERCISE))
        seed = secrets.token_hex(4)
        drawn: list[Neighbour] = []
        for n in range(len(members)):
            taken = frozenset(each.bundle.digest for each in drawn)
            drawn.append(self.worker.call(draw, base.content, RANGE, seed, n, taken, seconds=SECONDS_FOR_ONE))
        bundles: list[Bundle] = [each.bundle for each in drawn]

        def write(session: Session) -> str:
            people = {each: find_person(session, each) for each in (instructor, *members)}
            numbers = {each: person.id for each, person in people.items() if person is not None}
            group = find_group(session, name)
            places = [LessonStation(numbers[m], d.bundle, d.says) for m, d in zip(members, drawn, strict=True)]
            title, charge = f"{base.title}, {name}", numbers[instructor]
            made = start_lesson(
                session,
                base.digest,
                title,
                EXERCISE,
                charge,
                places,
                False,
                ENGINE_VERSION,
                group.id if group else None,
            )
            set_mark(session, LESSON, made)
            return made

        lesson = self.database.write(write)
        rows = self.database.read(lambda session: station_rows(session, lesson))
        return [
            self._begun(row.run_id, bundle, manner, f"{seed}-{row.station}")
            for row, bundle, manner in zip(rows, bundles, MANNERS, strict=True)
        ]

    def _begun(self, run_id: str, bundle: Bundle, manner: Manner, seed: str) -> Pilot:
        events = self.worker.call(
            fly, bundle.canonical_json, seed, manner.slips, manner.slowness, seconds=SECONDS_FOR_ONE
        )
        before = [event for event in events if event.tick <= 100 * manner.flown]
        tick = round(100 * manner.flown)

        def write(session: Session) -> None:
            add_events(session, [NewEvents(run_id, 0, [(event, None) for event in before])])
            note_ticks(session, {run_id: tick})

        self.database.write(write)
        return Pilot(run_id, manner, list(events[len(before) :]))

    # ---- flying --------------------------------------------------------------------------------------------

    async def _fly(self, pilots: Sequence[Pilot]) -> None:
        """Everybody flies until the last of them is done."""
        await asyncio.gather(*(self._one(pilot) for pilot in pilots))

    async def _one(self, pilot: Pilot) -> None:
        await asyncio.sleep(random.random())  # noqa: S311 - they do not all look at once
        with contextlib.suppress(LumenstatError):
            await self.hub.join(pilot.run_id, pilot.seat)
        try:
            while pilot.events:
                if not await self._moment(pilot):
                    return
                await asyncio.sleep(LOOK_SECONDS)
        finally:
            self.hub.leave(pilot.run_id, pilot.seat)

    async def _moment(self, pilot: Pilot) -> bool:
        """Do what is due now; whether the exercise still goes on."""
        while not pilot.seat.queue.empty():
            pilot.seat.queue.get_nowait()
        tiles = await self.hub.tiles([pilot.run_id])
        if not tiles or tiles[0]["finished"]:
            return False
        t, manner = float(tiles[0]["t"]), pilot.manner
        if tiles[0]["frozen"]:
            return True
        await self._link(pilot, t)
        if manner.stuck_at is not None and manner.stuck_at <= t < manner.stuck_at + STUCK_SECONDS:
            return True
        if manner.hand_at is not None and t >= manner.hand_at and not pilot.hand:
            pilot.hand = True
            await self._act(pilot, LogEvent(0, "trainee", "hand", {"up": True}))
        late = 0.0 if manner.stuck_at is None or t < manner.stuck_at else STUCK_SECONDS
        while pilot.events and pilot.events[0].tick / 100 + late <= t:
            if not await self._act(pilot, pilot.events.pop(0)):
                break
        return True

    async def _link(self, pilot: Pilot, t: float) -> None:
        """Lose the link at the time for it, and come back."""
        lost_at = pilot.manner.lost_at
        lost = lost_at is not None and lost_at <= t < lost_at + LOST_SECONDS
        if lost and self.hub.linked(pilot.run_id):
            self.hub.leave(pilot.run_id, pilot.seat)
        elif not lost and not self.hub.linked(pilot.run_id):
            pilot.seat = Seat(flies=True)
            with contextlib.suppress(LumenstatError):
                await self.hub.join(pilot.run_id, pilot.seat)

    async def _act(self, pilot: Pilot, event: LogEvent) -> bool:
        try:
            await self.hub.act(pilot.run_id, "trainee", event.verb, dict(event.args), secrets.token_hex(8))
        except LumenstatError as error:
            log.debug("stand-in at %s: %s", pilot.run_id, error)
            return False
        return True


def _somebody_here(session: Session) -> bool:
    query = select(func.count()).select_from(SignIn).where(SignIn.seen > now() - SOMEBODY_HERE)
    return bool(session.scalar(query))
