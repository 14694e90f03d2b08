"""Every consequence of an exercise, on several cores: niced workers that each fly their share of the changes."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.proving.consequences import Task, consequence_of, tasks_of
from lumenstat.proving.proof import Consequence
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.rehearsal.script import Script

NICE = 10
PORTION = 4

Progress = Callable[[int, int], bool]
"""Called with how many changes are flown and how many there are; gives whether to go on."""


def carry_on(_done: int, _of: int) -> bool:
    """Never stop."""
    return True


def leave_out(
    bundle: Bundle, rehearsal: Rehearsal | None = None, workers: int | None = None, progress: Progress = carry_on
) -> list[Consequence]:
    """Every consequence in the order of the flight; those flown so far where `progress` says to stop."""
    flight = rehearsal or rehearse(bundle)
    tasks = tasks_of(Script(bundle, flight))
    count = workers or os.cpu_count() or 1
    found: dict[Task, Consequence] = {}
    if count == 1:
        script = Script(bundle, flight)
        for number, task in enumerate(tasks):
            if not progress(number, len(tasks)):
                break
            found[task] = consequence_of(script, task)
    else:
        _on_workers(bundle, flight, tasks, count, progress, found)
    progress(len(found), len(tasks))
    return [found[task] for task in tasks if task in found]


def _on_workers(
    bundle: Bundle,
    flight: Rehearsal,
    tasks: list[Task],
    count: int,
    progress: Progress,
    found: dict[Task, Consequence],
) -> None:
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(count, context, _begin, (bundle.canonical_json, flight)) as pool:
        waiting: dict[Future[list[Consequence]], list[Task]] = {}
        for portion in _portions(tasks):
            waiting[pool.submit(_fly, portion)] = portion
        for future in as_completed(waiting):
            found.update(zip(waiting[future], future.result(), strict=True))
            if not progress(len(found), len(tasks)):
                pool.shutdown(wait=False, cancel_futures=True)
                return


def _portions(tasks: list[Task]) -> Iterator[list[Task]]:
    """A few at a time, the early and therefore long ones first."""
    for at in range(0, len(tasks), PORTION):
        yield tasks[at : at + PORTION]


@dataclass
class _Worker:
    script: Script | None = None


_worker = _Worker()


def _begin(content: str, flight: Rehearsal) -> None:
    os.nice(NICE)
    _worker.script = Script(Bundle.from_canonical_json(content), flight)


def _fly(tasks: list[Task]) -> list[Consequence]:
    assert _worker.script is not None
    return [consequence_of(_worker.script, task) for task in tasks]
