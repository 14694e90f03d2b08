"""Backups while the server writes, restoring them, and what a check of a whole database finds."""

from __future__ import annotations

import json
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from sqlalchemy import text
from typer.testing import CliRunner

from lumenstat.cli import app
from lumenstat.errors import StorageError
from lumenstat.records.database import Database
from lumenstat.records.keeping import (
    back_up,
    faults_of,
    restore,
    restore_at_next_start,
    take_waiting,
    waiting_for_start,
)
from lumenstat.records.marks import LAST_BACKUP, mark, set_mark
from lumenstat.records.opening import held_alone
from tests.records.test_sealing import load_golden


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    opened.write(load_golden)
    opened.write(lambda s: s.execute(text("UPDATE exercise_versions SET digest = digest")) and None)
    yield opened
    opened.close()


def change(database: Database, statement: str) -> None:
    with closing(sqlite3.connect(database.path)) as connection:
        connection.execute(statement)
        connection.commit()


KNOWN = "exercise version aaaaaaaaaaaa: its content is not what its digest says"
"""The golden record's documents are a stand-in, which is just what the check is to notice."""


def test_a_whole_database_has_only_the_fault_that_is_known(database: Database) -> None:
    assert faults_of(database.path) == [KNOWN]


@pytest.mark.parametrize(
    ("statement", "says"),
    [
        ("DELETE FROM run_events WHERE number = 1", "its log has 2 events, and the last is number 2"),
        ("UPDATE run_events SET run_id = 'nobody'", "run_events belongs to nothing in runs"),
        ("UPDATE runs SET ledger = NULL", "it has ended and has no ledger"),
        (
            "UPDATE runs SET ledger = 'x'",
            "signed by Odile Marrash: the ledger, an override, the appraisal or the signature",
        ),
        ("UPDATE run_events SET tick = 7 WHERE number = 0", "event 1 of the log is not what was signed"),
        ("UPDATE exercise_versions SET content = '{} '", KNOWN),
    ],
)
def test_each_fault_is_found_and_told(database: Database, statement: str, says: str) -> None:
    change(database, statement)
    assert any(says in fault for fault in faults_of(database.path))


def test_a_damaged_file_is_told(database: Database, tmp_path: Path) -> None:
    database.close()
    content = bytearray(database.path.read_bytes())
    at = content.rfind(b"flap_lever")
    content[at - 2000 : at] = b"\x00" * 2000
    database.path.write_bytes(bytes(content))
    assert any("damaged" in fault for fault in faults_of(database.path))


def test_a_backup_made_while_others_write_is_whole(database: Database, tmp_path: Path) -> None:
    change(
        database,
        "UPDATE exercise_versions SET digest = '44136fa355b3678a1146ad16f7e8649e94fb4fc21fe77e8310c060f61caaff8a'",
    )
    change(
        database,
        "UPDATE runs SET digest = '44136fa355b3678a1146ad16f7e8649e94fb4fc21fe77e8310c060f61caaff8a', signed_by = NULL",
    )
    assert faults_of(database.path) == []
    stop = threading.Event()

    def write() -> None:
        number = 0
        while not stop.is_set():
            number += 1
            database.write(lambda s, n=number: set_mark(s, f"mark-{n}", "x" * 2000))  # type: ignore[misc]

    writing = threading.Thread(target=write)
    writing.start()
    target = tmp_path / "backups" / "copy.sqlite"
    back_up(database.path, target)
    stop.set()
    writing.join()
    assert faults_of(target) == []
    assert oct(target.stat().st_mode & 0o777) == "0o600"
    kept = database.read(lambda s: mark(s, LAST_BACKUP))
    assert kept is not None
    assert kept[0] == "copy.sqlite"
    with pytest.raises(StorageError, match="never writes over anything"):
        back_up(database.path, target)


def test_a_copy_that_is_not_whole_is_not_kept(database: Database, tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="not whole, so it was not kept"):
        back_up(database.path, tmp_path / "copy.sqlite")
    assert sorted(each.name for each in tmp_path.iterdir() if "copy" in each.name) == []
    assert database.read(lambda s: mark(s, LAST_BACKUP)) is None


def made_whole(database: Database) -> None:
    change(database, "DELETE FROM overrides")
    for table in ("run_events", "runs", "exercise_versions"):
        change(database, f"DELETE FROM {table}")


