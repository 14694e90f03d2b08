"""Sign-ins, the browsers they came from, and tries that failed. Tokens are kept only as their SHA-256."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable
from datetime import datetime, timedelta

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from lumenstat.records.people import now
from lumenstat.records.tables import KnownBrowser, SignIn, SignInTries

TRIES_KEPT = timedelta(hours=24)
BROWSERS_KEPT = timedelta(days=400)
NOTED_EVERY = timedelta(seconds=60)


def hash_token(token: str) -> str:
    """What the table keeps of a cookie's token."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(session: Session, person_id: int, hours: float, run_id: str | None = None, part: str | None = None) -> str:
    """Open a sign-in and give the token for the cookie; expired ones are cleared on the way.

    With `run_id` it reaches that run alone, and with `part` only the crew's line of it, or looking on.
    """
    token = secrets.token_urlsafe(32)
    session.execute(delete(SignIn).where(SignIn.expires < now()))
    session.add(
        SignIn(
            # Only its hash, so that a stolen copy of the database opens no session.
            token_hash=hash_token(token),
            person_id=person_id,
            csrf_token=secrets.token_urlsafe(24),
            expires=now() + timedelta(hours=hours),
            seen=now(),
            run_id=run_id,
            part=part,
        )
    )
    return token


def find_sign_in(session: Session, token: str, idle: timedelta | None = None) -> SignIn | None:
    """The sign-in of a cookie's token, unless it has expired or nothing was done with it for longer than `idle`."""
    found = session.get(SignIn, hash_token(token))
    if found is None or found.expires <= now():
        return None
    if idle is not None and found.seen is not None and now() - found.seen > idle:
        return None
    return found


def note_seen(session: Session, token_hash: str) -> None:
    """Remember that a sign-in is in use."""
    session.execute(update(SignIn).where(SignIn.token_hash == token_hash).values(seen=now()))


def seen_long_ago(found: SignIn) -> bool:
    """Whether it is time to remember anew that a sign-in is in use."""
    return found.seen is None or now() - found.seen > NOTED_EVERY


def sign_out(session: Session, token: str) -> None:
    """End a sign-in."""
    session.execute(delete(SignIn).where(SignIn.token_hash == hash_token(token)))


def sign_out_everywhere(session: Session, person_id: int) -> None:
    """End all sign-ins of a person, and forget the browsers that were known as theirs."""
    session.execute(delete(SignIn).where(SignIn.person_id == person_id))
    session.execute(delete(KnownBrowser).where(KnownBrowser.person_id == person_id))


def sign_out_others(session: Session, person_id: int, token: str) -> None:
    """End all sign-ins of a person but the one of this token."""
    others = delete(SignIn).where(SignIn.person_id == person_id, SignIn.token_hash != hash_token(token))
    session.execute(others)


def know_browser(session: Session, person_id: int, token: str | None) -> str:
    """Remember the browser somebody signs in from; gives the token for its cookie, its own where it has one."""
    session.execute(delete(KnownBrowser).where(KnownBrowser.seen < now() - BROWSERS_KEPT))
    found = session.get(KnownBrowser, hash_token(token)) if token is not None else None
    # Another person on the same machine gets a token of their own.
    if token is not None and found is not None and found.person_id == person_id:
        found.seen = now()
        return token
    made = secrets.token_urlsafe(32)
    session.add(KnownBrowser(token_hash=hash_token(made), person_id=person_id, seen=now()))
    return made


def is_known(session: Session, person_id: int, token: str) -> bool:
    """Whether this person has signed in from this browser before."""
    found = session.get(KnownBrowser, hash_token(token))
    return found is not None and found.person_id == person_id


def tries_of(session: Session, keys: Iterable[str]) -> dict[str, tuple[int, datetime]]:
    """How often and when last something was tried, by key; keys that were never tried, or long ago, are left out."""
    rows = session.scalars(select(SignInTries).where(SignInTries.key.in_(list(keys))))
    return {row.key: (row.count, row.last) for row in rows if now() - row.last < TRIES_KEPT}


def count_tries(session: Session, keys: Iterable[str]) -> None:
    """Count one more try under each key; what is a day old is forgotten."""
    session.execute(delete(SignInTries).where(SignInTries.last < now() - TRIES_KEPT))
    for key in keys:
        row = session.get(SignInTries, key)
        if row is None:
            session.add(SignInTries(key=key, count=1, last=now()))
        else:
            row.count, row.last = row.count + 1, now()


def uncount_tries(session: Session, forgotten: Iterable[str], one_less: Iterable[str]) -> None:
    """After a right try: forget some keys, and take this try off others."""
    session.execute(delete(SignInTries).where(SignInTries.key.in_(list(forgotten))))
    less = update(SignInTries).where(SignInTries.key.in_(list(one_less)), SignInTries.count > 0)
    session.execute(less.values(count=SignInTries.count - 1).execution_options(synchronize_session=False))
