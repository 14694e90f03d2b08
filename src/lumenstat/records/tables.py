"""The tables. Times are UTC; exercise time is in ticks of 10 ms."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import (
    CheckConstraint,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    String,
    Text,
    UniqueConstraint,
    false,
    true,
)  # fmt: skip
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from lumenstat.documents.bundles import Bundle, bundle_for
from lumenstat.records.columns import WordsColumn, WordsTextColumn, title_of

LISTED = (
    "created", "trainee_id", "instructor_id", "digest", "state", "mode", "outcome", "percent", "archived", "voided_at",
    "signed_by", "id",
)  # fmt: skip
ONES_OWN = (
    "trainee_id", "created", "state", "outcome", "percent", "mode", "voided_at", "archived", "draft_id", "drill_id",
    "instructor_id", "digest", "id",
)  # fmt: skip
"""Columns of indexes that hold all that lists count and sort by, so that the wide rows of runs are not read for it."""


class Base(DeclarativeBase):
    """Base of all tables."""


class Person(Base):
    """Somebody who can sign in while `active`. A password that somebody else made for them `must_change`.

    `edition` goes up with every change, so that two who change the same person are told of each other.
    """

    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    sign_in_name: Mapped[str] = mapped_column(String(40), unique=True)
    role: Mapped[str] = mapped_column(String(12))
    password_hash: Mapped[str] = mapped_column(String(200))
    active: Mapped[bool] = mapped_column(default=True, server_default=true())
    must_change: Mapped[bool] = mapped_column(default=False, server_default=false())
    time_zone: Mapped[str] = mapped_column(String(40), default="UTC", server_default="UTC")
    edition: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    erased_at: Mapped[datetime | None] = mapped_column(DateTime)
    preferences: Mapped[str | None] = mapped_column(Text)
    """What they want pages to be like, as JSON; None for the usual."""

    __table_args__ = (CheckConstraint("role in ('trainee', 'instructor', 'head')", name="ck_people_role"),)


class Invitation(Base):
    """A link with which a person signs in once and gives themselves a password. Its token is kept as its SHA-256."""

    __tablename__ = "invitations"

    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    expires: Mapped[datetime] = mapped_column(DateTime)


class Group(Base):
    """A class: trainees with an instructor in charge."""

    __tablename__ = "groups"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    instructor_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    archived: Mapped[bool] = mapped_column(default=False, server_default=false())
    edition: Mapped[int] = mapped_column(Integer, default=0, server_default="0")

    instructor: Mapped[Person] = relationship(lazy="joined")


class Membership(Base):
    """That a trainee stands in a group."""

    __tablename__ = "memberships"

    group_id: Mapped[int] = mapped_column(ForeignKey("groups.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), primary_key=True)

    __table_args__ = (Index("ix_memberships_person", "person_id"),)


class Opened(Base):
    """That a group may practise an exercise."""

    __tablename__ = "opened"

    group_id: Mapped[int] = mapped_column(ForeignKey("groups.id", ondelete="CASCADE"), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64), primary_key=True)
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)


class Lesson(Base):
    """Runs of one exercise that were started in one go; `together` waits for a word from the instructor."""

    __tablename__ = "lessons"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    title: Mapped[str] = mapped_column(WordsColumn(200))
    exercise_id: Mapped[str] = mapped_column(String(64))
    group_id: Mapped[int | None] = mapped_column(ForeignKey("groups.id"))
    instructor_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    together: Mapped[bool] = mapped_column()
    created: Mapped[datetime] = mapped_column(DateTime)

    instructor: Mapped[Person] = relationship(lazy="joined")
    group: Mapped[Group | None] = relationship(lazy="joined")


class SignIn(Base):
    """A signed-in browser. The cookie's token is kept only as its SHA-256.

    With `run_id` it was opened by a run's code and reaches that run alone.
    """

    __tablename__ = "sign_ins"

    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    csrf_token: Mapped[str] = mapped_column(String(64))
    expires: Mapped[datetime] = mapped_column(DateTime)
    seen: Mapped[datetime | None] = mapped_column(DateTime)
    run_id: Mapped[str | None] = mapped_column(String(32))
    part: Mapped[str | None] = mapped_column(String(10))
    """In that run only the ground crew's line ("crew"), or looking on ("observer"); None for the station itself."""

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
    """An exercise with all it refers to, as canonical JSON; never changed once stored.

    Lists sort and search by the plain `title`; `named` is told to each reader in the words that the exercise has.
    """

    __tablename__ = "exercise_versions"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64), index=True)
    title: Mapped[str] = mapped_column(String(200))
    named: Mapped[str] = mapped_column(WordsTextColumn, default=title_of)
    content: Mapped[str] = mapped_column(Text)
    added: Mapped[datetime] = mapped_column(DateTime)
    current: Mapped[bool] = mapped_column(default=True)
    withdrawn: Mapped[bool] = mapped_column(default=False, server_default=false())
    published_by_id: Mapped[int | None] = mapped_column(Integer)

    @property
    def bundle(self) -> Bundle:
        """The documents, read once in a process."""
        return bundle_for(self.digest, self.content)


