"""Backups while the server runs, restoring them, and whether a database is whole."""

from __future__ import annotations

import hashlib
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from lumenstat.errors import StorageError
from lumenstat.language.wording import phrase
from lumenstat.records.marks import LAST_BACKUP, set_mark
from lumenstat.records.opening import OWN_USER_ONLY, WRITES, held_alone, open_engine, read_only_engine
from lumenstat.records.sealing import signed_runs, verify
from lumenstat.records.trouble import BUSY_SECONDS, in_words

PAGES_AT_ONCE = 500
FAULTS_AT_MOST = 50


def back_up(database: Path, target: Path) -> None:
    """Copy a database, in use or not, and read the copy back. Raises StorageError; a copy with a fault is not kept."""
    if target.exists():
        raise StorageError(
            phrase(
                "{target} is there already; a backup never writes over anything. Give another name.", target=str(target)
            )
        )
    # Under another name until it is whole, so that a backup with its final name always is.
    unfinished = target.with_name(f"{target.name}.unfinished")
    with in_words():
        read_only_engine(database).dispose()
        target.parent.mkdir(parents=True, exist_ok=True)
        # Made with its rights before anything is in it: a copy holds what the database holds.
        os.close(os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, OWN_USER_ONLY))
        try:
            with (
                closing(sqlite3.connect(database, timeout=BUSY_SECONDS)) as source,
                closing(sqlite3.connect(unfinished)) as copy,
            ):
                # Some pages at a time and a pause between them, so that a class that is flying never waits for long.
                source.backup(copy, pages=PAGES_AT_ONCE, sleep=0.01)
                # A single file, without a log beside it that somebody forgets to copy.
                copy.execute("PRAGMA journal_mode=DELETE")
            if faults := faults_of(unfinished):
                raise StorageError(phrase("The copy is not whole, so it was not kept: {fault}", fault=faults[0]))
            unfinished.rename(target)
        finally:
            unfinished.unlink(missing_ok=True)
        _note(database, target)


def _note(database: Path, target: Path) -> None:
    engine = open_engine(database)
    try:
        with Session(engine.execution_options(**{WRITES: True})) as session, session.begin():
            set_mark(session, LAST_BACKUP, target.name)
    finally:
        engine.dispose()


def restore(backup: Path, database: Path) -> Path | None:
    """Put a backup in a database's place, and give the name under which what was there is kept, if anything was.

    Raises StorageError, with nothing changed, where the backup is not whole or a server uses the database.
    """
    if faults := faults_of(backup):
        raise StorageError(f"{backup} is not whole, so nothing was restored: {faults[0]}")
    with in_words():
        aside = None
        if database.exists():
            with held_alone(database):
                aside = database.with_name(f"{database.name}.before-{datetime.now(UTC):%Y%m%d-%H%M%S}")
                # The log holds the last changes; the file that is put aside must be whole without it.
                _fold_in(database)
                database.rename(aside)
        # A log of the old file would be replayed into the new one.
        for name in ("-wal", "-shm"):
            database.with_name(database.name + name).unlink(missing_ok=True)
        database.parent.mkdir(parents=True, exist_ok=True)
        os.close(os.open(database, os.O_WRONLY | os.O_CREAT, OWN_USER_ONLY))
        with closing(sqlite3.connect(backup)) as source, closing(sqlite3.connect(database)) as copy:
            source.backup(copy)
    return aside


def waiting_for_start(database: Path) -> Path:
    """The name under which a backup waits to be put in a database's place at the next start."""
    return database.with_name(f"{database.name}.to-restore")


def restore_at_next_start(backup: Path, database: Path) -> Path:
    """Have a backup put in a database's place when its server starts next; the server goes on meanwhile.

    Raises StorageError where the backup is not whole. Another one that waits gives way.
    """
    if faults := faults_of(backup):
        raise StorageError(f"{backup} is not whole, so nothing is to be restored: {faults[0]}")
    waiting, unfinished = waiting_for_start(database), waiting_for_start(database).with_suffix(".unfinished")
    with in_words():
        unfinished.unlink(missing_ok=True)
        os.close(os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, OWN_USER_ONLY))
        with closing(sqlite3.connect(backup)) as source, closing(sqlite3.connect(unfinished)) as copy:
            source.backup(copy)
        # In one step: a server that starts in between finds all of it or nothing.
        unfinished.replace(waiting)
    return waiting


def take_waiting(database: Path) -> Path | None:
    """Put what waits for this start in the database's place; gives the name under which what was there is kept.

    None where nothing waits. Raises StorageError, with nothing changed, where what waits is not whole.
    """
    waiting = waiting_for_start(database)
    if not waiting.exists():
        return None
    # Only when it stands in its place does the waiting copy go, so that a failed start tries it again.
    aside = restore(waiting, database)
    waiting.unlink()
    return aside


def _fold_in(database: Path) -> None:
    """Take what stands in the file beside the database into it, so that it can be moved alone."""
    try:
        with closing(sqlite3.connect(database, timeout=BUSY_SECONDS)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except sqlite3.DatabaseError:
        return  # damaged: it is moved as it is


def faults_of(database: Path) -> list[str]:
    """Everything that is wrong with a database, in words; it is only read. Raises StorageError where it is none."""
    engine = read_only_engine(database)
    try:
        return list(_faults(engine))[:FAULTS_AT_MOST]
    finally:
        engine.dispose()


def _faults(engine: Engine) -> Iterator[str]:
    with in_words(), engine.connect() as connection:
        try:
            found = [str(row[0]) for row in connection.execute(text("PRAGMA integrity_check(20)"))]
        except Exception as error:
            yield phrase("the file is damaged: {error}", error=str(getattr(error, "orig", error)))
            return
        yield from (phrase("the file is damaged: {error}", error=each) for each in found if each != "ok")
        # What else would be read of a damaged file would only be the same damage, told again.
        if found != ["ok"]:
            return
        for table, row, parent, _ in connection.execute(text("PRAGMA foreign_key_check")):
            yield phrase("row {row} of {table} belongs to nothing in {parent}", row=row, table=table, parent=parent)
        for run_id, count, last in connection.execute(text(GAPS)):
            yield phrase(
                "run {run}: its log has {events} events, and the last is number {last}",
                run=run_id, events=count, last=last,
            )  # fmt: skip
        for (run_id,) in connection.execute(text(UNJUDGED)):
            yield phrase("run {run}: it has ended and has no ledger", run=run_id)
        for digest, content in connection.execute(text("SELECT digest, content FROM exercise_versions")):
            if hashlib.sha256(content.encode()).hexdigest() != digest:
                yield phrase("exercise version {digest}: its content is not what its digest says", digest=digest[:12])
    with in_words(), Session(engine) as session:
        for run_id in signed_runs(session):
            checked = verify(session, run_id)
            for each in checked.says:
                yield phrase("run {run}, signed by {person}: {fault}", run=run_id, person=checked.signed_by, fault=each)


UNJUDGED = "SELECT id FROM runs WHERE state = 'ended' AND ledger IS NULL AND voided_at IS NULL"
"""A run that was voided while it was open counts for nothing, and so nobody judged it."""
GAPS = """
SELECT run_id, count(*), max(number) FROM run_events GROUP BY run_id HAVING count(*) <> max(number) + 1
"""
