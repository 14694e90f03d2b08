"""Approval: where a school wants it, a second instructor looks at a version before it can be flown assessed."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import DateTime, ForeignKey, String, Text
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.errors import EntryRefused, RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import current_exercise
from lumenstat.records.people import get_person, now
from lumenstat.records.school import school
from lumenstat.records.tables import Base, ExerciseVersion

LEAST_WORD = 8


class Approval(Base):
    """That an instructor looked at a version of an exercise and stands for it."""

    __tablename__ = "approvals"

    digest: Mapped[str] = mapped_column(ForeignKey("exercise_versions.digest", ondelete="CASCADE"), primary_key=True)
    exercise_id: Mapped[str] = mapped_column(String(64))
    by_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime)
    says: Mapped[str] = mapped_column(Text)


def approval_of(session: Session, digest: str) -> Approval | None:
    """The approval of a version, if there is one."""
    return session.get(Approval, digest)


def approve(session: Session, exercise_id: str, person_id: int, says: str) -> None:
    """Approve the current version. Raises EntryRefused, RecordError where it is one's own or approved already."""
    version, person = current_exercise(session, exercise_id), get_person(session, person_id)
    if (found := approval_of(session, version.digest)) is not None:
        raise RecordError(phrase("{by} approved this version already.", by=found.by))
    if version.published_by_id == person_id:
        raise RecordError(phrase("You published this version; a second instructor approves it."))
    if len(says.strip()) < LEAST_WORD:
        raise EntryRefused(phrase("Say in a sentence what you looked at: it is kept with the version."), "says")
    made = Approval(digest=version.digest, exercise_id=exercise_id, by_id=person_id, by=person.name, at=now())
    # A paste of a whole manual would make the list of approvals unreadable.
    made.says = says.strip()[:2000]
    session.add(made)


def waits_for_approval(session: Session, version: ExerciseVersion) -> bool:
    """Whether a version may not be flown assessed yet. What ships with Lumenstat was published by nobody here."""
    if school(session).approval == "no" or version.published_by_id is None:
        return False
    return approval_of(session, version.digest) is None


def refuse_unapproved(session: Session, version: ExerciseVersion) -> None:
    """Raises RecordError where a version has to be approved first."""
    if waits_for_approval(session, version):
        raise RecordError(
            phrase(
                "{title} waits for a second instructor's approval before it is flown "
                "assessed. Its brief has the form for it.",
                title=version.named,
            )
        )
