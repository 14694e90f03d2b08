"""Names of what people make, such as groups and courses: of a length, and each only once whatever its case."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.records.tables import Base

LONGEST_NAME = 80


def free_name(session: Session, table: type[Base], word: str, name: str, own_id: int | None) -> str:
    """A name as it is kept, which no other row of a table has. Raises EntryRefused; `word` is what a row is called."""
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise EntryRefused(f"A {word} has a name of up to {LONGEST_NAME} characters.", "name")
    columns = table.__table__.columns
    taken = session.execute(select(columns.id, columns.name).where(func.lower(columns.name) == name.lower())).first()
    if taken is not None and taken.id != own_id:
        raise EntryRefused(f"There is a {word} {taken.name!r} already.", "name")
    return name
