"""Serves the demo for browser tests, on a wall clock whose pace the test sets so that waits take seconds."""

from __future__ import annotations

import os
import threading
import time
from dataclasses import dataclass
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, Literal

from lumenstat.runs import live
from lumenstat.runs.clock import Clock
from lumenstat.settings import Settings
from lumenstat.web.server import serve

School = Literal["demo", "life", "empty"]
"""The demo's school, the demo's with its life, or an empty one."""


PACE_OF_WAITS = 240.0


@dataclass(frozen=True)
class Pace:
    """So many seconds in one real second, after as many as are `hurried` have passed at the pace of waits."""

    pace: float
    hurried: float = 0.0

    def passed(self, real_seconds: float) -> float:
        """What passes in so many real seconds. It is the clock that slows down again, so no busy machine is too late."""
        hurry = self.hurried / PACE_OF_WAITS
        if real_seconds < hurry:
            return real_seconds * PACE_OF_WAITS
        return self.hurried + (real_seconds - hurry) * self.pace


class Wall:
    """Seconds of a wall clock that runs some times faster than the real one."""

    def __init__(self, pace: float) -> None:
        self._reached = (Pace(pace), time.monotonic(), 0.0)

    def seconds(self) -> float:
        pace, since, passed = self._reached
        return passed + pace.passed(time.monotonic() - since)

    def follow(self, paces: Connection) -> None:
        """Take everything that is sent as the pace from now on, and say that it is taken."""
        while True:
            try:
                pace = paces.recv()
            except (EOFError, OSError):
                return
            self._reached = (pace, time.monotonic(), self.seconds())
            paces.send(pace)


def place_to_fork() -> str:
    """Where the process listens that has loaded everything; it is started first where it does not run."""
    forkserver.ensure_running()
    server: Any = forkserver._forkserver
    return str(server._forkserver_address)


def _fork_from(place: str) -> None:
    """Have the processes of this one forked there: a place of its own takes two seconds of a core, for every server."""
    server: Any = forkserver._forkserver
    server._forkserver_address, server.ensure_running = place, lambda: None


def serve_for_tests(settings: Settings, pace: float, paces: Connection, said: Path, forked_from: str) -> None:
    """Serve until killed; what it says goes to a file."""
    _fork_from(forked_from)
    with said.open("w") as out:
        os.dup2(out.fileno(), 1)
        os.dup2(out.fileno(), 2)
    wall = Wall(pace)
    threading.Thread(target=wall.follow, args=(paces,), daemon=True).start()
    setattr(live, "Clock", lambda: Clock(wall=wall.seconds))  # noqa: B010
    serve(settings)
