"""What waits for an instructor on their home page."""

from __future__ import annotations

from lumenstat.records.database import Database
from lumenstat.records.lists import Waiting, waiting_for
from tests.school import flown, person


def of(database: Database, sign_in_name: str | None) -> Waiting:
    who = None if sign_in_name is None else person(database, sign_in_name)
    return database.read(lambda session: waiting_for(session, who))


def test_nothing_waits_where_nothing_was_flown(database: Database) -> None:
    assert of(database, None) == of(database, "odile") == Waiting(to_sign=0, stuck=0, open=0)


def test_what_was_judged_waits_for_its_own_instructor_to_sign(database: Database) -> None:
    flown(database, "ines")
    assert of(database, None) == of(database, "odile") == Waiting(to_sign=1, stuck=0, open=0)
    assert of(database, "rosamund") == Waiting(to_sign=0, stuck=0, open=0)
