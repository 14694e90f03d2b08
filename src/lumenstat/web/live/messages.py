"""The messages of a station's socket, both ways. `docs/schemas/socket.json` is made from these models."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StrictFloat, StrictInt, TypeAdapter, ValidationError

from lumenstat.errors import InputRefused
from lumenstat.language.intake import read_json
from lumenstat.language.wording import phrase

HELD_LONGEST = 3600


class Message(BaseModel):
    """Base of every message: frozen, and an unknown key is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


# ---- from a station --------------------------------------------------------------------------------------


class Act(BaseModel):
    """Something done: `id` tells it from every other, so that it happens once however often it is sent.

    A release says with `held` for how many seconds the hand held.
    """

    model_config = ConfigDict(frozen=True)
    id: Annotated[str, Field(strict=True, min_length=1, max_length=64)]
    verb: Annotated[str, Field(strict=True)]
    args: Any = Field(default_factory=dict)
    held: Annotated[StrictFloat | StrictInt, Field(ge=0, le=HELD_LONGEST)] = 0.0


class Open(BaseModel):
    """Turn the card to an item; of no consequence to the run."""

    model_config = ConfigDict(frozen=True)
    open: Annotated[str, Field(strict=True)]


class Ping(BaseModel):
    """A station that has heard nothing for a while asks whether the desk is there."""

    model_config = ConfigDict(frozen=True)
    ping: Literal[True]


# ---- to a station ----------------------------------------------------------------------------------------


class ClockState(Message):
    """How exercise time passes, and at which rates it may."""

    running: bool
    frozen: bool
    finished: bool
    rate: int
    rates: tuple[int, ...]


class CardState(Message):
    """What lies on the card: the open item, what was answered, hints taken, what only has to be left, the flow."""

    current: str | None
    answered: tuple[str, ...]
    items: tuple[str, ...]
    hints: dict[str, int]
    ready: str | None
    flow: str | None


class CrewSaid(Message):
    """A line of the ground crew line."""

    t: float
    by: str
    says: str


class StateMessage(Message):
    """What has changed since the last one; the first is `whole`. At least one comes in a second of exercise time.

    `hand` tells whether the trainee's hand is up, `pointed` the part that the instructor points at.
    """

    type: Literal["state"]
    t: float
    whole: bool = False
    clock: ClockState | None = None
    quantities: dict[str, float | bool | str | None] = {}
    card: CardState | None = None
    crew: tuple[CrewSaid, ...] = ()
    words: tuple[str, ...] = ()
    from_instructor: tuple[str, ...] = ()
    hand: bool | None = None
    pointed: str | None = None


class Done(Message):
    """An act was carried out and is on disk: the number of its event, and when it was."""

    type: Literal["done"]
    id: str | None
    number: int | None = None
    t: float | None = None


class Refusal(Message):
    """An act did not happen, with the reason."""

    type: Literal["refused"]
    id: str | None
    says: str


class Pong(Message):
    """The desk is there."""

    type: Literal["pong"]


class Logged(Message):
    """An instructor has done something: it stands in the log. Told to instructors only."""

    type: Literal["logged"]


class Ended(Message):
    """The run is over."""

    type: Literal["ended"]


class Stopped(Message):
    """The model cannot go on; the log up to there is kept."""

    type: Literal["stopped"]
    says: str


Incoming = Act | Open | Ping
Outgoing = Annotated[StateMessage | Done | Refusal | Pong | Logged | Ended | Stopped, Field(discriminator="type")]
OUTGOING: TypeAdapter[Any] = TypeAdapter(Outgoing)

_SAYS = {
    "id": phrase("An action needs an `id` of 1 to 64 characters."),
    "verb": phrase("An action needs a `verb`."),
    "held": phrase("`held` is for how many seconds the button was in, 0 to {held_longest}.", held_longest=HELD_LONGEST),
}


class MessageRefused(InputRefused):
    """A message that is none, with the id that it bears, if it does."""

    def __init__(self, says: str, client_id: str | None = None) -> None:
        super().__init__(says)
        self.client_id = client_id


def read_message(text: str) -> Incoming:
    """What a station sent. Raises MessageRefused that says what would be right."""
    try:
        written = read_json(text)
    except InputRefused as error:
        raise MessageRefused(phrase("A message is one JSON object: {error}", error=error)) from None
    if not isinstance(written, dict):
        raise MessageRefused(phrase("A message is one JSON object."))
    if isinstance(written.get("open"), str):
        return Open(open=written["open"])
    if written.get("ping") is True:
        return Ping(ping=True)
    try:
        # The shape decides: an act is whatever is neither a ping nor the opening of an item.
        return Act.model_validate(written)
    except ValidationError as error:
        # One thing at a time, and the first: what follows often follows from it.
        wrong = str(error.errors(include_url=False)[0]["loc"][0])
        given = written.get("id")
        raise MessageRefused(_SAYS[wrong], given if wrong != "id" and isinstance(given, str) else None) from None


def schema() -> dict[str, Any]:
    """The JSON Schema of both directions."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Messages of a station's socket",
        "incoming": TypeAdapter(Incoming).json_schema(),
        "outgoing": OUTGOING.json_schema(),
    }
