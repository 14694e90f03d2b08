"""What the server keeps in mind between starts, by name."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.orm import Session

from lumenstat.records.people import now
from lumenstat.records.tables import Mark

LIBRARY = "library"
"""The digest of the shipped documents, and of the code that reads them, as they were stored."""
LAST_BACKUP = "last-backup"
"""The name of the last backup that was read back without a fault."""
BACKUP_TROUBLE = "backup-trouble"
"""Why the last backup could not be made; empty where it could."""


def mark(session: Session, name: str) -> tuple[str, datetime] | None:
    """What is kept under a name, and since when."""
    found = session.get(Mark, name)
    return (found.value, found.at) if found is not None else None


def set_mark(session: Session, name: str, value: str) -> None:
    """Keep something under a name."""
    session.merge(Mark(name=name, value=value, at=now()))
