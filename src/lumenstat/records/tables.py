"""The tables. Times are UTC; exercise time is in ticks of 10 ms."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import CheckConstraint, DateTime, Float, ForeignKey, Index, Integer, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from lumenstat.documents.bundles import Bundle, bundle_for


class Base(DeclarativeBase):
    """Base of all tables."""


class Person(Base):
    """Somebody who can sign in."""

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    sign_in_name: Mapped[str] = mapped_column(String(40), unique=True)
    role: Mapped[str] = mapped_column(String(12))
    password_hash: Mapped[str] = mapped_column(String(200))

    __table_args__ = (CheckConstraint("role in ('instructor', 'trainee')", name="ck_people_role"),)


class SignIn(Base):
    """A signed-in browser. The cookie's token is kept only as its SHA-256."""

    __tablename__ = "sign_ins"

    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    csrf_token: Mapped[str] = mapped_column(String(64))
    expires: Mapped[datetime] = mapped_column(DateTime)
    seen: Mapped[datetime | None] = mapped_column(DateTime)

    person: Mapped[Person] = relationship(lazy="joined")


class SignInTries(Base):
    """Tries at signing in that are not forgotten yet, by what they have in common."""

    __tablename__ = "sign_in_tries"

    key: Mapped[str] = mapped_column(String(120), primary_key=True)
    count: Mapped[int] = mapped_column(Integer)
    last: Mapped[datetime] = mapped_column(DateTime)


class KnownBrowser(Base):
    """A browser from which somebody has signed in before. Its token is kept only as its SHA-256."""

    __tablename__ = "known_browsers"

    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    seen: Mapped[datetime] = mapped_column(DateTime)


class Mark(Base):
    """Something that the server keeps in mind between starts: which library it has stored, the last good backup."""

    __tablename__ = "marks"

    name: Mapped[str] = mapped_column(String(64), primary_key=True)
    value: Mapped[str] = mapped_column(Text)
    at: Mapped[datetime] = mapped_column(DateTime)


class ExerciseVersion(Base):
    """An exercise with all it refers to, as canonical JSON; never changed once stored."""

    __tablename__ = "exercise_versions"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64), index=True)
    title: Mapped[str] = mapped_column(String(200))
    content: Mapped[str] = mapped_column(Text)
    added: Mapped[datetime] = mapped_column(DateTime)
    current: Mapped[bool] = mapped_column(default=True)

    @property
    def bundle(self) -> Bundle:
        """The documents, read once in a process."""
        return bundle_for(self.digest, self.content)


class Run(Base):
    """One trainee flying one exercise once.

    It is `finished` once nothing more is done in it and `ended` once it is judged; `not_judged` says why that failed.
    """

    __tablename__ = "runs"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    digest: Mapped[str] = mapped_column(ForeignKey("exercise_versions.digest"))
    trainee_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    state: Mapped[str] = mapped_column(String(10), default="ready")
    created: Mapped[datetime] = mapped_column(DateTime)
    started: Mapped[datetime | None] = mapped_column(DateTime)
    finished: Mapped[datetime | None] = mapped_column(DateTime)
    ended: Mapped[datetime | None] = mapped_column(DateTime)
    not_judged: Mapped[str | None] = mapped_column(Text)
    engine: Mapped[str] = mapped_column(String(60))
    tick: Mapped[int] = mapped_column(Integer, default=0)
    ledger: Mapped[str | None] = mapped_column(Text)
    trace: Mapped[str | None] = mapped_column(Text)
    draft_id: Mapped[str | None] = mapped_column(String(32))
    flown_digest: Mapped[str | None] = mapped_column(String(64))
    origin_id: Mapped[str | None] = mapped_column(String(32))
    origin_tick: Mapped[int | None] = mapped_column(Integer)
    signed_by: Mapped[str | None] = mapped_column(String(80))
    signed_at: Mapped[datetime | None] = mapped_column(DateTime)
    chain: Mapped[str | None] = mapped_column(Text)
    seal: Mapped[str | None] = mapped_column(String(64))

    exercise: Mapped[ExerciseVersion] = relationship(lazy="joined")
    trainee: Mapped[Person] = relationship(lazy="joined", foreign_keys=[trainee_id])
    instructor: Mapped[Person] = relationship(lazy="joined", foreign_keys=[instructor_id])

    __table_args__ = (
        CheckConstraint("state in ('ready', 'running', 'ended')", name="ck_runs_state"),
        Index("ix_runs_trainee", "trainee_id", "created"),
        Index("ix_runs_state", "state", "created"),
    )


class RunEvent(Base):
    """One event of a run's log, in order."""

    __tablename__ = "run_events"

    run_id: Mapped[str] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    tick: Mapped[int] = mapped_column(Integer)
    by: Mapped[str] = mapped_column(String(16))
    verb: Mapped[str] = mapped_column(String(16))
    args: Mapped[str] = mapped_column(Text)
    client_id: Mapped[str | None] = mapped_column(String(64))

    __table_args__ = (UniqueConstraint("run_id", "client_id", name="uq_run_events_client"),)


class Override(Base):
    """An instructor's verdict on something in a ledger, beside the computed one; the latest about it counts.

    `kind` tells what it is about, `item` which one: see `assessment.overriding`.
    """

    __tablename__ = "overrides"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(16), default="item", server_default="item")
    item: Mapped[str] = mapped_column(String(64))
    verdict: Mapped[str] = mapped_column(String(16))
    points: Mapped[float] = mapped_column(Float)
    reason: Mapped[str] = mapped_column(Text)
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)


class AppraisalRecord(Base):
    """What an instructor said of a run as a whole; the latest counts. `drill` is a JSON list of item ids."""

    __tablename__ = "appraisals"

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    remark: Mapped[str] = mapped_column(Text)
    grade: Mapped[str | None] = mapped_column(String(60))
    advice: Mapped[str | None] = mapped_column(String(16))
    drill: Mapped[str] = mapped_column(Text, default="[]")
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)


class DraftRecord(Base):
    """An exercise being written. `revision` is the one shown; `edition` goes up with every change, undo included."""

    __tablename__ = "drafts"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    owner_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    title: Mapped[str] = mapped_column(String(200))
    revision: Mapped[int] = mapped_column(Integer, default=0)
    edition: Mapped[int] = mapped_column(Integer, default=0)
    changed: Mapped[datetime] = mapped_column(DateTime)
    published_digest: Mapped[str | None] = mapped_column(String(64))

    owner: Mapped[Person] = relationship(lazy="joined")


class DraftRevision(Base):
    """A draft as it stood after one change; `digest` is that of the exercise it amounts to, where it is one."""

    __tablename__ = "draft_revisions"

    draft_id: Mapped[str] = mapped_column(ForeignKey("drafts.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    content: Mapped[str] = mapped_column(Text)
    says: Mapped[str] = mapped_column(String(200))
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)
    digest: Mapped[str | None] = mapped_column(String(64))


class StoredProof(Base):
    """What the model found about one exercise version, kept under its digest."""

    __tablename__ = "proofs"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    proof: Mapped[str] = mapped_column(Text)
    consequences: Mapped[str | None] = mapped_column(Text)
    made: Mapped[datetime] = mapped_column(DateTime)
