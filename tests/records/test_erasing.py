"""Erasing a trainee and retention: who it was goes, statistics stay, signed records say what cannot be checked any more."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import text

from lumenstat.demo import DEMO_PASSWORD
from lumenstat.errors import EntryRefused, RecordError
from lumenstat.records.acting import acting_as
from lumenstat.records.audit import AuditFilter, find_lines
from lumenstat.records.courses import enrolled
from lumenstat.records.database import Database
from lumenstat.records.erasing import clear_out, erase_person, too_old
from lumenstat.records.groups import members_of, set_opened
from lumenstat.records.keeping import faults_of
from lumenstat.records.people import check_password, find_person, get_person, now, set_account
from lumenstat.records.runs import create_run, find_run
from lumenstat.records.school import School
from lumenstat.records.sealing import verify
from lumenstat.records.statistics import class_of, missed_by, missed_in
from lumenstat.records.tables import Base
from lumenstat.standins.today import plan_today
from tests.flights import about, perfect_frost, without
from tests.school import flown, person, signed

NAME = "Ines Okafor-Lund"
SLIPPED = without(perfect_frost(), about("see", control="wipers"))


def everything(database: Database) -> str:
    """Every cell of every table, as one text."""
    with database.engine.connect() as connection:
        return "\n".join(
            str(tuple(row))
            for name in Base.metadata.tables
            for row in connection.execute(text(f"SELECT * FROM {name}"))
        )


@pytest.fixture
def erased(database: Database) -> tuple[Database, str, int]:
    """A school from which Ines was erased: a signed run, a plan with her in it, changes by and about her."""
    run, number = signed(database, events=SLIPPED), person(database, "ines")
    with acting_as(NAME):
        database.write(lambda s: set_account(s, number, NAME, "Europe/Paris"))
    database.write(plan_today)
    with acting_as("Rosamund Tegler"):
        database.write(lambda s: erase_person(s, number, " ines  OKAFOR-lund "))
    return database, run, number


def test_nothing_says_any_more_who_it_was(erased: tuple[Database, str, int]) -> None:
    database, _, _ = erased
    found = everything(database)
    for word in ("Ines", "Okafor", "'ines'"):
        assert word not in found, [line for line in found.splitlines() if word in line][:2]


def test_words_that_only_hold_the_name_stay_as_they_are(database: Database) -> None:
    """The sign-in name "ines" stands in every "engines"."""
    number = person(database, "ines")
    with acting_as(NAME):
        database.write(lambda s: set_opened(s, 2, ["engines-to-dark"], NAME))
    database.write(lambda s: erase_person(s, number, NAME))
    says = {line.says for line in database.read(lambda s: find_lines(s, AuditFilter(kind="group"))).rows}
    assert "practice of engines-to-dark added" in says
    assert not any("Erased" in line for line in says)


def test_nobody_signs_in_as_them_and_they_stand_nowhere(erased: tuple[Database, str, int]) -> None:
    database, _, number = erased
    gone = database.read(lambda s: get_person(s, number))
    assert database.read(lambda s: find_person(s, "ines")) is None
    assert not gone.active and not check_password(gone, DEMO_PASSWORD) and not check_password(gone, "erased")
    assert number not in {p.id for p in database.read(lambda s: members_of(s, 1))}
    assert number not in {p.id for p, _ in database.read(lambda s: enrolled(s, 1))}


def test_statistics_stay(database: Database) -> None:
    signed(database, events=SLIPPED)
    number = person(database, "ines")
    before = database.read(lambda s: missed_by(s, number))
    assert before
    database.write(lambda s: erase_person(s, number, NAME))
    assert database.read(lambda s: missed_by(s, number)) == before
    assert list(faults_of(database.path)) == []


def test_the_signed_record_says_what_was_lost(erased: tuple[Database, str, int]) -> None:
    database, run, _ = erased
    found = database.read(lambda s: verify(s, run))
    assert found.ok and found.explained is not None and "The trainee was erased since" in found.explained


@pytest.mark.parametrize(
    "spoil",
    [
        "UPDATE run_events SET tick = tick + 1 WHERE number = 3",
        "UPDATE runs SET ledger = replace(ledger, '0.0', '0.5')",
        "UPDATE overrides SET points = 1",
        "UPDATE appraisals SET grade = 'Well done'",
        "DELETE FROM run_events WHERE number = 5",
    ],
)
def test_an_alteration_after_an_erasure_still_shows(erased: tuple[Database, str, int], spoil: str) -> None:
    database, run, _ = erased
    with database.engine.begin() as connection:
        connection.execute(text(spoil))
    assert not database.read(lambda s: verify(s, run)).ok


def test_a_record_that_was_broken_before_is_not_made_whole_by_an_erasure(database: Database) -> None:
    run, number = signed(database), person(database, "ines")
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE overrides SET points = 1"))
    found = database.write(lambda s: erase_person(s, number, NAME))
    assert found.broken_before == (run,) and found.signed == 1
    assert not database.read(lambda s: verify(s, run)).ok


def test_what_was_erased_is_in_the_audit_list_without_the_name(erased: tuple[Database, str, int]) -> None:
    database, _, number = erased
    (line,) = database.read(lambda s: find_lines(s, AuditFilter(words="erased", kind="person"))).rows[:1]
    assert line.by == "Rosamund Tegler" and line.says == f"Erased person {number} erased; 1 runs stay under the number"


@pytest.mark.parametrize("typed", ["", "Ines", "Tobias Arkwell"])
def test_the_name_is_typed_to_be_sure(database: Database, typed: str) -> None:
    number = person(database, "ines")
    with pytest.raises(EntryRefused, match="Type the name"):
        database.write(lambda s: erase_person(s, number, typed))
    assert database.read(lambda s: find_person(s, "ines")) is not None


def test_instructors_and_whoever_still_flies_are_not_erased(database: Database) -> None:
    odile, ines = person(database, "odile"), person(database, "ines")
    with pytest.raises(RecordError, match="Instructors stand for what they signed"):
        database.write(lambda s: erase_person(s, odile, "Odile Marrash"))
    digest = database.read(lambda s: find_run(s, signed(database)).digest)
    database.write(lambda s: create_run(s, digest, ines, odile, "e"))
    with pytest.raises(RecordError, match="open; end or void it first"):
        database.write(lambda s: erase_person(s, ines, NAME))


# ---- retention -------------------------------------------------------------------------------------------------------


def test_what_is_too_old_is_counted_taken_out_and_stays_in_the_statistics(database: Database) -> None:
    ages = (200, 20)
    practised = [flown(database, events=SLIPPED, days_ago=days, mode="practice") for days in ages]
    assessed = [flown(database, days_ago=days) for days in ages]
    settled = School(keep_practice_months=3, keep_traces_months=3, keep_audit_months=1)
    number = person(database, "ines")
    before = database.read(lambda s: (missed_by(s, number), missed_in(s, 1)))
    assert database.read(lambda s: too_old(s, settled)) == database.write(lambda s: clear_out(s, settled))
    with pytest.raises(RecordError):
        database.read(lambda s: find_run(s, practised[0]))
    assert database.read(lambda s: find_run(s, practised[1])).ledger
    old, new = database.read(lambda s: [find_run(s, run) for run in assessed])
    assert old.trace is None and old.ledger is not None and new.trace is not None
    assert database.read(lambda s: (missed_by(s, number), missed_in(s, 1))) == before
    assert not database.read(lambda s: too_old(s, settled))
    assert list(faults_of(database.path)) == []


def test_nothing_is_taken_out_where_nothing_is_settled(database: Database) -> None:
    flown(database, days_ago=4000, mode="practice")
    assert not database.read(lambda s: too_old(s, School()))
    assert not database.write(lambda s: clear_out(s, School()))


def test_a_signed_practice_is_kept(database: Database) -> None:
    run = signed(database)
    with database.engine.begin() as connection:
        connection.execute(
            text("UPDATE runs SET mode = 'practice', created = :at"), {"at": now() - timedelta(days=900)}
        )
    database.write(lambda s: clear_out(s, School(keep_practice_months=1)))
    assert database.read(lambda s: find_run(s, run)).signed_by == "Odile Marrash"
    assert database.read(lambda s: class_of(s, 1))
