"""What a school settles for itself: when something is mastered, who approves, how long what is kept, backups."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.errors import EntryRefused
from lumenstat.language.field_words import field_words
from lumenstat.language.wording import phrase
from lumenstat.records.tables import Base


class SchoolSetting(Base):
    """One thing that a school settled otherwise than usual."""

    __tablename__ = "school_settings"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))


class School(BaseModel):
    """What a school settles. Months of 0 keep for ever; backups of 0 hours are made by nobody."""

    model_config = ConfigDict(frozen=True)

    mastery_passes: int = Field(2, ge=1, le=10, title=phrase("Passes in a row until an item is mastered"))
    mastery_by: Literal["anybody", "two"] = Field("anybody", title=phrase("Assessed by"))
    approval: Literal["no", "yes"] = Field("no", title=phrase("A second instructor approves a version"))
    keep_practice_months: int = Field(0, ge=0, le=240, title=phrase("Months that practice is kept"))
    keep_traces_months: int = Field(0, ge=0, le=240, title=phrase("Months that flight traces are kept ready"))
    keep_audit_months: int = Field(0, ge=0, le=240, title=phrase("Months that the audit list is kept"))
    backup_hours: int = Field(24, ge=0, le=720, title=phrase("Hours between backups"))
    backups_kept: int = Field(14, ge=1, le=400, title=phrase("Backups kept"))


def school(session: Session) -> School:
    """What this school settled; what it did not is as usual."""
    kept = {row.name: row.value for row in session.scalars(select(SchoolSetting))}
    return School.model_validate({name: kept[name] for name in School.model_fields if name in kept})


def settle(session: Session, wanted: dict[str, str]) -> School:
    """Settle some things. Raises EntryRefused that names the field."""
    now_is = school(session).model_dump(mode="json")
    try:
        # All fields together, so that a rule between two of them is checked with what the others are.
        settled = School.model_validate(now_is | {name: wanted[name] for name in School.model_fields if name in wanted})
    except ValidationError as error:
        first = error.errors()[0]
        name = str(first["loc"][0])
        title = School.model_fields[name].title or name
        raise EntryRefused(phrase("{field}: {wrong}.", field=title, wrong=field_words(first)), name) from None
    for name, value in settled.model_dump(mode="json").items():
        # What nobody changed stays a default of the program, and follows it.
        if value == now_is[name]:
            continue
        row = session.get(SchoolSetting, name)
        if row is None:
            session.add(SchoolSetting(name=name, value=str(value)))
        else:
            row.value = str(value)
    return settled
