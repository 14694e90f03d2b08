"""What an item is told of a run and what it may do in one, whoever tells it: a judge, a card, a perfect trainee."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from lumenstat.systems.panel.part import Control, Instrument
from lumenstat.systems.terms import Discrete

Part = tuple[str, str]
"""What an event or an item is about: `control`, `instrument`, `service` or `item`, and which one."""


class LoggedEvent(Protocol):
    """Something that was done: when, by whom, which verb with which arguments."""

    @property
    def tick(self) -> int:
        """When."""

    @property
    def verb(self) -> str:
        """What."""

    @property
    def args(self) -> Mapping[str, Any]:
        """With what."""


class EventMoment(Protocol):
    """The aircraft just before an event, and whether the event took effect."""

    @property
    def index(self) -> int:
        """The number of the event in its log."""

    @property
    def event(self) -> LoggedEvent:
        """The event."""

    @property
    def state(self) -> Mapping[str, Discrete | None]:
        """Every quantity by name."""

    @property
    def accepted(self) -> bool:
        """Whether it took effect."""

    @property
    def refusal(self) -> str | None:
        """What the crew outside answered where they did not do what was asked."""

    @property
    def took(self) -> bool:
        """Whether a button that was pressed did anything; one that is pressed too soon may be lost."""


class Seen(Protocol):
    """A judge's view of a run."""

    @property
    def controls(self) -> Mapping[str, Control]:
        """Every control by its id."""

    @property
    def instruments(self) -> Mapping[str, Instrument]:
        """Every instrument by its id."""

    @property
    def papers(self) -> Mapping[str, float | str]:
        """Every handed-out value by `paper.line`."""

    @property
    def selectors(self) -> frozenset[str]:
        """Controls that only choose what an instrument shows and how brightly; turning them is never judged."""

    def asked_for(self, control: str, position: str) -> bool:
        """Whether some item has a control moved to a position."""

    def stood_first(self, control: str) -> str:
        """Where a control stood when the exercise began."""

    def flag(self, moment: Any, text: str) -> bool:
        """The value of a watched expression just before the event."""


class PerfectHands(Protocol):
    """A perfect trainee's hands and eyes on one aircraft."""

    @property
    def tick(self) -> int:
        """Now."""

    @property
    def controls(self) -> Mapping[str, Control]:
        """Every control by its id."""

    @property
    def instruments(self) -> Mapping[str, Instrument]:
        """Every instrument by its id."""

    @property
    def papers(self) -> Mapping[str, float | str]:
        """Every handed-out value by `paper.line`."""

    def flag(self, text: str, sight: Any = None) -> bool:
        """Whether an expression is true, now or as seen."""

    def reads(self, instrument: str, sight: Any = None) -> float | None:
        """What an instrument shows, now or as seen."""

    def can(self, verb: str, **args: Any) -> bool:
        """Whether an act would be done if it were made now."""

    def stands(self, control: str) -> str:
        """Where a control stands."""

    def untouched(self, control: str) -> str | None:
        """Where a control stands that nobody has moved since the exercise began; None for one that was moved."""

    def pass_time(self, seconds: float) -> None:
        """Let time pass."""

    def event(self, verb: str, pace: float | None = None, **args: Any) -> None:
        """Do one thing, after the time it takes."""

    def move(self, control: str, to: str) -> None:
        """Put a control somewhere, its guard first."""


class Answers(Protocol):
    """The card of a run, as far as an item's answer needs it."""

    @property
    def papers(self) -> Mapping[str, float | str]:
        """Every handed-out value by `paper.line`."""

    def untouched(self, control: str) -> str | None:
        """Where a control stands that nobody has moved since the exercise began; None for one that was moved."""

    def in_flow(self, item: Any) -> bool:
        """Whether an item belongs to a flow that is done before its check is read."""

    def moved(self, item: str, to: str) -> Sequence[str]:
        """Note where an item's control was moved, and give all its moves so far."""

    def moves_of(self, item: str) -> Sequence[str]:
        """Where an item's control was moved so far."""

    def done(self, item: str, control: str) -> int:
        """Note that one of an item's controls was dealt with, and give how many were."""

    def take(self, item: str, branch: str) -> None:
        """Go on by a branch."""


@dataclass(frozen=True)
class Attempt:
    """An attempt at an item, which counts from the event `index`; `parts` are all events it is made of.

    A wrong attempt that is no `slip` (a true remark that something is not in place) costs nothing once put right. One
    that is `false` in itself (a figure that the instrument did not show) is a slip of the item whenever it was said.
    """

    index: int
    tick: int
    right: bool
    says: str
    parts: tuple[int, ...]
    evidence: tuple[tuple[str, str], ...] = ()
    slip: bool = True
    way: str | None = None
    false: bool = False
    ended: int | None = None
    """The tick at which it was over, where that is another: a button counts from its press, not its release."""

    @property
    def over(self) -> int:
        """The tick at which it was over."""
        return self.tick if self.ended is None else self.ended


@dataclass(frozen=True)
class Never:
    """Why an item can never be done, in words; `until` is an expression that may have been true before."""

    kind: str
    says: str
    until: str | None = None


@dataclass(frozen=True)
class Missing:
    """What is missing when an item's turn does not come."""

    kind: str
    says: str


def attempt(
    moment: EventMoment,
    right: bool,
    says: str,
    parts: tuple[int, ...] | None = None,
    evidence: tuple[tuple[str, str], ...] = (),
    slip: bool = True,
    false: bool = False,
) -> Attempt:
    """An attempt completed at a moment."""
    return Attempt(moment.index, moment.event.tick, right, says, parts or (moment.index,), evidence, slip, false=false)


def did(moment: EventMoment, verb: str, **args: str) -> bool:
    """Whether just that was done at a moment."""
    event = moment.event
    return event.verb == verb and all(event.args.get(key) == value for key, value in args.items())
