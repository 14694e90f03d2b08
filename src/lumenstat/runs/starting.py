"""Starts an exercise for many: draws neighbours' starts in another process, says how far it is, and knows the pace.

The pace of an exercise is when the model has done each item of it; the desk holds runs against it.
"""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError
from lumenstat.language.wording import phrase
from lumenstat.records.database import Database
from lumenstat.records.lessons import LessonStation, start_lesson
from lumenstat.rehearsal.neighbours import Neighbour, Range, neighbour
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.runs.tiles import Pace
from lumenstat.runs.workers import Progress, Worker

SECONDS_FOR_ONE = 60.0
PACES_KEPT, STARTS_KEPT = 48, 100


@dataclass(frozen=True)
class LessonPlan:
    """What is to be started, for whom, by whom, and whether at a word."""

    bundle: Bundle
    title: str
    trainees: tuple[int, ...]
    instructor_id: int
    together: bool
    range: Range
    group_id: int | None = None


@dataclass
class Starting:
    """A lesson being made ready: how many starts are drawn of how many; then its id, or why it failed."""

    of: int
    done: int = 0
    lesson_id: str | None = None
    failed: str | None = None
    over: threading.Event = field(default_factory=threading.Event)


def draw(
    progress: Progress, canonical_json: str, wanted: Range, seed: str, number: int, taken: frozenset[str]
) -> Neighbour:
    """A neighbour's start unlike those `taken` (digests), drawn and flown in a process of its own."""
    progress(phrase("flying a start"), 0, 1)
    return neighbour(Bundle.from_canonical_json(canonical_json), wanted, seed, number, taken)


def pace_of(progress: Progress, canonical_json: str) -> Pace:
    """When the model begins and has done each item, in seconds."""
    progress(phrase("flying it once"), 0, 1)
    flight = rehearse(Bundle.from_canonical_json(canonical_json))
    starts = {act.item: act.starts / 100 for act in flight.acts}
    ends = {act.item: act.ends / 100 for act in flight.acts}
    return Pace(starts, ends, flight.events[-1].tick / 100 if flight.events else 0.0)


class StartingDesk:
    """Makes lessons ready, one draw after another, and keeps the paces of exercises."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.worker = Worker("starter", waiting_at_most=64)
        self.starts: OrderedDict[str, Starting] = OrderedDict()
        self._paces: OrderedDict[str, Pace | None] = OrderedDict()
        self._flying: set[str] = set()
        self._lock = threading.Lock()

    def start(self, plan: LessonPlan) -> tuple[str, Starting]:
        """Begin to make a lesson ready; one in which all start alike is ready at once."""
        key, starting = secrets.token_hex(6), Starting(len(plan.trainees))
        self.starts[key] = starting
        # Flown beforehand, so that the desk knows from the first second how far behind somebody is.
        self.pace(plan.bundle.digest, lambda: plan.bundle.canonical_json)
        while len(self.starts) > STARTS_KEPT:
            self.starts.popitem(last=False)
        if plan.range:
            threading.Thread(target=self._work, args=(plan, starting), daemon=True, name="starting").start()
        else:
            starting.lesson_id = self._write(plan, [LessonStation(each) for each in plan.trainees])
            starting.over.set()
        return key, starting

    def _work(self, plan: LessonPlan, starting: Starting) -> None:
        seed = secrets.token_hex(8)
        places: list[LessonStation] = []
        try:
            for number, trainee in enumerate(plan.trainees):
                content = plan.bundle.canonical_json
                # No two neighbours get the same start.
                taken = frozenset(place.bundle.digest for place in places if place.bundle)
                drawn: Neighbour = self.worker.call(
                    draw, content, plan.range, seed, number, taken, seconds=SECONDS_FOR_ONE
                )
                places.append(LessonStation(trainee, drawn.bundle, drawn.says))
                starting.done = number + 1
            starting.lesson_id = self._write(plan, places)
        except LumenstatError as error:
            starting.failed = str(error)
        finally:
            starting.over.set()

    def _write(self, plan: LessonPlan, places: list[LessonStation]) -> str:
        exercise = plan.bundle.exercise
        return self.database.write(
            lambda session: start_lesson(
                session,
                plan.bundle.digest,
                plan.title,
                exercise.id,
                plan.instructor_id,
                places,
                plan.together,
                ENGINE_VERSION,
                plan.group_id,
            )
        )

    def pace(self, digest: str, content: Callable[[], str]) -> Pace | None:
        """The pace of an exercise, once it is known; the first who asks has it flown."""
        with self._lock:
            if digest in self._paces or digest in self._flying:
                return self._paces.get(digest)
            self._flying.add(digest)
        threading.Thread(target=self._fly, args=(digest, content), daemon=True, name="pace").start()
        return None

    def _fly(self, digest: str, content: Callable[[], str]) -> None:
        pace: Pace | None = None
        try:
            pace = self.worker.call(pace_of, content(), seconds=SECONDS_FOR_ONE)
        except LumenstatError:
            pace = None  # the desk does without it
        finally:
            with self._lock:
                self._flying.discard(digest)
                self._paces[digest] = pace
                while len(self._paces) > PACES_KEPT:
                    self._paces.popitem(last=False)

    def stop(self) -> None:
        """Break off what is under way."""
        self.worker.close()
