"""What somebody wants a page to be like, kept with their account."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.language.wording import SOURCE_LANGUAGE, languages, phrase
from lumenstat.records.people import get_person
from lumenstat.records.tables import Person

Theme = Literal["paper", "dark", "auto"]
"""How office pages look; auto as the device does."""


class Preferences(BaseModel):
    """Keys of the station that are another than usual, by command; whether they work without Alt; whether lamps
    that light are said to a screen reader; how office pages look; the language of pages; hints put away."""

    model_config = ConfigDict(frozen=True, extra="ignore")
    single_keys: bool = True
    announces_lamps: bool = False
    theme: Theme = "paper"
    language: str = SOURCE_LANGUAGE
    keys: Mapping[str, str] = {}
    hints_read: frozenset[str] = frozenset()


def checked_theme(theme: str) -> Theme:
    """A theme by its name. Raises EntryRefused."""
    found: Theme | None = next((each for each in get_args(Theme) if each == theme), None)
    if found is None:
        raise EntryRefused(phrase("There is no theme {theme}: paper, dark or auto.", theme=repr(theme)), "theme")
    return found


def checked_language(language: str) -> str:
    """A language that there are words of. Raises EntryRefused."""
    if language not in languages():
        raise EntryRefused(
            phrase("There are no words in {language}: choose one of the list.", language=repr(language)), "language"
        )
    return language


def preferences_of(person: Person) -> Preferences:
    """What somebody wants; the usual where they settled nothing."""
    return Preferences.model_validate_json(person.preferences) if person.preferences else Preferences()


def put_hint_away(session: Session, person_id: int, hint: str) -> None:
    """A hint for a first time is not shown again."""
    wants = preferences_of(get_person(session, person_id))
    put = {"hints_read": wants.hints_read | {hint}}
    set_preferences(session, person_id, wants.model_copy(update=put))


def set_preferences(session: Session, person_id: int, preferences: Preferences) -> None:
    """Keep what somebody wants."""
    get_person(session, person_id).preferences = preferences.model_dump_json()
