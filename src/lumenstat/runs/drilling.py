"""Makes drills ready: the model flies to each moment in a process of its own, and says how far it is."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError, ModelError, WorkerError
from lumenstat.language.wording import phrase
from lumenstat.records.acting import acting_as
from lumenstat.records.database import Database
from lumenstat.records.drills import Ready, keep_drill
from lumenstat.records.exercises import keep_version
from lumenstat.rehearsal.approach import Approach, approach
from lumenstat.runs.workers import Progress, Worker

SECONDS_FOR_ONE = 60.0
KEPT = 50
MOMENTS_AT_MOST = 5


@dataclass(frozen=True)
class DrillPlan:
    """For whom, on whose word, and which items of which exercises."""

    person_id: int
    instructor_id: int
    by: str
    moments: tuple[tuple[Bundle, str], ...]


@dataclass
class Drilling:
    """A drill being made: how many moments are ready of how many; then its id, or why it failed."""

    person_id: int
    of: int
    done: int = 0
    left_out: list[str] = field(default_factory=list)
    drill_id: str | None = None
    failed: str | None = None
    over: threading.Event = field(default_factory=threading.Event)


def fly_to(progress: Progress, canonical_json: str, item: str) -> Approach:
    """Fly to just before an item, in a process of its own."""
    progress(phrase("flying to the moment"), 0, 1)
    return approach(Bundle.from_canonical_json(canonical_json), item)


class DrillDesk:
    """Makes drills, one moment after another."""

    def __init__(self, database: Database, worker: Worker) -> None:
        self.database, self.worker = database, worker
        self.drillings: OrderedDict[str, Drilling] = OrderedDict()

    def start(self, plan: DrillPlan) -> str:
        """Begin to make a drill; gives the key under which it is known meanwhile."""
        key = secrets.token_hex(6)
        drilling = self.drillings[key] = Drilling(plan.person_id, len(plan.moments))
        while len(self.drillings) > KEPT:
            self.drillings.popitem(last=False)
        threading.Thread(target=self._work, args=(plan, drilling), daemon=True, name="drilling").start()
        return key

    def left_out_of(self, drill_id: str) -> tuple[str, ...]:
        """Which items the model did not come to when a drill was made; known while the making is remembered."""
        made = (each for each in self.drillings.values() if each.drill_id == drill_id)
        return tuple(next((each.left_out for each in made), ()))

    def _work(self, plan: DrillPlan, drilling: Drilling) -> None:
        try:
            ready = self._flown(plan, drilling)
            if not ready:
                raise ModelError(phrase("The model comes to none of these items, so there is no moment to fly."))
            with acting_as(plan.by):
                drilling.drill_id = self.database.write(lambda session: _kept(session, plan, ready))
        except LumenstatError as error:
            drilling.failed = str(error)
        finally:
            drilling.over.set()

    def _flown(self, plan: DrillPlan, drilling: Drilling) -> list[Approach]:
        ready = []
        for bundle, item in plan.moments:
            try:
                ready.append(self.worker.call(fly_to, bundle.canonical_json, item, seconds=SECONDS_FOR_ONE))
            # A worker that was ended, or took too long, says nothing about this item: the whole drill is to be tried
            # again.
            except WorkerError:
                raise
            except ModelError as error:
                drilling.left_out.append(str(error))
            drilling.done += 1
        return ready


def _kept(session: Session, plan: DrillPlan, ready: Sequence[Approach]) -> str:
    for each in ready:
        keep_version(session, each.bundle)
        session.flush()
    moments = [Ready(each.bundle.digest, each.item, each.events, each.tick) for each in ready]
    return keep_drill(session, plan.person_id, plan.instructor_id, plan.by, moments, ENGINE_VERSION)
