"""Serves the demo for browser tests, on a wall clock whose pace the test sets so that waits take seconds."""

from __future__ import annotations

import os
import threading
import time
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Literal

from lumenstat.runs import live
from lumenstat.runs.clock import Clock
from lumenstat.settings import Settings
from lumenstat.web.server import serve

School = Literal["demo", "life", "empty"]
"""The demo's school, the demo's with its life, or an empty one."""


class Wall:
    """Seconds of a wall clock that runs some times faster than the real one."""

    def __init__(self, pace: float) -> None:
        self._reached = (pace, time.monotonic(), 0.0)

    def seconds(self) -> float:
        pace, since, passed = self._reached
        return passed + (time.monotonic() - since) * pace

    def follow(self, paces: Connection) -> None:
        """Take everything that is sent as the pace from now on, and say that it is taken."""
        while True:
            try:
                pace = paces.recv()
            except (EOFError, OSError):
                return
            self._reached = (pace, time.monotonic(), self.seconds())
            paces.send(pace)


def serve_for_tests(settings: Settings, pace: float, paces: Connection, said: Path) -> None:
    """Serve until killed; what it says goes to a file."""
    with said.open("w") as out:
        os.dup2(out.fileno(), 1)
        os.dup2(out.fileno(), 2)
    wall = Wall(pace)
    threading.Thread(target=wall.follow, args=(paces,), daemon=True).start()
    setattr(live, "Clock", lambda: Clock(wall=wall.seconds))  # noqa: B010
    serve(settings)
