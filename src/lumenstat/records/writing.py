"""The one thread that writes: several changes in one commit when they come together, and no change spoils another.

Nothing that a job or a caller does ends the thread: a caller that goes away is not told, a job that fails is undone by
itself. Should the thread end all the same, what waits is refused, `failed` says why, and `on_failure` is called.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, InvalidStateError
from contextlib import suppress
from typing import Any, TypeVar

from sqlalchemy.orm import Session, sessionmaker

from lumenstat.errors import StorageError
from lumenstat.records.trouble import storage_error

T = TypeVar("T")
GROUP_AT_MOST = 64
ENDED = (
    "The part of the server that stores things has ended, so nothing more can be stored. The server must be restarted."
)

log = logging.getLogger("lumenstat.writer")

_Job = tuple[Callable[[Session], Any], "Future[Any]"]


class Writer:
    """Carries out changes one after another on a thread of its own."""

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions
        self.failed: str | None = None
        self.on_failure: Callable[[str], None] = lambda _: None
        self._jobs: queue.SimpleQueue[_Job | None] = queue.SimpleQueue()
        # For the page on health: a job that hangs shows as time.
        self._busy_since: float | None = None
        self._thread = threading.Thread(target=self._run, name="database-writer", daemon=True)
        self._thread.start()

    @property
    def waiting(self) -> int:
        """How many changes wait for their turn."""
        return self._jobs.qsize()

    @property
    def busy_seconds(self) -> float:
        """For how long the disk has been at the present commit; 0 where there is none."""
        since = self._busy_since
        return 0.0 if since is None else time.monotonic() - since

    def submit(self, job: Callable[[Session], T]) -> Future[T]:
        """Queue a change; the future is done when it is on disk, or holds why it could not be made."""
        done: Future[T] = Future()
        if self.failed is not None:
            done.set_exception(StorageError(ENDED))
            return done
        self._jobs.put((job, done))
        if self.failed is not None:  # it ended in between, and whoever refuses what waits may have gone already
            self._refuse_waiting()
        return done

    def close(self, seconds: float = 10.0) -> None:
        """Finish what is queued and end the thread."""
        self._jobs.put(None)
        self._thread.join(timeout=seconds)

    def _run(self) -> None:
        try:
            while (group := self._next_group()) is not None:
                self._busy_since = time.monotonic()
                self._commit(group)
                self._busy_since = None
        # Whatever it is: a writer that ends without a word would leave every request waiting for good.
        except BaseException as error:
            log.critical("the writer has ended", exc_info=True)
            self.failed = f"{type(error).__name__}: {error}"
            self._refuse_waiting()
            self.on_failure(self.failed)

    def _next_group(self) -> list[_Job] | None:
        """What waits, up to a handful; None once there is nothing more to come."""
        first = self._jobs.get()
        if first is None:
            return None
        group = [first]
        # Several jobs share one commit, and so one wait for the disk.
        while len(group) < GROUP_AT_MOST and not self._jobs.empty():
            following = self._jobs.get()
            if following is None:
                self._jobs.put(None)  # found again after this group
                break
            group.append(following)
        return group

    def _refuse_waiting(self) -> None:
        with suppress(queue.Empty):
            while True:
                if (job := self._jobs.get_nowait()) is not None:
                    _fail(job[1], StorageError(ENDED))

    def _commit(self, group: list[_Job]) -> None:
        """All of the group in one commit; where the storage fails on the way, each by itself."""
        asked = [(job, done) for job, done in group if done.set_running_or_notify_cancel()]
        if not self._together(asked):
            for each in asked:
                self._together([each])

    def _together(self, asked: list[_Job]) -> bool:
        """Carry changes out in one commit, each in its own savepoint so that one bad job spoils no other.

        False, with nothing changed and nobody told, where the storage failed for several: SQLite may have ended the
        transaction by itself then, savepoints and all.
        """
        results: list[tuple[Future[Any], Any]] = []
        with self.sessions() as session:
            try:
                for job, done in asked:
                    try:
                        with session.begin_nested():
                            result = job(session)
                            session.flush()
                    except BaseException as error:
                        # Storage trouble is not this job's fault; the whole group is tried again one by one.
                        if storage_error(error) is not None:
                            raise
                        _fail(done, error)
                    else:
                        results.append((done, result))
                session.commit()
            except BaseException as error:
                # What state SQLite left the connection in is unknown, so it is not used again.
                session.invalidate()
                if len(asked) > 1:
                    return False
                _fail(asked[0][1], error)
                return True
        # Only now that it is on disk.
        for done, result in results:
            with suppress(InvalidStateError):
                done.set_result(result)
        return True


def _fail(done: Future[Any], error: BaseException) -> None:
    """Tell why it could not be made; whoever asked may have gone, or have been told already."""
    with suppress(InvalidStateError):
        done.set_exception(storage_error(error) or error)
