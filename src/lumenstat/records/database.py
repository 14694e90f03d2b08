"""The database: reads on any thread, all writes on one."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import TypeVar

from sqlalchemy.orm import Session, sessionmaker

from lumenstat.records import audit, drills, model_facts, statements
from lumenstat.records.acting import in_the_name_of
from lumenstat.records.opening import WRITES, open_engine
from lumenstat.records.trouble import in_words
from lumenstat.records.writing import Writer

T = TypeVar("T")

# Named here so that their tables, and the audit list's listener, are known as soon as any database is opened.
_ROOMS = (audit, drills, model_facts, statements)


class Database:
    """An opened database file. Raises StorageError, here and from every read and write, where the storage cannot."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.engine = open_engine(path)
        self.sessions = sessionmaker(self.engine, expire_on_commit=False)
        self.writer = Writer(sessionmaker(self.engine.execution_options(**{WRITES: True}), expire_on_commit=False))

    def read(self, job: Callable[[Session], T]) -> T:
        """Run a query."""
        with in_words(), self.sessions() as session:
            return job(session)

    def submit(self, job: Callable[[Session], T]) -> Future[T]:
        """Queue a change; the future is done when it is on disk, or holds why it could not be made."""
        return self.writer.submit(in_the_name_of(job))

    def write(self, job: Callable[[Session], T]) -> T:
        """Make a change and wait until it is on disk."""
        return self.submit(job).result()

    def close(self) -> None:
        """Finish what is queued and let go of the file."""
        self.writer.close()
        self.engine.dispose()