class Run(Base):
    """One trainee flying one exercise once.

    It is `finished` once nothing more is done in it and `ended` once it is judged; `not_judged` says why that failed.
    `mode` is `assessed`, which an instructor started, or `practice`. One of a lesson has a `station`; a `variant` says
    in words how its documents differ from those of `like_digest`. `outcome` and `percent` are as they count, and so is
    what of the ledger is asked for across many runs: seconds used and needed, items that were prompted. One of a drill
    begins at `origin_tick` and is about `drill_item` alone. `erased_seal` seals what is left after an erasure.
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
    not_judged: Mapped[str | None] = mapped_column(WordsTextColumn)
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
    mode: Mapped[str] = mapped_column(String(10), default="assessed", server_default="assessed")
    lesson_id: Mapped[str | None] = mapped_column(String(32))
    station: Mapped[int | None] = mapped_column(Integer)
    variant: Mapped[str | None] = mapped_column(WordsColumn(200))
    like_digest: Mapped[str | None] = mapped_column(String(64))
    join_code: Mapped[str | None] = mapped_column(String(6))
    outcome: Mapped[str | None] = mapped_column(String(12))
    outcome_words: Mapped[str | None] = mapped_column(String(60))
    percent: Mapped[float | None] = mapped_column(Float)
    voided_at: Mapped[datetime | None] = mapped_column(DateTime)
    voided_by: Mapped[str | None] = mapped_column(String(80))
    void_reason: Mapped[str | None] = mapped_column(Text)
    archived: Mapped[bool] = mapped_column(default=False, server_default=false())
    used_seconds: Mapped[float | None] = mapped_column(Float)
    needed_seconds: Mapped[float | None] = mapped_column(Float)
    prompted: Mapped[int | None] = mapped_column(Integer)
    drill_id: Mapped[str | None] = mapped_column(String(32))
    drill_item: Mapped[str | None] = mapped_column(String(64))
    erased_seal: Mapped[str | None] = mapped_column(String(64))

    exercise: Mapped[ExerciseVersion] = relationship(lazy="joined")
    trainee: Mapped[Person] = relationship(lazy="joined", foreign_keys=[trainee_id])
    instructor: Mapped[Person] = relationship(lazy="joined", foreign_keys=[instructor_id])

    __table_args__ = (
        CheckConstraint("state in ('ready', 'running', 'ended')", name="ck_runs_state"),
        Index("ix_runs_trainee", *ONES_OWN),
        Index("ix_runs_state", "state", "created"),
        Index("ix_runs_lesson", "lesson_id", "station"),
        Index("ix_runs_drill", "drill_id", "station"),
        Index("ix_runs_digest", "digest", "like_digest", "drill_id"),
        Index("ix_runs_list", *LISTED),
        Index("ix_runs_join_code", "join_code", unique=True),
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
    archived: Mapped[bool] = mapped_column(default=False, server_default=false())

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


class Heading(Base):
    """What a column heading means in this school's spreadsheets."""

    __tablename__ = "headings"

    heading: Mapped[str] = mapped_column(String(80), primary_key=True)
    field: Mapped[str] = mapped_column(String(20))


class Abbreviation(Base):
    """What an abbreviation means in this school's spreadsheets, beside those that ship."""

    __tablename__ = "abbreviations"

    short: Mapped[str] = mapped_column(String(40), primary_key=True)
    long: Mapped[str] = mapped_column(String(80))