def test_a_backup_is_put_in_place_and_what_was_there_is_kept(database: Database, tmp_path: Path) -> None:
    made_whole(database)
    database.write(lambda s: set_mark(s, "state", "as backed up"))
    copy = tmp_path / "copy.sqlite"
    back_up(database.path, copy)
    database.write(lambda s: set_mark(s, "state", "later"))
    database.close()
    aside = restore(copy, database.path)
    assert aside is not None
    for path, state in ((database.path, "as backed up"), (aside, "later")):
        opened = Database(path)
        assert opened.read(lambda s: mark(s, "state"))[0] == state  # type: ignore[index]
        opened.close()


def test_a_backup_that_is_cut_or_in_use_is_refused_with_nothing_changed(database: Database, tmp_path: Path) -> None:
    made_whole(database)
    copy = tmp_path / "copy.sqlite"
    back_up(database.path, copy)
    cut = tmp_path / "cut.sqlite"
    cut.write_bytes(copy.read_bytes()[: 3 * 4096])
    database.close()
    before = database.path.read_bytes()
    with pytest.raises(StorageError, match=r"not whole, so nothing was restored|damaged"):
        restore(cut, database.path)
    with held_alone(database.path), pytest.raises(StorageError, match="Another Lumenstat server is using"):
        restore(copy, database.path)
    with pytest.raises(StorageError, match="There is no database"):
        restore(tmp_path / "nowhere.sqlite", database.path)
    assert database.path.read_bytes() == before


def test_a_backup_waits_for_the_next_start_while_the_server_goes_on(database: Database, tmp_path: Path) -> None:
    made_whole(database)
    backup = tmp_path / "kept.sqlite"
    database.write(lambda s: set_mark(s, "colour", "before"))
    back_up(database.path, backup)
    database.write(lambda s: set_mark(s, "colour", "after"))
    assert take_waiting(database.path) is None, "nothing waits"
    with held_alone(database.path):
        restore_at_next_start(backup, database.path)
        assert (database.read(lambda s: mark(s, "colour")) or ("",))[0] == "after", "the server goes on"
    database.close()
    aside = take_waiting(database.path)
    assert aside is not None and not waiting_for_start(database.path).exists()
    for path, colour in ((database.path, "before"), (aside, "after")):
        opened = Database(path)
        assert (opened.read(lambda s: mark(s, "colour")) or ("",))[0] == colour
        opened.close()


def test_what_waits_and_is_not_whole_is_refused_with_nothing_changed(database: Database, tmp_path: Path) -> None:
    made_whole(database)
    backup = tmp_path / "kept.sqlite"
    back_up(database.path, backup)
    cut = tmp_path / "cut.sqlite"
    cut.write_bytes(backup.read_bytes()[:20_000])
    with pytest.raises(StorageError, match=r"is not whole|damaged"):
        restore_at_next_start(cut, database.path)
    assert not waiting_for_start(database.path).exists()
    waiting_for_start(database.path).write_bytes(cut.read_bytes())
    database.close()
    before = database.path.read_bytes()
    with pytest.raises(StorageError, match=r"is not whole|damaged"):
        take_waiting(database.path)
    assert database.path.read_bytes() == before


def test_the_commands(database: Database, tmp_path: Path) -> None:
    run = CliRunner().invoke
    found = run(app, ["check-database", "--database", str(database.path), "--json"])
    assert found.exit_code == 1
    assert json.loads(found.stdout) == {"database": str(database.path), "ok": False, "problems": [KNOWN]}
    made_whole(database)
    assert run(app, ["check-database", "--database", str(database.path)]).stdout.strip().endswith("whole")
    made = run(app, ["backup", "--database", str(database.path), "--json"])
    assert made.exit_code == 0
    copy = Path(json.loads(made.stdout)["backup"])
    assert copy.parent == tmp_path / "backups"
    database.close()
    assert run(app, ["restore", str(copy), "--database", str(database.path)]).exit_code == 0
    for bad in (["check-database"], ["backup", str(tmp_path / "x.sqlite")], ["restore", str(tmp_path / "none.sqlite")]):
        answer = run(app, [*bad, "--database", str(tmp_path / "nowhere" / "none.sqlite")])
        assert answer.exit_code == 2, bad
