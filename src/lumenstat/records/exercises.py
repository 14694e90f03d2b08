"""Exercises as stored: every version under its digest."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lumenstat.documents.bundles import Bundle, cached_bundle
from lumenstat.errors import NoSuchRecord
from lumenstat.language.wording import phrase
from lumenstat.records.people import now
from lumenstat.records.tables import ExerciseVersion, Run


def keep_version(session: Session, bundle: Bundle) -> None:
    """Keep an exercise version for a run of its own, without anybody else seeing it."""
    if session.get(ExerciseVersion, bundle.digest) is None:
        session.add(_version(bundle, current=False))


def store_bundle(session: Session, bundle: Bundle, by_id: int | None = None) -> None:
    """Keep an exercise; it becomes the current version of its id. Older versions stay for their runs.

    `by_id` is the instructor who publishes it; what ships with Lumenstat is published by nobody.
    """
    others = update(ExerciseVersion).where(ExerciseVersion.exercise_id == bundle.exercise.id)
    session.execute(others.values(current=False))
    found = session.get(ExerciseVersion, bundle.digest)
    # The same content again, perhaps after an undo of a publication: the version is current once more, under the name
    # of whoever published it first.
    if found is not None:
        found.current = True
        return
    version = _version(bundle, current=True)
    version.published_by_id = by_id
    session.add(version)


def _version(bundle: Bundle, current: bool) -> ExerciseVersion:
    return ExerciseVersion(
        digest=bundle.digest,
        exercise_id=bundle.exercise.id,
        title=bundle.exercise.title,
        named=bundle.title,
        content=bundle.canonical_json,
        added=now(),
        current=current,
    )


def current_exercises(session: Session, withdrawn: bool = False) -> list[ExerciseVersion]:
    """The current version of every exercise; those that are withdrawn only where asked for."""
    query = select(ExerciseVersion).where(ExerciseVersion.current).order_by(ExerciseVersion.title)
    return list(session.scalars(query if withdrawn else query.where(~ExerciseVersion.withdrawn)))


def exercise_titles(session: Session) -> list[tuple[str, str]]:
    """The id and title of the current version of every exercise, withdrawn ones too."""
    query = select(ExerciseVersion.exercise_id, ExerciseVersion.named).where(ExerciseVersion.current)
    return [(row[0], row[1]) for row in session.execute(query.order_by(ExerciseVersion.title))]


def versions_of(session: Session, exercise_id: str) -> list[tuple[str, datetime, bool]]:
    """The published versions of an exercise: digest, when it was added, whether it is current; newest first."""
    own = (Run.like_digest.is_(None), Run.drill_id.is_(None))
    flown = select(Run.id).where(Run.digest == ExerciseVersion.digest, *own)
    query = select(ExerciseVersion.digest, ExerciseVersion.added, ExerciseVersion.current)
    query = query.where(ExerciseVersion.exercise_id == exercise_id, flown.exists() | ExerciseVersion.current)
    return [(row[0], row[1], row[2]) for row in session.execute(query.order_by(ExerciseVersion.added.desc()))]


def withdraw(session: Session, exercise_id: str, withdrawn: bool) -> None:
    """Take an exercise out of what can be started, or put it back; what was flown of it stays."""
    current_exercise(session, exercise_id).withdrawn = withdrawn


def current_exercise(session: Session, exercise_id: str) -> ExerciseVersion:
    """The current version of one exercise. Raises RecordError where there is none."""
    query = select(ExerciseVersion).where(ExerciseVersion.exercise_id == exercise_id, ExerciseVersion.current)
    found = session.scalar(query)
    if found is None:
        raise NoSuchRecord(phrase("There is no such exercise."))
    return found


def bundle_of(session: Session, digest: str) -> Bundle:
    """The documents of an exercise version. Raises RecordError where it is not kept."""
    # A version never changes under its digest, so what was read once is right for good.
    if (kept := cached_bundle(digest)) is not None:
        return kept
    found = session.get(ExerciseVersion, digest)
    if found is None:
        raise NoSuchRecord(phrase("There is no such exercise version."))
    return found.bundle


def version_for(session: Session, exercise_id: str, digest: str) -> ExerciseVersion:
    """The version of an exercise that a log was flown with, or the current one where that version is not kept."""
    found = session.get(ExerciseVersion, digest)
    return found if found is not None and found.exercise_id == exercise_id else current_exercise(session, exercise_id)
