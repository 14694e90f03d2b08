"""People and their sign-ins."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from lumenstat.errors import RecordError
from lumenstat.records.tables import Person, SignIn

SHORTEST_PASSWORD = 10
LONGEST_PASSWORD = 200
_HASHER = PasswordHasher()
_NOBODY = _HASHER.hash("nobody has this password")


def now() -> datetime:
    """The present moment in UTC, as the tables keep it."""
    return datetime.now(UTC).replace(tzinfo=None)


def add_person(session: Session, name: str, sign_in_name: str, role: str, password: str) -> Person:
    """Add somebody who can sign in. Raises RecordError where the name is taken or the password too short."""
    sign_in_name = sign_in_name.strip().lower()
    if not name.strip() or not sign_in_name:
        raise RecordError("A name and a sign-in name are needed.")
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise RecordError(f"A password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters.")
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
        right = _HASHER.verify(person.password_hash if person else _NOBODY, password[:LONGEST_PASSWORD])
    except (VerifyMismatchError, InvalidHashError):
        return False
    return right and person is not None


def hash_token(token: str) -> str:
    """What the table keeps of a cookie's token."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(session: Session, person_id: int, hours: float) -> str:
    """Open a sign-in and give the token for the cookie; expired ones are cleared on the way."""
    token = secrets.token_urlsafe(32)
    session.execute(delete(SignIn).where(SignIn.expires < now()))
    session.add(
        SignIn(
            token_hash=hash_token(token),
            person_id=person_id,
            csrf_token=secrets.token_urlsafe(24),
            expires=now() + timedelta(hours=hours),
        )
    )
    return token


def find_sign_in(session: Session, token: str) -> SignIn | None:
    """The sign-in of a cookie's token, unless it has expired."""
    found = session.get(SignIn, hash_token(token))
    return found if found is not None and found.expires > now() else None


def sign_out(session: Session, token: str) -> None:
    """End a sign-in."""
    session.execute(delete(SignIn).where(SignIn.token_hash == hash_token(token)))
