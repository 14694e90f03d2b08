"""Every consequence of an exercise, on several cores: niced workers that each fly their share of the changes."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.processes import FORKED
from lumenstat.proving.consequences import Task, consequence_of, tasks_of, worth_telling
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
    bundle: Bundle,
    rehearsal: Rehearsal | None = None,
    workers: int | None = None,
    progress: Progress = carry_on,
    at_start: Callable[[], None] | None = None,
    always_apart: bool = False,
) -> list[Consequence]:
    """Every consequence in the order of the flight; those flown so far where `progress` says to stop.

    `at_start` is called in each worker process; `always_apart` has even a single worker in a process of its own.
    """
    flight = rehearsal or rehearse(bundle)
    tasks = tasks_of(Script(bundle, flight))
    count = workers or os.cpu_count() or 1
    found: dict[Task, Consequence] = {}
    if count == 1 and not always_apart:
        script = Script(bundle, flight)
        for number, task in enumerate(tasks):
            if not progress(number, len(tasks)):
                break
            found[task] = consequence_of(script, task)
    else:
        _on_workers(_Work(bundle.canonical_json, flight, at_start), tasks, count, progress, found)
    progress(len(found), len(tasks))
    told = set(worth_telling(found))
    return [found[task] for task in tasks if task in told]


def give_way() -> None:
    """Let others go first."""
    os.nice(NICE)


@dataclass(frozen=True)
class _Work:
    content: str
    flight: Rehearsal
    at_start: Callable[[], None] | None


def _on_workers(
    work: _Work,
    tasks: list[Task],
    count: int,
    progress: Progress,
    found: dict[Task, Consequence],
) -> None:
    with ProcessPoolExecutor(count, FORKED, _begin, (work,)) as pool:
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


_scripts: list[Script] = []
"""The script that this process changes; there is one, once it has begun."""


def _begin(work: _Work) -> None:
    (work.at_start or give_way)()
    _scripts[:] = [Script(Bundle.from_canonical_json(work.content), work.flight)]


def _fly(tasks: list[Task]) -> list[Consequence]:
    (script,) = _scripts
    return [consequence_of(script, task) for task in tasks]
