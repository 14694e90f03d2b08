"""What a server does all day: frames, acts, runs opened and resumed, a log of random moves judged."""

from __future__ import annotations

import asyncio
import random
import statistics
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from soak.school import make_school

from bench.starts import Start25
from bench.timing import seconds_of
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.runs.clock import Clock
from lumenstat.runs.hub import Hub
from lumenstat.runs.judging import JudgeDesk
from lumenstat.runs.live import LiveRun
from lumenstat.runs.seats import encoded
from lumenstat.runs.store import DatabaseStore
from lumenstat.runs.view import View
from lumenstat.web.pages.station import shown_quantities

Row = tuple[str, float, str]

RANDOM_MOVES = 400
ACTS = 300


def measure(full: Start25) -> list[Row]:
    """Frames and acts of a full start, opening and resuming it, and 400 random moves judged."""
    bundle, events = full.bundle, list(full.events)
    frames, acts = _flown(bundle, events)
    opened = seconds_of(lambda: LiveRun("bench", bundle))
    resumed = seconds_of(lambda: LiveRun("bench", bundle, events, events[-1].tick))
    moves = random_moves(bundle, RANDOM_MOVES)
    log = RunLog(bundle.exercise.id, bundle.digest, "bench", tuple(moves))
    return [
        ("frame", 1000 * frames, "ms, a run looked at ten times a second"),
        ("act", 1000 * acts, "ms, shown but not stored"),
        ("act_stored", 1000 * _stored(), "ms, stored and acknowledged, one after another"),
        ("open_run", 1000 * opened, "ms"),
        (f"resume_{len(events)}_events", 1000 * resumed, "ms"),
        ("judge_400_random_moves", seconds_of(lambda: score(bundle, log), 3), "s, with its flights"),
    ]


class _Wall:
    seconds = 0.0

    def __call__(self) -> float:
        return self.seconds


def _flown(bundle: Bundle, events: list[LogEvent]) -> tuple[float, float]:
    """Seconds of a frame and of an act, over a whole flight watched ten times a second; medians of five flights."""
    names = shown_quantities(bundle)
    flights = [_watched(bundle, events, names) for _ in range(6)][1:]
    return statistics.median(frame for frame, _ in flights), statistics.median(act for _, act in flights)


def _watched(bundle: Bundle, events: list[LogEvent], names: Sequence[str]) -> tuple[float, float]:
    wall = _Wall()
    live = LiveRun("bench", bundle)
    live.clock = Clock(wall=wall)
    view = View(live, names)
    view.changes()
    frames, frame_seconds, act_seconds = 0, 0.0, 0.0
    for event in events:
        while wall.seconds < event.tick / 100 - 0.1:
            wall.seconds += 0.1
            frames += 1
            begun = time.perf_counter()
            if live.clock.now() < view.quiet_until:
                frame = view.passing()
            else:
                live.advance()
                frame = view.changes()
            if frame is not None:
                encoded(frame)
            frame_seconds += time.perf_counter() - begun
        wall.seconds = max(wall.seconds, event.tick / 100)
        begun = time.perf_counter()
        live.advance()
        live.act("trainee", event.verb, dict(event.args))
        if (frame := view.changes()) is not None:
            encoded(frame)
        act_seconds += time.perf_counter() - begun
    return frame_seconds / frames, act_seconds / len(events)


def _stored() -> float:
    """Seconds of an act through the hub and the database, its acknowledgement waited for."""
    with tempfile.TemporaryDirectory() as folder:
        from lumenstat.records.database import Database  # noqa: PLC0415

        path = Path(folder) / "bench.sqlite"
        stations, _ = make_school(path, 1)
        database = Database(path)
        hub = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities)

        async def act() -> Any:
            loop = asyncio.get_running_loop()
            begun = loop.time()
            for number in range(ACTS):
                to = {"control": "wipers", "to": "SLOW" if number % 2 else "OFF"}
                await hub.act(stations[0].run_id, "trainee", "set", to, f"b-{number}")
            return (loop.time() - begun) / ACTS

        seconds = asyncio.run(act())
        database.close()
        return float(seconds)


def random_moves(bundle: Bundle, count: int, seed: int = 3) -> list[LogEvent]:
    """So many moves of any controls over twenty minutes."""
    rng, tick = random.Random(seed), 0
    events: list[LogEvent] = []
    controls = list(bundle.airframe.controls.values())
    while len(events) < count:
        control = rng.choice(controls)
        tick += rng.randrange(20, 240_000 // count)
        if control.kind == "momentary":
            events.append(LogEvent(tick, "trainee", "press", {"control": control.id}))
            events.append(LogEvent(tick + 15, "trainee", "release", {"control": control.id}))
            tick += 15
        elif control.kind in ("toggle", "rotary", "lever", "push-latch"):
            events.append(
                LogEvent(tick, "trainee", "set", {"control": control.id, "to": rng.choice(control.positions)})
            )
    return [*events, LogEvent(tick + 100, "trainee", "finish", {})]
