"""Statements that wait to be sent to a record store, and those that were: each once, under its own number."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import DateTime, ForeignKey, Index, Integer, String, Text, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.records.columns import WordsTextColumn
from lumenstat.records.people import now
from lumenstat.records.tables import Base, Run

FIRST_WAIT, LONGEST_WAIT = timedelta(seconds=10), timedelta(hours=1)
AT_ONCE = 50


class Statement(Base):
    """One statement: waiting, sent, or refused for good with what the record store said."""

    __tablename__ = "statements"

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    number: Mapped[int] = mapped_column(Integer)
    content: Mapped[str] = mapped_column(Text)
    state: Mapped[str] = mapped_column(String(8), default="waiting", server_default="waiting")
    tries: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    next_try: Mapped[datetime] = mapped_column(DateTime)
    says: Mapped[str | None] = mapped_column(WordsTextColumn)

    __table_args__ = (Index("ix_statements_state", "state", "next_try"),)


def queue(session: Session, run_id: str, statements: Sequence[tuple[str, str]]) -> int:
    """Queue statements of a run, as number and JSON; those that are queued or sent already are left. Gives how many."""
    # Their ids are derived from the run, so a judgement that is done twice sends nothing twice.
    known = set(session.scalars(select(Statement.id).where(Statement.run_id == run_id)))
    new = [(number, each) for number, each in enumerate(statements) if each[0] not in known]
    session.add_all(
        Statement(id=name, run_id=run_id, number=n, content=text, next_try=now(), state="waiting", tries=0)
        for n, (name, text) in new
    )
    return len(new)


def not_queued(session: Session, at_most: int) -> list[str]:
    """Judged runs, assessed and signed, of which nothing is queued yet."""
    queued = select(Statement.run_id).distinct()
    query = select(Run.id).where(Run.signed_by.is_not(None), Run.voided_at.is_(None), Run.id.not_in(queued))
    return list(session.scalars(query.order_by(Run.signed_at).limit(at_most)))


def to_send(session: Session) -> list[Statement]:
    """What is due, in the order in which it happened."""
    query = select(Statement).where(Statement.state == "waiting", Statement.next_try <= now())
    return list(session.scalars(query.order_by(Statement.next_try, Statement.run_id, Statement.number).limit(AT_ONCE)))


def note_sent(session: Session, names: Sequence[str]) -> None:
    """These were taken."""
    for each in session.scalars(select(Statement).where(Statement.id.in_(names))):
        each.state, each.says, each.tries = "sent", None, each.tries + 1


def note_failed(session: Session, names: Sequence[str], says: str, for_good: bool) -> None:
    """These were not taken: they are tried again later each time, or never where the store refuses what they say."""
    for each in session.scalars(select(Statement).where(Statement.id.in_(names))):
        each.tries += 1
        each.says = says
        each.state = "refused" if for_good else "waiting"
        each.next_try = now() + min(LONGEST_WAIT, FIRST_WAIT * 2 ** min(each.tries - 1, 12))


def try_again(session: Session) -> None:
    """Have everything that was not taken tried at once."""
    for each in session.scalars(select(Statement).where(Statement.state != "sent")):
        each.state, each.next_try = "waiting", now()


def counts(session: Session) -> dict[str, int]:
    """How many there are by state."""
    rows = session.execute(select(Statement.state, func.count()).group_by(Statement.state))
    return {row[0]: row[1] for row in rows}


def last_trouble(session: Session) -> str | None:
    """What the record store said last of something that was not taken."""
    query = select(Statement.says).where(Statement.state != "sent", Statement.says.is_not(None))
    return session.scalar(query.order_by(Statement.next_try.desc()).limit(1))
