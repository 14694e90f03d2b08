"""How long a job takes: medians within this process."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

TIMES = 7


def seconds_of(job: Callable[[], object], times: int = TIMES) -> float:
    """Median seconds of a job after one run that is not counted."""
    job()
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        job()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)
