"""What the server keeps in mind between starts, by name."""

from __future__ import annotations

import json
from datetime import datetime

from sqlalchemy.orm import Session

from lumenstat.language.wording import as_json, from_json
from lumenstat.records.people import now
from lumenstat.records.tables import Mark

LIBRARY = "library"
"""The digest of the shipped documents, and of the code that reads them, as they were stored."""
LAST_BACKUP = "last-backup"
"""The name of the last backup that was read back without a fault."""
_BACKUP_TROUBLE = "backup-trouble"
"""Why the last backup could not be made, as JSON that keeps its parts."""


def mark(session: Session, name: str) -> tuple[str, datetime] | None:
    """What is kept under a name, and since when."""
    found = session.get(Mark, name)
    return (found.value, found.at) if found is not None else None


def set_mark(session: Session, name: str, value: str) -> None:
    """Keep something under a name."""
    session.merge(Mark(name=name, value=value, at=now()))


def note_backup(session: Session, trouble: str) -> None:
    """Keep why the last backup could not be made, to be told in anybody's language; nothing where it could."""
    set_mark(session, _BACKUP_TROUBLE, json.dumps(as_json(trouble)) if trouble else "")


def backup_trouble(session: Session) -> str:
    """Why the last backup could not be made; empty where it could."""
    found = mark(session, _BACKUP_TROUBLE)
    if found is None or not found[0]:
        return ""
    try:
        return from_json(json.loads(found[0]))
    except ValueError:
        return found[0]  # before 0.8.3 it was kept in English only
