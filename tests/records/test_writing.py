"""The one thread that writes: whatever jobs, callers and disks do, the others are served."""

from __future__ import annotations

import sqlite3
import threading
import time
from collections.abc import Iterator
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import event, select, text

from lumenstat.errors import StorageError
from lumenstat.records import opening, writing
from lumenstat.records.database import Database
from lumenstat.records.marks import mark, set_mark
from lumenstat.records.tables import Mark


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    yield opened
    opened.close()


def names(database: Database) -> set[str]:
    return set(database.read(lambda s: list(s.scalars(select(Mark.name)))))


def test_a_caller_that_goes_away_ends_nothing(database: Database) -> None:
    """The future of a change is cancelled before, while and after it is made; every other change is made."""
    for number in range(200):
        going = threading.Event()

        def job(session: Any, n: int = number, begun: threading.Event = going) -> None:
            begun.set()
            set_mark(session, f"gone-{n}", "x")

        future = database.submit(job)
        if number % 3:
            going.wait(timeout=5)
        future.cancel()
        if number % 2:
            with pytest.raises(Exception, match=r"already|InvalidState|CANCELLED|FINISHED|^$"):
                future.set_result(None)
                future.set_result(None)
    database.write(lambda s: set_mark(s, "kept", "x"))
    assert "kept" in names(database)
    assert database.writer.failed is None


def test_a_change_whose_caller_left_before_it_began_is_not_made(database: Database) -> None:
    hold, begun = threading.Event(), threading.Event()

    def slow(_: Any) -> None:
        begun.set()
        hold.wait(timeout=5)

    first = database.submit(slow)
    assert begun.wait(timeout=5)
    second = database.submit(lambda s: set_mark(s, "second", "x"))
    assert second.cancel()
    hold.set()
    first.result(timeout=5)
    database.write(lambda s: set_mark(s, "third", "x"))
    assert names(database) == {"third"}


@pytest.mark.parametrize("error", [SystemExit(3), KeyboardInterrupt(), MemoryError(), GeneratorExit()])
def test_a_job_that_raises_anything_fails_alone(database: Database, error: BaseException) -> None:
    def bad(session: Any) -> None:
        set_mark(session, "half", "x")
        session.flush()
        raise error

    jobs: list[Future[Any]] = [database.submit(bad), database.submit(lambda s: set_mark(s, "whole", "x"))]
    with pytest.raises(type(error)):
        jobs[0].result(timeout=5)
    jobs[1].result(timeout=5)
    assert names(database) == {"whole"}
    assert database.writer.failed is None


def test_a_dead_writer_refuses_what_waits_and_tells(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []
    dead = threading.Event()

    def note(why: str) -> None:
        told.append(why)
        dead.set()

    database.writer.on_failure = note

    def broken(_: Any) -> None:
        raise RuntimeError("the thread itself is broken")

    monkeypatch.setattr(writing.Writer, "_commit", lambda self, group: broken(group))
    first = database.submit(lambda s: set_mark(s, "a", "x"))
    assert dead.wait(timeout=5)
    monkeypatch.undo()
    later = database.submit(lambda s: set_mark(s, "b", "x"))
    with pytest.raises(StorageError, match="must be restarted"):
        later.result(timeout=5)
    assert told == ["RuntimeError: the thread itself is broken"]
    assert database.writer.failed is not None
    assert not first.done() or first.exception() is not None
    assert names(database) == set()


def test_a_full_disk_is_said_and_it_goes_on_once_there_is_room(database: Database) -> None:
    """The file may grow no further, which is what SQLite tells of a full disk too."""

    count = database.read(lambda s: s.execute(text("PRAGMA page_count")).scalar())
    assert isinstance(count, int)
    most = [count + 2]
    event.listen(database.engine, "connect", lambda c, _: c.execute(f"PRAGMA max_page_count={most[0]}"))
    database.engine.dispose()
    jobs = [
        database.submit(lambda s: time.sleep(0.1)),  # the others wait for it, and then come in one group
        database.submit(lambda s: set_mark(s, "before", "x")),
        database.submit(lambda s: set_mark(s, "large", "x" * 100_000)),
        database.submit(lambda s: set_mark(s, "after", "x")),
    ]
    jobs[1].result(timeout=10)
    with pytest.raises(StorageError, match=r"disk is full.*Make room"):
        jobs[2].result(timeout=10)
    jobs[3].result(timeout=10)
    assert names(database) == {"before", "after"}, "each change is made whole or not at all"
    most[0] = 1_000_000
    database.engine.dispose()
    database.write(lambda s: set_mark(s, "large", "x" * 100_000))
    assert names(database) == {"before", "large", "after"}


def test_a_lock_of_another_program_is_waited_for(database: Database) -> None:
    other = sqlite3.connect(database.path, isolation_level=None, check_same_thread=False)
    other.execute("BEGIN IMMEDIATE")
    threading.Timer(0.6, lambda: other.execute("COMMIT")).start()
    begun = time.monotonic()

    def look_and_change(session: Any) -> None:
        assert mark(session, "nothing") is None  # a transaction that begins by reading can wait as well
        set_mark(session, "waited", "x")

    database.write(look_and_change)
    assert time.monotonic() - begun > 0.4
    assert names(database) == {"waited"}
    other.close()


def test_a_lock_that_lasts_is_said_and_nothing_is_half_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(opening, "BUSY_SECONDS", 0.3)
    database = Database(tmp_path / "db.sqlite")
    other = sqlite3.connect(database.path, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    with pytest.raises(StorageError, match="Another program has kept the database locked"):
        database.write(lambda s: set_mark(s, "locked", "x"))
    other.execute("COMMIT")
    other.close()
    database.write(lambda s: set_mark(s, "free", "x"))
    assert names(database) == {"free"}
    database.close()
