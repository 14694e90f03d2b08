"""What a database cannot do, said in words to whoever is concerned: a full disk, a lock, a damaged file."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy.exc import DBAPIError

from lumenstat.errors import StorageError
from lumenstat.language.wording import phrase

BUSY_SECONDS = 10
SAYS = {
    "SQLITE_FULL": phrase(
        "The disk is full, so nothing more can be stored. Make room on it; then it goes on by itself."
    ),
    "SQLITE_READONLY": phrase(
        "The database may only be read, not written. Give the server's user the right to write the file and its folder."
    ),
    "SQLITE_PERM": phrase("The server's user may not use the database file. Give it the right to read and write it."),
    "SQLITE_BUSY": phrase(
        "Another program has kept the database locked for over {busy_seconds} s. Nothing was "
        "changed; try again once that program is done.",
        busy_seconds=BUSY_SECONDS,
    ),
    "SQLITE_LOCKED": phrase("Another program has locked the database. Nothing was changed; try again once it is done."),
    "SQLITE_CORRUPT": phrase(
        "The database file is damaged. Stop the server, run `lumenstat check-database`, and "
        "restore the last good backup."
    ),
    "SQLITE_NOTADB": phrase(
        "This file is no SQLite database. Name another one with --database; this one was left as it is."
    ),
    "SQLITE_CANTOPEN": phrase(
        "The database file cannot be opened. Look whether its folder is there and may be written."
    ),
    "SQLITE_IOERR": phrase(
        "The disk gave an error while the database was used. Nothing half-done was kept; look at the disk."
    ),
}
"""By the beginning of SQLite's own name for what happened; the first that fits counts."""


def storage_error(error: BaseException) -> StorageError | None:
    """What happened in words, where it is the storage's doing; None where the error is about something else.

    The first error of a chain tells: a full disk ends the transaction, and then undoing it fails too.
    """
    seen: BaseException | None = error
    while seen is not None:
        if (found := _in_words(seen)) is not None:
            return found
        # Explicit causes before the ones that Python notes by itself.
        seen = seen.__cause__ or seen.__context__
    return None


def _in_words(error: BaseException) -> StorageError | None:
    original = error.orig if isinstance(error, DBAPIError) else error
    if isinstance(original, StorageError):
        return original
    if isinstance(original, sqlite3.Error):
        name = getattr(original, "sqlite_errorname", "")
        return next((StorageError(says) for begins, says in SAYS.items() if name.startswith(begins)), None)
    if isinstance(original, OSError):
        return StorageError(phrase("The database cannot be used: {error}.", error=original.strerror or original))
    return None


@contextmanager
def in_words() -> Iterator[None]:
    """Turns what the storage cannot do into a StorageError; other errors pass as they are."""
    try:
        yield
    except (DBAPIError, sqlite3.Error, OSError) as error:
        found = storage_error(error)
        if found is None:
            raise
        raise found from error
