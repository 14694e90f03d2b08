"""The demo school's last weeks: flown by the model with seeded slips, judged by the real judge, signed by instructors.

It is made in the background, once; a server that is stopped goes on where it was.
"""

from __future__ import annotations

import logging
import random
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.appraisal import Appraisal
from lumenstat.demo import DEMO_GROUPS
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import LumenstatError
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercises
from lumenstat.records.marks import mark, set_mark
from lumenstat.records.people import find_person, now
from lumenstat.records.runs import NewEvents, create_run, find_run, keep_events
from lumenstat.records.sealing import add_appraisal, sign
from lumenstat.rehearsal.slips import flight_with_slips
from lumenstat.runs.judging import JudgeDesk
from lumenstat.runs.workers import Progress, Worker

log = logging.getLogger("lumenstat.standins")

HISTORY = "demo-history"
SECONDS_FOR_ONE = 60.0
DAYS = (24, 21, 17, 14, 10, 7, 3)
"""How many days ago each lesson was; one group flies on each of them, in turn."""
TAUGHT = (
    "guided-power-up", "battery-and-apu", "frost-on-the-ramp", "apu-and-ground-power-away", "shutdown-to-dark",
    "frost-another-morning", "full-cold-start",
)  # fmt: skip
SIGNED_UP_TO = 5
"""Lessons that are older than this many days are signed."""
REMARKS = (
    "Reads well, answers too soon.", "Calm. Look at the meter before you call it.", "Order slips once the cart is in.",
    "Good flows. Hold the test until the lamp answers.", "Slow at the start, sure at the end.",
)  # fmt: skip


@dataclass(frozen=True)
class PastRun:
    """One run of the demo school's past: who flew what when, how many slips they made, by which seed."""

    trainee: str
    instructor: str
    exercise: str
    days_ago: int
    minute: int
    slips: int
    slowness: float
    seed: str
    practice: bool


def planned() -> list[PastRun]:
    """All runs of the past, oldest first; people get better, some faster than others."""
    rng = random.Random("hollin-bay")  # noqa: S311 - the same school each time
    ability = {trainee: rng.uniform(0.2, 1.0) for _, _, members in DEMO_GROUPS for trainee in members}
    found = []
    for number, days in enumerate(DAYS):
        for _, instructor, members in DEMO_GROUPS:
            exercise = TAUGHT[min(number, len(TAUGHT) - 1)]
            for place, trainee in enumerate(members):
                weeks = number / len(DAYS)
                # Fewer slips the better somebody is, and the more weeks have passed.
                slips = max(0, round(rng.gauss(3.2 - 1.8 * ability[trainee] - weeks, 0.9)))
                slowness = max(0.1, 1.4 - ability[trainee] - 0.4 * weeks)
                practice = rng.random() < 0.25
                seed = f"{trainee}-{exercise}-{days}"
                minute = 9 * 60 + 50 * (place % 3) + rng.randrange(12)
                made = (trainee, instructor, exercise, days, minute, slips, slowness, seed, practice)
                # Not everybody flies each time.
                if rng.random() < 0.62:
                    found.append(PastRun(*made))
    return found


def fly(progress: Progress, canonical_json: str, seed: str, slips: int, slowness: float) -> tuple[LogEvent, ...]:
    """A flight with slips, flown in a process of its own."""
    progress("flying", 0, 1)
    return flight_with_slips(Bundle.from_canonical_json(canonical_json), seed, slips, slowness)


class History:
    """Makes the past on a thread of its own, giving way to everything else."""

    def __init__(self, database: Database, judges: JudgeDesk) -> None:
        self.database, self.judges = database, judges
        self.worker = Worker("history")
        self._stopped = threading.Event()
        self._thread = threading.Thread(target=self._run, name="demo-history", daemon=True)

    def start(self) -> None:
        """Begin, or go on."""
        self._thread.start()

    def stop(self) -> None:
        """Break off; what is not made is made at the next start."""
        self._stopped.set()
        self.worker.close()

    def _run(self) -> None:
        runs = planned()
        found = self.database.read(lambda session: mark(session, HISTORY))
        contents = {v.exercise_id: v.content for v in self.database.read(current_exercises)}
        # Where the last start of the demo left off.
        for number, run in enumerate(runs[int(found[0]) if found else 0 :], start=int(found[0]) if found else 0):
            if self._stopped.is_set():
                return
            try:
                self._make(run, contents)
            except LumenstatError as error:
                log.warning("run %d of the demo school's past could not be made: %s", number, error)
                if self._stopped.is_set():
                    return
            done = str(number + 1)
            self.database.write(lambda session, done=done: set_mark(session, HISTORY, done))  # type: ignore[misc]

    def _make(self, run: PastRun, contents: dict[str, str]) -> None:
        content = contents[run.exercise]
        events = self.worker.call(fly, content, run.seed, run.slips, run.slowness, seconds=SECONDS_FOR_ONE)
        run_id = self.database.write(lambda session: _kept(session, run, events))
        self.judges.add(run_id)
        while self.judges.standing(run_id) is not None and not self._stopped.is_set():
            time.sleep(0.05)
        if not self._stopped.is_set():
            self.database.write(lambda session: _closed(session, run, run_id))


def _kept(session: Session, flown: PastRun, events: Sequence[LogEvent]) -> str:
    people = [find_person(session, name) for name in (flown.trainee, flown.instructor)]
    trainee, instructor = (person.id for person in people if person is not None)
    digest = next(v.digest for v in current_exercises(session) if v.exercise_id == flown.exercise)
    run = create_run(session, digest, trainee, instructor, ENGINE_VERSION)
    day = now().replace(hour=0, minute=0, second=0, microsecond=0) - timedelta(days=flown.days_ago)
    # Times of the past, though it is made now: the school has been there for weeks.
    run.created = day + timedelta(minutes=flown.minute)
    run.started = run.created + timedelta(seconds=40)
    run.finished = run.started + timedelta(seconds=events[-1].tick / 100)
    run.state, run.tick = "running", events[-1].tick
    run.mode = "practice" if flown.practice else "assessed"
    session.flush()
    keep_events(session, [NewEvents(run.id, 0, [(event, None) for event in events])])
    return run.id


def _closed(session: Session, flown: PastRun, run_id: str) -> None:
    """What an instructor did with a run afterwards: a word to some, a name under those that are some days old."""
    run = find_run(session, run_id)
    if run.ledger is None:
        return
    run.ended = run.finished
    rng = random.Random(f"word-{flown.seed}")  # noqa: S311
    # Practice is neither appraised nor signed.
    if flown.practice:
        return
    if rng.random() < 0.4:
        said = Appraisal(remark=rng.choice(REMARKS), grade=None, advice=None, drill=(), by=run.instructor.name, at="")
        add_appraisal(session, run_id, said)
        session.flush()
    if flown.days_ago > SIGNED_UP_TO:
        sign(session, run_id, run.instructor.name)
