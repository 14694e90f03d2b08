"""What somebody wants a page to be like, kept with their account."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from lumenstat.records.people import get_person
from lumenstat.records.tables import Person


class Preferences(BaseModel):
    """Keys of the station that are another than usual, by command, and whether they work without Alt."""

    model_config = ConfigDict(frozen=True, extra="ignore")
    single_keys: bool = True
    keys: Mapping[str, str] = {}


def preferences_of(person: Person) -> Preferences:
    """What somebody wants; the usual where they settled nothing."""
    return Preferences.model_validate_json(person.preferences) if person.preferences else Preferences()


def set_preferences(session: Session, person_id: int, preferences: Preferences) -> None:
    """Keep what somebody wants."""
    get_person(session, person_id).preferences = preferences.model_dump_json()
