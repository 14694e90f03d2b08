"""Serves the demo for browser tests, on a wall clock that runs some times faster so that waits take seconds."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from lumenstat.runs import live
from lumenstat.runs.clock import Clock
from lumenstat.settings import Settings
from lumenstat.web.server import serve

database, port, speed = Path(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3])
setattr(live, "Clock", lambda: Clock(wall=lambda: time.monotonic() * speed))  # noqa: B010

if __name__ == "__main__":
    serve(Settings(database=database, port=port, demo=True))
