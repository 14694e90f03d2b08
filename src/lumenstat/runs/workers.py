"""A process of its own for heavy work: it gives way to live runs, has a time limit, and gives its memory back.

A job is a function at the top of a module; it is called with a `progress` function and its arguments. Whatever becomes
of the process, the caller gets a result or an error in words, and the next job gets a new process.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
import resource
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any, Literal

from lumenstat.errors import WorkerError
from lumenstat.language.wording import phrase
from lumenstat.processes import FORKED

log = logging.getLogger("lumenstat.worker")

Progress = Callable[[str, int, int], None]
"""Told what is being done, and how much of how much of it is."""

MEMORY_BYTES = 2_000_000_000
LEAN_BYTES = 300_000_000
"""A process that has grown larger than this is replaced after its job, so that what it took is given back."""
TELL_SECONDS = 0.2
SECONDS_TO_LET_GO = 5.0


class Busy(WorkerError):  # noqa: N818 - it names what happened to the job
    """So many jobs wait already that another one is not taken."""


class Worker:
    """One process that does one job after another. `call` may be used from several threads; they take turns."""

    def __init__(self, name: str, waiting_at_most: int = 8) -> None:
        self.name = name
        self.waiting_at_most = waiting_at_most
        self.replaced = 0
        self._turn, self._count = threading.Lock(), threading.Lock()
        self._waiting = 0
        self._process: BaseProcess | None = None
        self._link: Connection | None = None
        self._closed = False

    @property
    def waiting(self) -> int:
        """How many jobs wait or are being done."""
        return self._waiting

    def call(
        self,
        job: Callable[..., Any],
        *args: Any,
        seconds: float,
        progress: Progress = lambda doing, done, of: None,
    ) -> Any:
        """Do a job and give what it returns. Raises what the job raises, or WorkerError where it did not finish."""
        with self._count:
            if self._waiting >= self.waiting_at_most:
                raise Busy(phrase("The server is busy with other work of this kind. Try again in a few seconds."))
            self._waiting += 1
        try:
            with self._turn:
                return self._call(job, args, seconds, progress)
        finally:
            with self._count:
                self._waiting -= 1

    def close(self) -> None:
        """End the process; a job under way is broken off."""
        self._closed = True
        process = self._process
        if process is not None:
            process.kill()
        # Whoever waits for the job lets go of the link first: a closed one has a number that something else may get.
        if self._turn.acquire(timeout=SECONDS_TO_LET_GO):
            try:
                self._end()
            finally:
                self._turn.release()

    def _call(self, job: Callable[..., Any], args: tuple[Any, ...], seconds: float, progress: Progress) -> Any:
        link = None if self._closed else self._started()
        if link is None or self._closed:  # it may have been closed while its process was begun
            self._end()
            raise WorkerError(phrase("The server is about to end."))
        until = time.monotonic() + seconds
        try:
            link.send((job, args))
            while link.poll(max(0.0, until - time.monotonic())):
                kind, content = link.recv()
                if kind == "progress":
                    progress(*content)
                elif kind == "error":
                    raise content
                else:
                    result, bytes_taken = content
                    if bytes_taken > LEAN_BYTES:
                        self._end()
                    return result
        except (EOFError, OSError) as error:
            self._replace(phrase("its process ended: {error}", error=repr(error)))
            raise WorkerError(phrase("The process that was at it ended unexpectedly.")) from None
        self._replace(phrase("it took longer than {seconds:g} s", seconds=seconds))
        raise WorkerError(phrase("It took longer than {seconds:g} s and was broken off.", seconds=seconds))

    def _started(self) -> Connection:
        if self._process is None or self._link is None or not self._process.is_alive():
            self._end()
            self._link, theirs = FORKED.Pipe()
            process = FORKED.Process(target=_serve, args=(theirs,), name=self.name, daemon=True)
            process.start()
            self._process = process
            theirs.close()
        return self._link

    def _replace(self, why: str) -> None:
        if not self._closed:
            self.replaced += 1
            log.error("the %s worker is replaced: %s", self.name, why)
        self._end()

    def _end(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.join(timeout=5)
        if self._link is not None:
            self._link.close()
        self._process = self._link = None


def step_back() -> None:
    """Give way to the live runs, and leave with the server, however it ends."""
    os.nice(10)
    threading.Thread(target=leave_with_parent, daemon=True).start()


def leave_with_parent() -> None:
    """Wait for the process that started this one, and end with it, however it ends."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(0)


def _serve(link: Connection) -> None:
    """Do jobs until the link is closed."""
    step_back()
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    while True:
        try:
            job, args = link.recv()
        except (EOFError, OSError):
            return
        link.send(_done(link, job, args))


def _done(link: Connection, job: Callable[..., Any], args: tuple[Any, ...]) -> tuple[Literal["done", "error"], Any]:
    told = 0.0

    def progress(doing: str, done: int, of: int) -> None:
        nonlocal told
        if (now := time.monotonic()) - told >= TELL_SECONDS:
            told = now
            link.send(("progress", (doing, done, of)))

    try:
        result = job(progress, *args)
    except MemoryError:
        return "error", WorkerError(
            phrase("It needs more than {limit:,} MB of memory.", limit=MEMORY_BYTES // 1_000_000)
        )
    except RecursionError:
        return "error", WorkerError(phrase("It is nested too deeply."))
    except Exception as error:
        return "error", error
    return "done", (result, 1024 * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
