"""Serves the demo for browser tests, on a wall clock whose pace the test sets so that waits take seconds."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path

from lumenstat.runs import live
from lumenstat.runs.clock import Clock
from lumenstat.settings import Settings
from lumenstat.web.server import serve


class Wall:
    """Seconds of a wall clock that runs some times faster than the real one."""

    def __init__(self, pace: float) -> None:
        self._reached = (pace, time.monotonic(), 0.0)

    def seconds(self) -> float:
        pace, since, passed = self._reached
        return passed + (time.monotonic() - since) * pace

    def follow(self) -> None:
        """Take every line of the standard input as the pace from now on."""
        for line in sys.stdin:
            self._reached = (float(line), time.monotonic(), self.seconds())


if __name__ == "__main__":
    wall = Wall(float(sys.argv[3]))
    threading.Thread(target=wall.follow, daemon=True).start()
    setattr(live, "Clock", lambda: Clock(wall=wall.seconds))  # noqa: B010
    demo = sys.argv[4:] != ["empty"]
    serve(Settings(database=Path(sys.argv[1]), port=int(sys.argv[2]), demo=demo, demo_life=sys.argv[4:] == ["life"]))
