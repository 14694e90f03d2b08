"""Opens a database file: one server at a time, for its own user only, and of a layout that this version knows.

A database that is in use is opened through SQLite and in no other way: when a process closes any handle of a file, the
system takes back every lock that the process holds on it, SQLite's own among them, and the next program beside it would
take itself for the last one and delete the log that this one still writes.
"""

from __future__ import annotations

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, QueuePool, create_engine, event

from lumenstat.errors import StorageError
from lumenstat.records.trouble import BUSY_SECONDS, in_words

MIGRATIONS = Path(__file__).parent / "migrations"
OWN_USER_ONLY = 0o600
WRITES = "lumenstat_writes"


@contextmanager
def held_alone(path: Path) -> Iterator[None]:
    """Hold the database file itself, by whatever name, for as long as one server uses it.

    The lock is on the file and not beside it, so that a link to it is no second way in. The handle is let go of and
    stays open until the process ends, for closing it would take SQLite's locks with it. Raises StorageError.
    """
    with in_words():
        # The lock needs a file, and the first start has none yet.
        path.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(path, os.O_RDONLY | os.O_CREAT, OWN_USER_ONLY)
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            says = f"Another Lumenstat server is using {path}. Stop it, or give --database."
            raise StorageError(says) from None
        yield
    finally:
        fcntl.flock(handle, fcntl.LOCK_UN)


def open_engine(path: Path) -> Engine:
    """An engine on the SQLite file, made and migrated if need be. Raises StorageError with nothing changed."""
    with in_words():
        path.parent.mkdir(parents=True, exist_ok=True)
        # SQLite would make the file with the rights of everybody.
        _make_private(path)
        _refuse_what_is_not_ours(path, read_only=False)
        engine = _engine(path)
        try:
            migrate(engine)
        except BaseException:
            engine.dispose()
            raise
    return engine


def read_only_engine(path: Path) -> Engine:
    """An engine that looks at the file and changes nothing. Raises StorageError where it cannot be read."""
    if not path.exists():
        raise StorageError(f"There is no database {path}; name it with --database.")
    with in_words():
        _refuse_what_is_not_ours(path, read_only=True)
    return create_engine(
        "sqlite://", creator=lambda: _looking_at(path, read_only=True, any_thread=True), poolclass=QueuePool
    )


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": BUSY_SECONDS, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, _: Any) -> None:
        connection.isolation_level = None  # SQLAlchemy begins transactions below, so that savepoints nest in them
        # A run's acts are evidence: whatever was acknowledged survives a power cut, at the price of a wait for the
        # disk.
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def begin(connection: Any) -> None:
        # A transaction that only turns into a writing one later is refused at once when another writes: it cannot wait.
        writes = connection.get_execution_options().get(WRITES)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def migrate(engine: Engine) -> None:
    """Bring the tables to the newest layout, all of the way or not at all."""
    with engine.connect() as connection:
        # Asked without the migration tool, which is slow to load and nearly always finds nothing to do.
        here = connection.exec_driver_sql("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").first()
        if here and connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar() == newest():
            return
    from alembic import command  # noqa: PLC0415 - slow to load, and seldom needed
    from alembic.config import Config  # noqa: PLC0415

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.execution_options(**{WRITES: True}).connect() as connection:
        # A table that is made anew is dropped on the way, and what refers to it must not go with it.
        pragma = connection.connection.cursor()
        pragma.execute("PRAGMA foreign_keys=OFF")
        try:
            with connection.begin():
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
                if lost := connection.exec_driver_sql("PRAGMA foreign_key_check").first():
                    raise StorageError(f"The tables could not be brought to layout {newest()}: {lost[0]} lost a row.")
        finally:
            pragma.execute("PRAGMA foreign_keys=ON")
            pragma.close()


def layouts() -> list[str]:
    """The layouts of the tables that this version knows, oldest first: the first part of each migration's file name."""
    return sorted(path.name.split("_")[0] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def newest() -> str:
    """The newest layout of the tables that this version knows."""
    return layouts()[-1]


def _make_private(path: Path) -> None:
    """The file holds people's names and work: for the server's own user only. SQLite's files beside it follow it."""
    # Only one that was not there is opened, and so nobody holds a lock on it yet.
    with suppress(FileExistsError):
        os.close(os.open(path, os.O_RDONLY | os.O_CREAT | os.O_EXCL, OWN_USER_ONLY))
    if path.stat().st_mode & 0o777 != OWN_USER_ONLY and path.stat().st_uid == os.geteuid():
        path.chmod(OWN_USER_ONLY)


def _refuse_what_is_not_ours(path: Path, read_only: bool) -> None:
    """Raise StorageError for a file of something else, and for a layout that this version does not know."""
    try:
        with closing(_looking_at(path, read_only)) as connection:
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if not tables:
                return
            # A file of another program is left as it is; adding our tables to it would harm both.
            if "alembic_version" not in tables:
                raise StorageError(f"{path} is a database of another program; name another file with --database.")
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.DatabaseError as error:
        if error.sqlite_errorname != "SQLITE_NOTADB":
            raise
        says = f"{path} is no SQLite database. Name another file with --database; this one was left alone."
        raise StorageError(says) from None
    if row and row[0] not in layouts():
        raise StorageError(
            f"{path} was written by a newer Lumenstat (layout {row[0]}; this one knows up to {newest()}). "
            "Run that version, or restore a backup made by this one. Nothing was changed."
        )


def _looking_at(path: Path, read_only: bool, any_thread: bool = False) -> sqlite3.Connection:
    # As an address, in which every letter that a path may have keeps its meaning.
    address = f"{path.resolve().as_uri()}?mode={'ro' if read_only else 'rw'}"
    return sqlite3.connect(address, timeout=BUSY_SECONDS, check_same_thread=not any_thread, uri=True)
