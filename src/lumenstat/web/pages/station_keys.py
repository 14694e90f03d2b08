"""The station's keys: what each does, which ones somebody wants instead, and letters left for the ground crew."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from lumenstat.errors import EntryRefused
from lumenstat.language.wording import phrase
from lumenstat.records.preferences import Preferences
from lumenstat.web.rendering import Context


@dataclass(frozen=True, slots=True)
class Command:
    """Something that a key does on the station, and its usual key. `where` names what a page must have for it."""

    id: str
    key: str
    does: str
    where: str = ""


COMMANDS = (
    Command("find", "f", phrase("find a control, instrument or lamp by name")),
    Command("pick", "p", phrase("pick the instrument under the focus for a call-out")),
    Command("card", "c", phrase("go to the open item of the card")),
    Command("part", ".", phrase("go to the part of this step"), "guided"),
    Command("why", "y", phrase("show or hide why"), "taught"),
    Command("hint", "h", phrase("take a hint"), "taught"),
    Command("page", "d", phrase("the other page of the deck"), "pages"),
    Command("riser", "r", phrase("the riser larger, and as a table"), "riser"),
    Command("papers", "o", phrase("papers and cautions")),
    Command("hand", "H", phrase("raise or lower your hand")),
    Command("faster", ">", phrase("let time pass faster, where the exercise allows it")),
    Command("slower", "<", phrase("let time pass slower")),
    Command("finish", "F", phrase("finish the exercise")),
    Command("keys", "?", phrase("the keys of this page")),
)
LETTERS = "GJKLBNMTUVWXZEQAISRYCDFHOP"
"""For requests to the ground crew, those first that no command has of itself."""


class ShownKey(Context):
    """A command and the key that does it."""

    id: str
    key: str
    does: str
    usual: str


def keys_of(preferences: Preferences) -> dict[str, str]:
    """The key of every command."""
    return {command.id: preferences.keys.get(command.id, command.key) for command in COMMANDS}


def shown_keys(preferences: Preferences, there: frozenset[str] | None = None) -> Iterator[ShownKey]:
    """The commands that are `there`, all where nothing is said, with their keys."""
    keys = keys_of(preferences)
    for command in COMMANDS:
        if there is None or not command.where or command.where in there:
            yield ShownKey(id=command.id, key=keys[command.id], does=command.does, usual=command.key)


def letters_left(preferences: Preferences) -> list[str]:
    """Letters that no command takes, in the order in which requests get them."""
    taken = {key.upper() for key in keys_of(preferences).values()}
    return [letter for letter in LETTERS if letter not in taken]


def checked_keys(typed: Mapping[str, str]) -> dict[str, str]:
    """The keys that are another than usual. Raises EntryRefused for one that is no single key, or that two want."""
    found: dict[str, str] = {}
    keys: dict[str, str] = {}
    for command in COMMANDS:
        key = typed.get(command.id, command.key).strip()
        # Figures are taken: they judge a reading.
        if len(key) != 1 or key.isdigit():
            raise EntryRefused(phrase("One letter or sign; figures judge a reading."), f"key_{command.id}")
        if key in found:
            raise EntryRefused(
                phrase("{key} is taken already, to {does}.", key=key, does=found[key]), f"key_{command.id}"
            )
        found[key] = command.does
        # Only what differs is kept, so that a better usual key reaches everybody who left it.
        if key != command.key:
            keys[command.id] = key
    return keys
