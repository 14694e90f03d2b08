"""People and their passwords."""

from __future__ import annotations

import threading
from datetime import UTC, datetime
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.errors import RecordError
from lumenstat.records.leaked import is_leaked
from lumenstat.records.tables import Person

SHORTEST_PASSWORD = 10
LONGEST_PASSWORD = 200
_HASHER = PasswordHasher()
_latest = datetime.min
_clock = threading.Lock()


@cache
def _nobody() -> str:
    """The hash that a password is tried against where there is no such person."""
    return _HASHER.hash("nobody has this password")


def now() -> datetime:
    """The present moment in UTC, as the tables keep it; it never goes back while the server runs."""
    global _latest  # noqa: PLW0603 - the one clock of the process
    with _clock:
        _latest = max(_latest, datetime.now(UTC).replace(tzinfo=None))
        return _latest


def add_person(session: Session, name: str, sign_in_name: str, role: str, password: str) -> Person:
    """Add somebody who can sign in. Raises RecordError where the name is taken or the password too short."""
    sign_in_name = sign_in_name.strip().lower()
    if not name.strip() or not sign_in_name:
        raise RecordError("A name and a sign-in name are needed.")
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise RecordError(f"A password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters.")
    if is_leaked(password, sign_in_name, name):
        raise RecordError(
            "That password is known to everybody who guesses: it is in lists of leaked ones, or is the name."
        )
    if find_person(session, sign_in_name) is not None:
        raise RecordError(f"The sign-in name {sign_in_name!r} is taken.")
    person = Person(
        name=name.strip()[:80],
        sign_in_name=sign_in_name[:40],
        role=role,
        password_hash=_HASHER.hash(password),
    )
    session.add(person)
    session.flush()
    return person


def find_person(session: Session, sign_in_name: str) -> Person | None:
    """The person of that sign-in name."""
    return session.scalar(select(Person).where(Person.sign_in_name == sign_in_name.strip().lower()))


def anybody(session: Session) -> bool:
    """Whether there is any account yet."""
    return bool(session.scalar(select(func.count()).select_from(Person)))


def trainees(session: Session) -> list[Person]:
    """Everybody who can be given an exercise."""
    return list(session.scalars(select(Person).where(Person.role == "trainee").order_by(Person.name)))


def check_password(person: Person | None, password: str) -> bool:
    """Whether the password is right; takes as long for somebody who does not exist."""
    try:
        right = _HASHER.verify(person.password_hash if person else _nobody(), password[:LONGEST_PASSWORD])
    except (VerifyMismatchError, InvalidHashError):
        return False
    return right and person is not None
