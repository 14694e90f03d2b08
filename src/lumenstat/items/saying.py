"""Items that are answered by saying so: `wait` for something to be there, `confirm` something outside the model."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Any, Literal

from lumenstat.items.item import ItemBase, Shown
from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Never, PerfectHands, Seen, attempt, did
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import ExpressionText, Seconds, Text
from lumenstat.language.wording import phrase
from lumenstat.systems.system import Sections


class WaitItem(ItemBase):
    """Go on only when something is there. `left` names the quantity that tells how many seconds are left."""

    WORD = phrase("Wait")
    ICON = "M3 1.5H11L7 7L11 12.5H3L7 7Z"
    SAID = True
    NEVER = phrase("Nobody said that it was so.")
    kind: Literal["wait"]
    until: Annotated[ExpressionText, Shown(phrase("Until"), "expression")]
    left: Text | None = None
    at_most: Annotated[Seconds | None, Shown(phrase("Answered within"), "figure", "s")] = None

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """Something that can be there, and a figure that tells how long."""
        checker.truth((*path, "until"), self.until, over_time=True)
        if self.left is not None:
            figures = [q.name for q in checker.quantities.values() if q.kind == "number"]
            checker.known((*path, "left"), "figure", self.left, figures)

    def watched(self) -> Iterator[str]:
        """What it waits for."""
        yield self.until

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every time it was said to be there."""
        said = [moment for moment in crew if did(moment, "respond", item=self.id)]
        return [self._response(moment, seen) for moment in said]

    def _response(self, moment: EventMoment, seen: Seen) -> Attempt:
        there, names = seen.flag(moment, self.until), {"challenge": self.challenge, "response": self.response}
        if there:
            return attempt(moment, True, phrase("'{challenge}: {response}' was said when it was so.", **names))
        return attempt(
            moment, False, phrase("'{challenge}: {response}' was said before it was so.", **names), false=True
        )

    def due(self, way: str | None) -> tuple[str, float] | None:
        """Once it is there, within its time."""
        return None if self.at_most is None else (self.until, self.at_most)

    @property
    def waits_for(self) -> str | None:
        """What it waits for."""
        return self.until

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By saying that it is there."""
        return event.verb == "respond" and bool(event.args["item"] == self.id)

    @property
    def shows(self) -> tuple[str, ...]:
        """How many seconds are left."""
        return (self.left,) if self.left else ()

    def there(self, hands: PerfectHands, meaning: str = "within", sight: Any = None) -> bool:
        """Whether it is there."""
        return hands.flag(self.until, sight)

    def perform(self, hands: PerfectHands) -> str | None:
        """Say that it is there."""
        hands.event("respond", item=self.id)
        return None

    def never(self, end: Mapping[str, Any]) -> Never:
        """It never comes."""
        return Never(
            "wait-never-ends",
            phrase("`{until}` never comes true, however long one waits", until=self.until),
            self.until,
        )


class ConfirmItem(ItemBase):
    """State something outside the model."""

    WORD = phrase("Confirm")
    ICON = "M2.5 7.5L5.5 10.5L11.5 3.5"
    SAID = True
    SILENT = True
    TOUCHES = False
    NEVER = phrase("Never confirmed.")
    kind: Literal["confirm"]
    statement: Annotated[Text, Shown(phrase("Statement"), "area")]

    @classmethod
    def filled_in(cls, entry: Mapping[str, Any]) -> Mapping[str, Any]:
        """What its response says."""
        return {"statement": entry.get("response", "")}

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every time it was confirmed."""
        said = [moment for moment in crew if did(moment, "confirm", item=self.id)]
        return [attempt(moment, True, phrase("Confirmed: {statement}", statement=self.statement)) for moment in said]

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By confirming it."""
        return event.verb == "confirm" and bool(event.args["item"] == self.id)

    def perform(self, hands: PerfectHands) -> str | None:
        """Confirm it."""
        hands.event("confirm", item=self.id)
        return None
