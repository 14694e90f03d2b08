"""`lumenstat/run/1`: what was done, one JSON object a line. The first line says which exercise it belongs to."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lumenstat.errors import InputRefused, LogError
from lumenstat.language.intake import check_value, read_json
from lumenstat.language.values import Flag, Number, Text
from lumenstat.language.wording import phrase

FORMAT = "lumenstat/run/1"
MOST_EVENTS = 5_000
"""An act every second for longer than any exercise lasts; no hand makes more."""
LARGEST_BYTES = 2_000_000
BY = ("trainee", "instructor", "captain", "first-officer", "ground")
Judgement = Literal["within", "below", "above", "dead"]
Credit = Literal["full", "half", "none", "out"]
LONGEST_WORD = 400


class Args(BaseModel):
    """What goes with a verb."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Set(Args):
    """Move a control."""

    control: Text
    to: Text | Number


class Guard(Args):
    """Lift or close a guard."""

    control: Text
    open: Flag


class Press(Args):
    """Push a momentary control, or let it go."""

    control: Text


class See(Args):
    """Say where a control stands."""

    control: Text
    position: Text | Number


class Call(Args):
    """Read an instrument aloud and judge it; a dead one has no reading."""

    instrument: Text
    reading: Number | None = None
    judgement: Judgement


class Decide(Args):
    """Choose a branch."""

    item: Text
    branch: Text


class OfItem(Args):
    """Something said about an item."""

    item: Text


class Request(Args):
    """Ask the ground crew."""

    service: Text
    action: Text


class Acknowledge(Args):
    """A caution marked seen."""

    caution: Text


class Hint(Args):
    """A hint taken."""

    item: Text
    level: Literal[1, 2, 3]


class Rate(Args):
    """Exercise seconds per second of the wall clock from here on."""

    times: Number


class Skip(Args):
    """Time that passes with nothing done."""

    seconds: Number


class BeginFault(Args):
    """A fault begun by hand: one of the exercise's by its id, or another that is defined here.

    With `when` it waits for a state to come.
    """

    fault: Text
    kind: Text | None = None
    target: Text | None = None
    amount: Number | None = None
    when: Text | None = None


class ClearFault(Args):
    """A fault cleared by hand."""

    fault: Text


class Give(Args):
    """An item that the instructor gives or skips: what it counts as, whatever the crew did about it.

    `full` and `half` credit, `none`, or `out`: it is left out of the possible points.
    """

    item: Text
    credit: Credit


class Say(Args):
    """Something said to the trainee."""

    text: Annotated[Text, Field(max_length=LONGEST_WORD)]


class Point(Args):
    """A part of the deck that is pointed at."""

    part: Text


class Hand(Args):
    """A trainee's hand goes up or down."""

    up: Flag


class HandOver(Args):
    """Another instructor has the run from here on."""

    to: Text


EARLIER_FLOW = "flow done: "
"""How logs of 0.1 say in a note's text that a flow is done, before the section's id."""


class Note(Args):
    """A remark; with `flow`, that the flow of a section is done."""

    text: Text
    flow: Text | None = None


def flow_done(note: Mapping[str, Any]) -> str | None:
    """The section whose flow a note says is done, if it says so."""
    text = str(note.get("text", ""))
    said = note.get("flow") or (text.removeprefix(EARLIER_FLOW) if text.startswith(EARLIER_FLOW) else None)
    return None if said is None else str(said)


class Nothing(Args):
    """A verb that needs nothing else."""


VERBS: dict[str, type[Args]] = {
    "set": Set,
    "guard": Guard,
    "press": Press,
    "release": Press,
    "see": See,
    "call": Call,
    "decide": Decide,
    "respond": OfItem,
    "confirm": OfItem,
    "request": Request,
    "acknowledge": Acknowledge,
    "hint": Hint,
    "rate": Rate,
    "skip": Skip,
    "freeze": Nothing,
    "resume": Nothing,
    "fault": BeginFault,
    "clear": ClearFault,
    "give": Give,
    "say": Say,
    "point": Point,
    "hand": Hand,
    "hand-over": HandOver,
    "note": Note,
    "finish": Nothing,
}


@dataclass(frozen=True, slots=True)
class LogEvent:
    """One thing done: when in ticks of 10 ms, by whom, the verb and what goes with it."""

    tick: int
    by: str
    verb: str
    args: Mapping[str, Any] = field(default_factory=dict)

    def line(self) -> str:
        """The event as a line of the log."""
        return json.dumps({"t": self.tick / 100, "by": self.by, self.verb: dict(self.args)}, ensure_ascii=False)


