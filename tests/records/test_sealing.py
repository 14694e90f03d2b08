"""A signed record: every part of it is under the seal, and one that was signed long ago still verifies.

The golden record was made once, by the release that is named in it, and is never made anew: a change that breaks it
breaks every record that schools have signed.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text

from lumenstat.errors import RecordError
from lumenstat.records.database import Database
from lumenstat.records.sealing import Verified, add_override, sign, signed_runs, verify
from lumenstat.records.tables import ExerciseVersion, Override, Person, Run, RunEvent

GOLDEN = Path(__file__).parent / "golden" / "signed-record.json"
RUN = "0123456789abcdef"


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    opened.write(load_golden)
    yield opened
    opened.close()


def load_golden(session: Any) -> None:
    """The record as its tables held it."""
    for kind, rows in json.loads(GOLDEN.read_text()).items():
        model = {
            "people": Person,
            "exercise_versions": ExerciseVersion,
            "runs": Run,
            "run_events": RunEvent,
            "overrides": Override,
        }[kind]
        for row in rows:
            dates = {"added", "created", "started", "ended", "signed_at", "at", "finished"}
            session.add(model(**{k: datetime.fromisoformat(v) if k in dates and v else v for k, v in row.items()}))
        session.flush()


def verified(database: Database) -> Verified:
    return database.read(lambda s: verify(s, RUN))


def test_the_golden_record_still_verifies(database: Database) -> None:
    found = verified(database)
    assert found.ok
    assert found.signed_by == "Odile Marrash"
    assert database.read(signed_runs) == [RUN]


ALTERATIONS = [
    ("UPDATE run_events SET tick = tick + 1 WHERE number = 0", "event 1 of the log is not what was signed"),
    ("UPDATE run_events SET \"by\" = 'captain' WHERE number = 1", "event 2 of the log"),
    ("UPDATE run_events SET verb = 'press' WHERE number = 1", "event 2 of the log"),
    ("UPDATE run_events SET args = '{\"item\": \"outside\"}' WHERE number = 0", "event 1 of the log"),
    ("DELETE FROM run_events WHERE number = 2", "the log has 2 events; 3 were signed"),
    ("INSERT INTO run_events VALUES ('0123456789abcdef', 3, 9000, 'trainee', 'finish', '{}', NULL)", "the log has 4 events"),
    ("UPDATE runs SET engine = 'another'", "the head of the log"),
    ("UPDATE runs SET started = '2026-01-02 03:04:06'", "the head of the log"),
    ("UPDATE people SET name = 'Somebody Else' WHERE role = 'trainee'", "the head of the log"),
    ("UPDATE runs SET ledger = '{\"percent\": 100.0}'", "the ledger, an override, the appraisal or the signature"),
    ("UPDATE runs SET signed_by = 'Somebody Else'", "the ledger, an override, the appraisal or the signature"),
    ("UPDATE runs SET signed_at = '2026-02-03 04:05:07'", "the ledger, an override, the appraisal or the signature"),
    ("UPDATE runs SET seal = '0'", "the ledger, an override, the appraisal or the signature"),
    *(
        (f"UPDATE overrides SET {change}", "the ledger, an override, the appraisal or the signature")
        for change in (
            "item = 'other'", "verdict = 'wrong'", "points = 0.5", "reason = 'Another reason.'", "\"by\" = 'Somebody'",
            "at = '2026-01-02 09:09:10'",
        )
    ),
    ("DELETE FROM overrides", "the ledger, an override, the appraisal or the signature"),
]  # fmt: skip


@pytest.mark.parametrize(("change", "says"), ALTERATIONS)
def test_every_alteration_is_found(database: Database, change: str, says: str) -> None:
    database.write(lambda s: s.execute(text(change)) and None)
    found = verified(database)
    assert not found.ok
    assert any(says in each for each in found.says), found.says


def test_the_documents_are_under_the_seal(database: Database) -> None:
    """Another exercise version with the same name is not what was signed."""

    def exchange(session: Any) -> None:
        version = session.get(ExerciseVersion, json.loads(GOLDEN.read_text())["exercise_versions"][0]["digest"])
        session.add(
            ExerciseVersion(
                digest="f" * 64, exercise_id=version.exercise_id, title="T", content="{}", added=version.added
            )
        )
        session.flush()
        session.get(Run, RUN).digest = "f" * 64

    database.write(exchange)
    assert not verified(database).ok


def test_a_chain_takes_in_what_came_before(database: Database) -> None:
    """The first altered event is named, though every link after it differs too."""
    links = json.loads(GOLDEN.read_text())["runs"][0]["chain"].split("\n")
    assert len(links) == len(set(links)) == 4
    database.write(lambda s: s.execute(text("UPDATE run_events SET tick = 1 WHERE number = 0")) and None)
    assert verified(database).says == ("event 1 of the log is not what was signed",)


def test_a_record_is_signed_once_and_then_stands(database: Database) -> None:
    with pytest.raises(RecordError, match="signed by Odile Marrash already"):
        database.write(lambda s: sign(s, RUN, "Somebody Else"))
    with pytest.raises(RecordError, match="can no longer be changed"):
        database.write(
            lambda s: add_override(s, RUN, "item", "log", "done", 1.0, "For a good reason.", "Odile Marrash")
        )
    assert verified(database).ok


def test_what_is_not_judged_is_not_signed_and_what_is_not_signed_does_not_verify(database: Database) -> None:
    database.write(lambda s: s.execute(text("UPDATE runs SET signed_by = NULL, ledger = NULL")) and None)
    with pytest.raises(RecordError, match="not judged yet"):
        database.write(lambda s: sign(s, RUN, "Odile Marrash"))
    assert verified(database).says == ("it is not signed, so there is nothing to hold it against",)
    assert database.read(signed_runs) == []
