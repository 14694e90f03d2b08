"""The audit list: who changed what and when, written by the session itself, so that no change can forget it.

What is audited is said once, in `AUDITED`: which tables, by which columns, under which name. What nobody does by hand
(a clock that ticks, a verdict that is computed) is not in the list.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, Index, String, Text, event, inspect, or_, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.records.acting import BY
from lumenstat.records.approvals import Approval
from lumenstat.records.courses import Course, CourseStep, Enrolment
from lumenstat.records.day_plans import DayPlanRecord
from lumenstat.records.lists import ON_A_PAGE, Found, escaped, page_of
from lumenstat.records.people import now
from lumenstat.records.school import SchoolSetting
from lumenstat.records.tables import (
    AppraisalRecord,
    Base,
    ExerciseVersion,
    Group,
    Membership,
    Opened,
    Override,
    Person,
    Run,
)  # fmt: skip

LONGEST = 600
SECRET = frozenset({"password_hash"})
"""Changed columns of which the list says that they changed, and no more."""


class AuditLine(Base):
    """One change: when, by whom, of what kind, which one, and what was done."""

    __tablename__ = "audit_lines"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(DateTime)
    by: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(64))
    says: Mapped[str] = mapped_column(Text)

    __table_args__ = (Index("ix_audit_lines_at", "at"), Index("ix_audit_lines_subject", "kind", "subject"))


@dataclass(frozen=True)
class Audited:
    """A table that is audited: what its rows are called, which one a row is, and the columns that are looked at."""

    kind: str
    subject: Callable[[Any], object]
    named: Callable[[Any], str]
    columns: Mapping[str, str]
    made: bool = True
    """Whether a new row is a change that somebody made."""


def _person_of(row: Any) -> str:
    session = inspect(row).session
    person = session.get(Person, row.person_id) if session is not None else None
    return person.name if person is not None else f"person {row.person_id}"


AUDITED: Mapping[type[Base], Audited] = {
    Person: Audited(
        "person", lambda p: p.id, lambda p: p.name,
        {"name": "name", "sign_in_name": "sign-in name", "role": "role", "active": "may sign in",
         "password_hash": "password", "erased_at": "erased"},
    ),
    Group: Audited(
        "group", lambda g: g.id, lambda g: g.name,
        {"name": "name", "instructor_id": "in charge", "archived": "put away"},
    ),
    Membership: Audited("group", lambda m: m.group_id, lambda m: f"member {_person_of(m)}", {}),
    Opened: Audited("group", lambda o: o.group_id, lambda o: f"practice of {o.exercise_id}", {}),
    ExerciseVersion: Audited(
        "exercise", lambda v: v.exercise_id, lambda v: f"{v.title}, version {v.digest[:12]}",
        {"withdrawn": "withdrawn", "current": "current"},
    ),
    Run: Audited(
        "run", lambda r: r.id, lambda r: f"run {r.id}",
        {"signed_by": "signed by", "voided_by": "voided by", "void_reason": "reason", "archived": "put away",
         "instructor_id": "in charge"}, made=False,
    ),
    Override: Audited(
        "run", lambda o: o.run_id, lambda o: f"verdict on {o.item or o.kind}: {o.verdict}, {o.points:g}", {}
    ),
    AppraisalRecord: Audited("run", lambda a: a.run_id, lambda a: f"appraisal {a.grade or ''}".strip(), {}),
    Course: Audited(
        "course", lambda c: c.id, lambda c: c.name, {"name": "name", "about": "about", "archived": "put away"}
    ),
    CourseStep: Audited(
        "course", lambda s: s.course_id, lambda s: f"step {s.number + 1}, {s.exercise_id}",
        {"exercise_id": "exercise", "at_least": "points", "grade": "grade", "within_days": "days", "passes": "passes"},
    ),
    Enrolment: Audited("course", lambda e: e.course_id, lambda e: f"trainee {_person_of(e)}", {}),
    Approval: Audited("exercise", lambda a: a.exercise_id, lambda a: f"approval of version {a.digest[:12]}", {}),
    DayPlanRecord: Audited("day", lambda d: d.id, lambda d: f"plan of {d.day}", {"content": "plan"}),
    SchoolSetting: Audited(
        "school", lambda s: s.name, lambda s: f"{s.name.replace('_', ' ')} {s.value}", {"value": "value"}
    ),
}  # fmt: skip


UNAUDITED = "unaudited"
"""While a session has this, what it changes is told in one line by whoever changes it."""


def note(session: Session, kind: str, subject: object, says: str) -> None:
    """Keep a line about something that no row tells of by itself."""
    by = session.info.get(BY) or "Lumenstat"
    session.add(AuditLine(at=now(), by=by, kind=kind, subject=str(subject)[:64], says=says[:LONGEST]))


@event.listens_for(Session, "before_flush")
def _before_flush(session: Session, *_: object) -> None:
    """Put every change that somebody makes into the list; what Lumenstat does by itself is not in it."""
    if not session.info.get(BY) or session.info.get(UNAUDITED):
        return
    lines = [
        (kept, row, says)
        for rows, verb in ((session.new, "added"), (session.dirty, "changed"), (session.deleted, "taken out"))
        # A copy, since the lines that are added on the way are new rows of the session as well.
        for row in list(rows)
        if (kept := AUDITED.get(type(row))) is not None
        for says in _says(row, kept, verb)
    ]
    if any(kept.subject(row) is None for kept, row, _ in lines):
        # What is new has no number before it is stored.
        session.info.setdefault("audit_later", []).extend(each for each in lines if each[0].subject(each[1]) is None)
    for kept, row, says in lines:
        if kept.subject(row) is not None:
            note(session, kept.kind, kept.subject(row), says)


@event.listens_for(Session, "after_flush_postexec")
def _after_flush(session: Session, *_: object) -> None:
    for kept, row, says in session.info.pop("audit_later", []):
        note(session, kept.kind, kept.subject(row), says)


def _says(row: Any, kept: Audited, verb: str) -> Iterator[str]:
    if verb == "added":
        if kept.made:
            yield f"{kept.named(row)} added"
        return
    if verb == "taken out":
        yield f"{kept.named(row)} taken out"
        return
    changes = list(_changes(row, kept.columns))
    # A row can be dirty without a change that is audited: its edition alone, for example.
    if changes:
        yield f"{kept.named(row)}: {'; '.join(changes)}"


def _changes(row: Any, columns: Mapping[str, str]) -> Iterator[str]:
    for name, words in columns.items():
        history = inspect(row).attrs[name].history
        if not history.has_changes():
            continue
        was = history.deleted[0] if history.deleted else None
        now_is = history.added[0] if history.added else None
        # SQLAlchemy calls setting a column to what it was a change; a reader of the list would not.
        if was == now_is:
            continue
        # A plan of a day is a document of some kilobytes, twice: the list would be of nothing else.
        if name in SECRET or name == "content":
            yield f"{words} changed"
        else:
            yield f"{words} was {_word(was)}, is {_word(now_is)}"


def _word(value: object) -> str:
    if value is None or value == "":
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:%Y-%m-%d %H:%M} UTC" if isinstance(value, datetime) else str(value)


# ---- looking ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class AuditFilter:
    """Which lines are shown; empty fields choose nothing."""

    words: str = ""
    kind: str = ""
    subject: str = ""
    page: int = 1


def audit_kinds() -> list[str]:
    """The kinds of things that are audited."""
    return sorted({kept.kind for kept in AUDITED.values()})


def find_lines(session: Session, wanted: AuditFilter) -> Found[AuditLine]:
    """A page of the list, newest first."""
    query = select(AuditLine)
    for word in wanted.words.split():
        like = f"%{escaped(word)}%"
        query = query.where(or_(AuditLine.by.like(like, escape="\\"), AuditLine.says.like(like, escape="\\")))
    if wanted.kind:
        query = query.where(AuditLine.kind == wanted.kind)
    if wanted.subject:
        query = query.where(AuditLine.subject == wanted.subject)
    # By number and not by time: several lines of one request have the same time.
    return page_of(session, query, AuditLine.id.desc(), wanted.page, ON_A_PAGE)
