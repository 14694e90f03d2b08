"""Links with which somebody signs in once and gives themselves a password."""

from __future__ import annotations

import secrets
from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lumenstat.records.people import now
from lumenstat.records.sign_ins import hash_token
from lumenstat.records.tables import Invitation, Person

GOOD_FOR = timedelta(days=14)


def invite(session: Session, person_id: int) -> str:
    """A new link's token; earlier links of the same person are no good any more."""
    session.execute(delete(Invitation).where((Invitation.person_id == person_id) | (Invitation.expires < now())))
    token = secrets.token_urlsafe(24)
    session.add(Invitation(token_hash=hash_token(token), person_id=person_id, expires=now() + GOOD_FOR))
    return token


def invited(session: Session, token: str) -> Person | None:
    """Whose link this is, while it is good."""
    query = select(Person).join(Invitation, Invitation.person_id == Person.id)
    query = query.where(Invitation.token_hash == hash_token(token), Invitation.expires > now(), Person.active)
    return session.scalar(query)


def use_up(session: Session, person_id: int) -> None:
    """A link was used."""
    session.execute(delete(Invitation).where(Invitation.person_id == person_id))
