"""Opening a database: what cannot be used is said in words, and left as it is."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine, text

from lumenstat.errors import StorageError
from lumenstat.records.database import Database
from lumenstat.records.opening import MIGRATIONS, held_alone, layouts, open_engine, read_only_engine
from lumenstat.records.runs import awaiting_verdict
from lumenstat.records.trouble import in_words


def config() -> Config:
    made = Config()
    made.set_main_option("script_location", str(MIGRATIONS))
    return made


def test_the_layouts_are_those_of_the_migrations() -> None:
    script = ScriptDirectory.from_config(config())
    assert layouts() == sorted(each.revision for each in script.walk_revisions())
    assert layouts()[-1] == script.get_current_head()


def test_the_file_and_those_beside_it_are_for_its_own_user(tmp_path: Path) -> None:
    path = tmp_path / "db.sqlite"
    path.touch(mode=0o644)
    database = Database(path)
    database.write(lambda s: s.execute(text("SELECT 1")) and None)
    assert {each.name: oct(each.stat().st_mode & 0o777) for each in tmp_path.iterdir()} == {
        "db.sqlite": "0o600",
        "db.sqlite-wal": "0o600",
        "db.sqlite-shm": "0o600",
    }
    database.close()


def test_what_is_no_database_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "notes.txt"
    path.write_text("a text of somebody's, which is no database at all")
    with pytest.raises(StorageError, match="no SQLite database"):
        open_engine(path)
    assert path.read_text().startswith("a text of somebody's")


def test_another_programs_database_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "other.sqlite"
    with closing(sqlite3.connect(path)) as other:
        other.execute("CREATE TABLE songs (title TEXT)")
    with pytest.raises(StorageError, match="another program"):
        open_engine(path)
    with closing(sqlite3.connect(path)) as other:
        assert [name for (name,) in other.execute("SELECT name FROM sqlite_master")] == ["songs"]


def test_a_newer_database_is_refused_with_what_to_do(tmp_path: Path) -> None:
    path = tmp_path / "db.sqlite"
    open_engine(path).dispose()
    with closing(sqlite3.connect(path)) as newer:
        newer.execute("UPDATE alembic_version SET version_num = '0999'")
        newer.commit()
    with pytest.raises(StorageError, match=r"newer Lumenstat \(layout 0999; this one knows up to"):
        open_engine(path)


def test_a_database_that_may_only_be_read(tmp_path: Path) -> None:
    path = tmp_path / "db.sqlite"
    open_engine(path).dispose()
    engine = read_only_engine(path)
    with pytest.raises(StorageError, match="may only be read"), in_words(), engine.begin() as connection:
        connection.execute(text("INSERT INTO marks VALUES ('a', 'b', '2026-01-01')"))
    engine.dispose()


def test_a_damaged_database_is_said(tmp_path: Path) -> None:
    path = tmp_path / "db.sqlite"
    database = Database(path)
    database.close()
    content = bytearray(path.read_bytes())
    content[4096 : len(content)] = b"\xa5" * (len(content) - 4096)
    path.write_bytes(bytes(content))
    with pytest.raises(StorageError, match=r"damaged.*restore the last good backup"):
        opened = Database(path)
        try:
            opened.read(awaiting_verdict)
        finally:
            opened.close()


def test_a_missing_folder_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    with pytest.raises(StorageError, match="cannot be used"):
        open_engine(tmp_path / "file" / "db.sqlite")


def test_two_servers_by_two_names_of_one_file(tmp_path: Path) -> None:
    path, link, hard = tmp_path / "db.sqlite", tmp_path / "link.sqlite", tmp_path / "hard.sqlite"
    with held_alone(path):
        link.symlink_to(path)
        hard.hardlink_to(path)
        script = "import sys\nfrom pathlib import Path\nfrom lumenstat.records.opening import held_alone\nfrom lumenstat.errors import StorageError\ntry:\n  with held_alone(Path(sys.argv[1])): print('held')\nexcept StorageError as error: print(error)"
        for name in (path, link, hard):
            said = subprocess.run([sys.executable, "-c", script, str(name)], capture_output=True, text=True, check=True)
            assert said.stdout.startswith("Another Lumenstat server is using")
    said = subprocess.run([sys.executable, "-c", script, str(link)], capture_output=True, text=True, check=True)
    assert said.stdout == "held\n"


def test_a_database_of_the_first_release_is_brought_up_whole(tmp_path: Path) -> None:
    """A run that was finished and not judged when it was written waits for its verdict; one that flies does not."""
    path = tmp_path / "old.sqlite"
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        made = config()
        made.attributes["connection"] = connection
        command.upgrade(made, "0004")
        for line in (
            "INSERT INTO people VALUES (1, 'A', 'a', 'trainee', 'x')",
            "INSERT INTO exercise_versions VALUES ('d', 'e', 'E', '{}', '2026-01-01 00:00:00', 1)",
            *(
                "INSERT INTO runs (id, digest, trainee_id, instructor_id, state, created, started, engine, tick, ledger) "
                f"VALUES ('{run}', 'd', 1, 1, '{state}', '2026-01-01', '2026-01-02 00:00:00', 'e', 5, {ledger})"
                for run, state, ledger in (
                    ("flies", "running", "NULL"),
                    ("waits", "running", "NULL"),
                    ("done", "ended", "'{}'"),
                )
            ),
            "INSERT INTO run_events VALUES ('waits', 0, 5, 'trainee', 'finish', '{}', NULL)",
        ):
            connection.execute(text(line))
    engine.dispose()
    database = Database(path)
    assert database.read(awaiting_verdict) == ["waits"]
    found = database.read(lambda s: s.execute(text("SELECT id, finished IS NULL FROM runs ORDER BY id")).all())
    assert [tuple(row) for row in found] == [("done", 0), ("flies", 1), ("waits", 0)]
    database.close()


def test_a_migration_that_fails_leaves_the_database_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "old.sqlite"
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        made = config()
        made.attributes["connection"] = connection
        command.upgrade(made, "0004")
        connection.execute(text("CREATE TABLE marks (name TEXT)"))  # so that the last step of the next layout fails
    engine.dispose()
    before = sqlite3.connect(path).execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall()
    with pytest.raises(Exception, match="marks already exists"):
        open_engine(path)
    assert sqlite3.connect(path).execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall() == before
