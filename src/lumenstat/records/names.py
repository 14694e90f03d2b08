"""Names of what people make, such as groups and courses: of a length, and each only once whatever its case."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.language.wording import phrase
from lumenstat.records.tables import Base

LONGEST_NAME = 80


def free_name(session: Session, table: type[Base], name: str, own_id: int | None) -> str:
    """A name as it is kept, which no other row of a table has. Raises EntryRefused."""
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise EntryRefused(phrase("A name has 1 to {longest_name} characters.", longest_name=LONGEST_NAME), "name")
    # Without regard to capitals: "Red" and "red" side by side would be mistaken for each other.
    columns = table.__table__.columns
    taken = session.execute(select(columns.id, columns.name).where(func.lower(columns.name) == name.lower())).first()
    if taken is not None and taken.id != own_id:
        raise EntryRefused(phrase("The name {taken} is taken already.", taken=repr(taken.name)), "name")
    return name