@dataclass(frozen=True)
class RunLog:
    """A whole log."""

    exercise: str
    digest: str
    engine: str
    events: tuple[LogEvent, ...]
    trainee: str | None = None
    started: str | None = None

    def text(self) -> str:
        """The log as JSON Lines."""
        header = {
            "format": FORMAT,
            "exercise": self.exercise,
            "digest": self.digest,
            "engine": self.engine,
            "trainee": self.trainee,
            "started": self.started,
        }
        lines = [json.dumps(header, ensure_ascii=False), *(event.line() for event in self.events)]
        return "\n".join(lines) + "\n"


def check_args(verb: str, args: Any) -> dict[str, Any]:
    """The arguments of a verb, checked. Raises LogError that says what would be right."""
    model = VERBS.get(verb)
    if model is None:
        raise LogError(phrase("there is no event {verb}; there is {verbs}", verb=repr(verb), verbs=", ".join(VERBS)))
    try:
        check_value(args, verb)
        return model.model_validate(args).model_dump(exclude_none=True)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"])
        raise LogError(f"{verb}{'.' + where if where else ''}: {first['msg'].removeprefix('Value error, ')}") from None
    except InputRefused as error:
        raise LogError(str(error)) from None


def parse_event(written: Any, line: int) -> LogEvent:
    """One event from its JSON object."""
    if not isinstance(written, dict):
        raise LogError(phrase("an event is a JSON object"), line)
    rest = {key: value for key, value in written.items() if key not in ("t", "by")}
    if len(rest) != 1:
        raise LogError(phrase("an event has `t`, `by` and one verb"), line)
    t, by = written.get("t"), written.get("by")
    # True is a number to Python, and no time to anybody else.
    if isinstance(t, bool) or not isinstance(t, int | float) or not 0 <= t <= 86_400:
        raise LogError(phrase("`t` is a number of seconds from 0 to 86400"), line)
    if by not in BY:
        raise LogError(phrase("`by` is one of {by}", by=", ".join(BY)), line)
    verb, args = next(iter(rest.items()))
    try:
        # Ticks are whole; a log written by another program may have more decimals.
        return LogEvent(round(t * 100), by, verb, check_args(verb, args))
    except LogError as error:
        raise LogError(str(error), line) from None


def parse_log(text: str) -> RunLog:
    """Read a log. Raises LogError with the line of the first thing that is wrong."""
    if len(text) > LARGEST_BYTES:
        raise LogError(
            phrase(
                "holds {count:,} characters; at most {largest_bytes:,} are read",
                count=len(text),
                largest_bytes=LARGEST_BYTES,
            )
        )
    lines = text.splitlines()
    if not lines:
        raise LogError(phrase("is empty; a log begins with its header line"), 1)
    header = _json(lines[0], 1)
    if not isinstance(header, dict) or header.get("format") != FORMAT:
        raise LogError(phrase('the first line is a header with "format": "{format}"', format=FORMAT), 1)
    for key in ("exercise", "digest", "engine"):
        if not isinstance(header.get(key), str):
            raise LogError(phrase("the header needs {key} as text", key=repr(key)), 1)
    if len(lines) - 1 > MOST_EVENTS:
        raise LogError(
            phrase(
                "holds {count:,} events; at most {most_events:,} are read",
                count=len(lines) - 1,
                most_events=MOST_EVENTS,
            )
        )
    events = list(_events(lines[1:]))
    return RunLog(
        header["exercise"],
        header["digest"],
        header["engine"],
        tuple(events),
        header.get("trainee"),
        header.get("started"),
    )


def _events(lines: list[str]) -> Iterable[LogEvent]:
    last = 0
    for number, line in enumerate(lines, start=2):
        event = parse_event(_json(line, number), number)
        if event.tick < last:
            raise LogError(
                phrase("goes back in time, from {at:.2f} to {at2:.2f} s", at=last / 100, at2=event.tick / 100), number
            )
        last = event.tick
        yield event


def _json(line: str, number: int) -> Any:
    try:
        return read_json(line)
    except InputRefused as error:
        raise LogError(
            phrase("is not a whole JSON object that can be used; the line may be cut off: {error}", error=error), number
        ) from None
