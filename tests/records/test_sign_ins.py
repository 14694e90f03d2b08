"""Sign-ins end by time, by idleness and by choice; known browsers; passwords that everybody guesses."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, text

from lumenstat.errors import RecordError
from lumenstat.records import people
from lumenstat.records.database import Database
from lumenstat.records.people import add_person, now
from lumenstat.records.sign_ins import (
    find_sign_in,
    hash_token,
    is_known,
    know_browser,
    note_seen,
    sign_in,
    sign_out_everywhere,
)
from lumenstat.records.tables import SignIn

IDLE = timedelta(minutes=30)


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    for name in ("a", "b"):
        opened.write(lambda s, n=name: add_person(s, n.upper(), n, "trainee", "long enough words") and None)  # type: ignore[misc]
    yield opened
    opened.close()


def test_expired_sign_ins_are_cleared_when_somebody_signs_in(database: Database) -> None:
    old = database.write(lambda s: sign_in(s, 1, -1))
    assert database.read(lambda s: s.get(SignIn, hash_token(old))) is not None
    database.write(lambda s: sign_in(s, 2, 1) and None)
    assert database.read(lambda s: [row.person_id for row in s.scalars(select(SignIn))]) == [2]


def test_a_sign_in_that_is_not_used_ends(database: Database) -> None:
    token = database.write(lambda s: sign_in(s, 1, 12))
    assert database.read(lambda s: find_sign_in(s, token, IDLE)) is not None
    long_ago = f"UPDATE sign_ins SET seen = '{now() - timedelta(minutes=31):%Y-%m-%d %H:%M:%S}'"
    database.write(lambda s: s.execute(text(long_ago)) and None)
    assert database.read(lambda s: find_sign_in(s, token, IDLE)) is None
    database.write(lambda s: note_seen(s, hash_token(token)))
    assert database.read(lambda s: find_sign_in(s, token, IDLE)) is not None


def test_signing_out_everywhere_ends_all_of_ones_own_and_nobody_elses(database: Database) -> None:
    mine = [database.write(lambda s: sign_in(s, 1, 12)) for _ in range(3)]
    theirs = database.write(lambda s: sign_in(s, 2, 12))
    known = database.write(lambda s: know_browser(s, 1, None))
    database.write(lambda s: sign_out_everywhere(s, 1))
    assert [database.read(lambda s, t=t: find_sign_in(s, t)) for t in mine] == [None] * 3  # type: ignore[misc]
    assert database.read(lambda s: find_sign_in(s, theirs)) is not None
    assert not database.read(lambda s: is_known(s, 1, known))


def test_a_browser_is_known_for_one_person(database: Database) -> None:
    token = database.write(lambda s: know_browser(s, 1, None))
    assert database.read(lambda s: is_known(s, 1, token))
    assert not database.read(lambda s: is_known(s, 2, token))
    assert not database.read(lambda s: is_known(s, 1, "made up"))
    assert database.write(lambda s: know_browser(s, 1, token)) == token
    assert database.write(lambda s: know_browser(s, 2, token)) != token


@pytest.mark.parametrize(
    "password",
    ["password1234", "Password123!", "qwertyuiop", "1234567890", "aaaaaaaaaaaa", "abcabcabcabc", "annabeth rowe", "annabeth1234"],
)  # fmt: skip
def test_passwords_that_everybody_tries_are_refused(database: Database, password: str) -> None:
    with pytest.raises(RecordError, match="known to everybody who guesses"):
        database.write(lambda s: add_person(s, "Annabeth Rowe", "annabeth", "trainee", password))


@pytest.mark.parametrize("password", ["frost-on-the-ramp", "eleven tired herons", "Xq7#mm2pLw", "𝔘nder the wing, 7"])
def test_other_passwords_may_be_taken(database: Database, password: str) -> None:
    database.write(lambda s: add_person(s, "Annabeth Rowe", "annabeth", "trainee", password) and None)


def test_the_clock_never_goes_back_while_the_server_runs(monkeypatch: pytest.MonkeyPatch) -> None:
    before = now()

    class Back(datetime):
        @classmethod
        def now(cls, tz: Any = None) -> Any:
            return datetime(2001, 1, 1, tzinfo=tz)

    monkeypatch.setattr(people, "datetime", Back)
    assert now() >= before
