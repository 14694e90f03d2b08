"""What every kind of item has, and the questions that the rest of the program asks of it.

Each question has an answer that says nothing, so a kind answers what concerns it. An item knows nothing of who asks: it
is told what it needs by the protocols in `seen`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import Field

from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Missing, Never, Part, PerfectHands, Seen
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import DocumentId, ExpressionText, Flag, Positive, Seconds, Since, Text, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.system import Sections

Who = Literal["captain", "first-officer", "both", "either"]
Key = tuple[str, ...]


@dataclass(frozen=True)
class Shown:
    """How a form shows a field: its label, what it takes, and its unit (`{unit}`: that of the instrument)."""

    label: str
    how: Literal[
        "words", "area", "figure", "expression", "control", "position", "instrument", "service", "action", "list"
    ]
    unit: str = ""


class Timed(Written):
    """A time counted from when another item was done."""

    item: DocumentId
    seconds: Seconds


class Waiver(Written):
    """A lint rule that this item may break, and why."""

    rule: Text
    reason: Text


class OfBranch(Written):
    """A branch of a decision that stands further up, on which an item hangs."""

    item: DocumentId
    branch: DocumentId


class ItemBase(Written):
    """What every kind of item has."""

    WORD: ClassVar[str]
    """What the kind is called in menus."""
    ICON: ClassVar[str]
    """Its shape in menus: an SVG path in 14 by 14, told apart by shape, not by colour."""
    FILLED: ClassVar[bool] = False
    SAID: ClassVar[bool] = False
    """Answered by saying so alone, in a guided run too."""
    CHECKED: ClassVar[bool] = False
    """Done in a flow from memory, it is answered in words when the check is read."""
    NEVER: ClassVar[str] = phrase("Never done.")
    """What is said where it was never tried."""
    SILENT: ClassVar[bool] = False
    """Looks or speaks only, so that in which order it stands makes no difference to the aircraft."""
    DONE_BY_WAY: ClassVar[bool] = False
    """Doing the first item of one of its ways, where that is the right one, is as good as saying which."""
    TOUCHES: ClassVar[bool] = True
    """Does something to the aircraft, or waits for something to be done."""

    id: DocumentId
    challenge: Text
    response: Text
    good: Text | None = None
    who: Who = "either"
    why: Text | None = None
    caution: Text | None = None
    hints: Annotated[tuple[Text, ...], Field(max_length=3)] = ()
    weight: Annotated[Positive, Field(le=100)] = 1.0
    critical: Flag = False
    applies_when: ExpressionText | None = None
    after: tuple[DocumentId, ...] = ()
    not_before: Timed | None = None
    within: Timed | None = None
    floats_until: DocumentId | None = None
    one_of: DocumentId | None = None
    of_branch: Annotated[OfBranch | None, Since("0.4")] = None
    waives: tuple[Waiver, ...] = ()

    # ---- the document ------------------------------------------------------------------------------------

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """Note what is wrong with it on this airframe."""

    def watched(self) -> Iterator[str]:
        """Expressions that decide what happens with it, beside when it applies."""
        yield from ()

    def ways(self) -> Iterator[Way]:
        """Ways on from it, with the items that count only there."""
        yield from ()

    def answers(self) -> Iterator[Key]:
        """What an act must be like to answer it; a kind that is answered by its name gives none."""
        yield from ()

    def parts(self) -> tuple[Part, ...]:
        """What an event has to be about to be an attempt at it."""
        return (("item", self.id),)

    def papers(self) -> Iterator[str]:
        """Handed-out values that it needs, as `paper.line`."""
        yield from ()

    @property
    def position(self) -> str:
        """The position it asks for in so many words, if it does."""
        return ""

    def moves(self, papers: Mapping[str, float | str]) -> Iterator[tuple[str, str | None]]:
        """Controls that it has moved, and where to; None: anywhere."""
        yield from ()

    @classmethod
    def filled_in(cls, entry: Mapping[str, Any]) -> Mapping[str, Any]:
        """What an entry that becomes an item of this kind is given, where it has none, so that it can be read."""
        return {}

    # ---- a run that is judged ----------------------------------------------------------------------------

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """All attempts at it among what the crew did about its parts, in time order."""
        return []

    def begun(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[int, ...]:
        """Acts that belong to it though it was never completed, among what the crew did about its parts."""
        return ()

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """What is said where it was never completed, with every quantity as it was at the end."""
        return self.NEVER

    def not_so(self, answer: EventMoment, seen: Seen) -> str | None:
        """What its answer, given when a check was read, said that was not so; None where it was true."""
        return None

    def due(self, way: str | None) -> tuple[str, float] | None:
        """What must be there for it, and within how many seconds of that it must be done; `way` is the one taken."""
        return None

    def taken_way(self, end: EventMoment | None, seen: Seen, true: Callable[[str], bool]) -> str | None:
        """The way on that was right when it was last tried: its id, None where there is none.

        `true` tells which expressions were true then, or when it was passed by.
        """
        return None

    def in_moment(self, moment: EventMoment, seen: Seen) -> bool:
        """Whether a moment is one to which it belongs."""
        return True

    # ---- a run in progress -------------------------------------------------------------------------------

    @property
    def waits_for(self) -> str | None:
        """The expression that must be true before it can be said to be there."""
        return None

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """Whether an event is an answer to it, right or wrong."""
        return False

    def touched_by(self, event: LoggedEvent, card: Answers) -> bool:
        """Whether an event that answers no item was meant for this one: an examined card ticks it all the same."""
        return False

    @property
    def shows(self) -> tuple[str, ...]:
        """Quantities that stand on its card."""
        return ()

    @property
    def all_controls(self) -> tuple[str, ...]:
        """The controls that its card lets a trainee look at, one by one."""
        return ()

    # ---- the perfect flight ------------------------------------------------------------------------------

    def there(self, hands: PerfectHands, meaning: str = "within", sight: Any = None) -> bool:
        """Whether what it waits for is there, now or as seen; of a reading, that it has this meaning."""
        return True

    def means(self, hands: PerfectHands, sight: Any = None) -> str:
        """What its reading means, if it has one that can be taken now."""
        return ""

    def perform(self, hands: PerfectHands) -> str | None:
        """Do it rightly; gives the way on that this takes, `` for none of its ways, None if it has no ways."""
        return None

    def redo(self, hands: PerfectHands) -> bool | None:
        """Do anew what cannot be repeated event by event; whether the indication was there. None: repeat it."""
        return None

    def missing(self, hands: PerfectHands) -> Missing:
        """What is missing where its turn does not come."""
        return Missing(
            "wait", phrase("'{challenge}: {response}' never comes", challenge=self.challenge, response=self.response)
        )

    def never(self, end: Mapping[str, Any]) -> Never:
        """Why it can never be done, with every quantity as it was at the end."""
        return Never("cannot-be-reached", phrase("its turn never comes"))


if TYPE_CHECKING:
    AnyItem = ItemBase
    """An item of any kind; the registry puts the kinds in its place once all of them are there."""


@dataclass(frozen=True)
class Way:
    """A way on from an item: its id, what it says, its items, where they stand in the item's document, and whether the
    exercise is to end there."""

    id: str
    says: str
    items: tuple[Any, ...]
    path: Path_
    stop: bool = False
