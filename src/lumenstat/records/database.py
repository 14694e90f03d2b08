"""Opens the database: WAL, full synchronisation, foreign keys on, migrated to the newest table layout."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any, TypeVar

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session, sessionmaker

T = TypeVar("T")
MIGRATIONS = Path(__file__).parent / "migrations"
GROUP_AT_MOST = 64


def open_engine(path: Path) -> Engine:
    """An engine on the SQLite file, made and migrated if need be."""
    path.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 10, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, _: Any) -> None:
        connection.isolation_level = None  # SQLAlchemy begins transactions below, so that savepoints nest in them
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def begin(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN")

    migrate(engine)
    return engine


def migrate(engine: Engine) -> None:
    """Bring the tables to the newest layout."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


class Database:
    """Reads on any thread; all writes on one thread, several of them in one commit when they come together."""

    def __init__(self, path: Path) -> None:
        self.engine = open_engine(path)
        self.sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._jobs: queue.SimpleQueue[tuple[Callable[[Session], Any], Future[Any]] | None] = queue.SimpleQueue()
        self._writer = threading.Thread(target=self._write, name="database-writer", daemon=True)
        self._writer.start()

    def read(self, job: Callable[[Session], T]) -> T:
        """Run a query."""
        with self.sessions() as session:
            return job(session)

    def submit(self, job: Callable[[Session], T]) -> Future[T]:
        """Queue a change; the future is done when it is on disk, or holds why it could not be made."""
        done: Future[T] = Future()
        self._jobs.put((job, done))
        return done

    def write(self, job: Callable[[Session], T]) -> T:
        """Make a change and wait until it is on disk."""
        return self.submit(job).result()

    def close(self) -> None:
        """Finish what is queued and let go of the file."""
        self._jobs.put(None)
        self._writer.join(timeout=10)
        self.engine.dispose()

    def _write(self) -> None:
        while (first := self._jobs.get()) is not None:
            group = [first]
            stop = False
            while len(group) < GROUP_AT_MOST and not self._jobs.empty():
                following = self._jobs.get()
                if following is None:
                    stop = True
                    break
                group.append(following)
            self._commit(group)
            if stop:
                return

    def _commit(self, group: list[tuple[Callable[[Session], Any], Future[Any]]]) -> None:
        """All of the group in one commit, each in its own savepoint so that one bad job spoils no other."""
        results: list[tuple[Future[Any], Any]] = []
        try:
            with self.sessions() as session:
                for job, done in group:
                    try:
                        with session.begin_nested():
                            result = job(session)
                            session.flush()
                    except Exception as error:
                        done.set_exception(error)
                    else:
                        results.append((done, result))
                session.commit()
        except Exception as error:
            for done, _ in results:
                done.set_exception(error)
            return
        for done, result in results:
            done.set_result(result)
