"""`hold`: a momentary control held in for a time while watching."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

from lumenstat.items.item import ItemBase, Key, Shown
from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Part, PerfectHands, Seen, attempt, did
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import ExpressionText, Name, Seconds
from lumenstat.language.wording import phrase
from lumenstat.systems.panel.part import PanelsSection
from lumenstat.systems.system import Sections

MARGIN_SECONDS = 0.2
LONGEST_SECONDS = 60.0
USUAL_SECONDS = 2


class HoldItem(ItemBase):
    """Hold a momentary control in for a time while watching.

    It counts from when it is pressed, by what the aircraft then does; for how long is known when it is let go.
    """

    WORD = phrase("Hold")
    ICON = "M7 1.5V8M4 5.5L7 8.5L10 5.5M2.5 12H11.5"
    NEVER = phrase("Never held.")
    kind: Literal["hold"]
    control: Annotated[Name, Shown(phrase("Control"), "control")]
    seconds: Annotated[Seconds, Shown(phrase("At least"), "figure", "s")]
    at_most: Annotated[Seconds | None, Shown(phrase("At most"), "figure", "s")] = None
    watch: Annotated[ExpressionText | None, Shown(phrase("Watching for"), "expression")] = None

    @classmethod
    def filled_in(cls, entry: Mapping[str, Any]) -> Mapping[str, Any]:
        """A usual time."""
        return {"seconds": USUAL_SECONDS}

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """A momentary control, an indication that can be seen."""
        known = checker.refers((*path, "control"), "control", self.control)
        if known and airframe.section(PanelsSection).controls[self.control].kind != "momentary":
            checker.wrong(
                (*path, "control"),
                phrase("{control} stays where it is put; a momentary one is held", control=self.control),
            )
        if self.watch is not None:
            checker.truth((*path, "watch"), self.watch, over_time=True)

    def watched(self) -> Iterator[str]:
        """The indication."""
        if self.watch is not None:
            yield self.watch

    def answers(self) -> Iterator[Key]:
        """A hold of its control."""
        yield (self.kind, self.control)

    def parts(self) -> tuple[Part, ...]:
        """Its control."""
        return (("control", self.control),)

    def moves(self, papers: Mapping[str, float | str]) -> Iterator[tuple[str, str | None]]:
        """Its control is pressed."""
        yield (self.control, None)

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every press of the control with the release that ends it."""
        found: list[Attempt] = []
        pressed: EventMoment | None = None
        for moment in crew:
            if did(moment, "press", control=self.control):
                # Pressed again before it was let go: the later press is the one that ends.
                pressed = moment
            elif pressed is not None and did(moment, "release", control=self.control):
                found.append(self._judged(pressed, moment, seen))
                pressed = None
        return found

    def begun(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[int, ...]:
        """A press that was never let go."""
        own = [m for m in crew if m.event.verb in ("press", "release") and m.event.args["control"] == self.control]
        return (own[-1].index,) if own and own[-1].event.verb == "press" else ()

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """That it was never held, or not let go."""
        name = seen.controls[self.control].name
        return phrase("{name} was pressed and never let go.", name=name) if self.begun(crew, seen) else self.NEVER

    def _judged(self, pressed: EventMoment, released: EventMoment, seen: Seen) -> Attempt:
        ticks, name = released.event.tick - pressed.event.tick, seen.controls[self.control].name
        wrong = self._wrong(ticks, name, pressed.took, self.watch is None or seen.flag(released, self.watch))
        says = wrong or phrase("{control} held for {held}.", control=name, held=_seconds(ticks))
        made = attempt(pressed, wrong is None, says, (pressed.index, released.index))
        return replace(made, ended=released.event.tick)

    def _wrong(self, ticks: int, name: str, took: bool, there: bool) -> str | None:
        """What is wrong with a press that lasted so long; None where nothing is."""
        held = _seconds(ticks)
        if ticks < round(self.seconds * 100):
            says = phrase(
                "{control} was held for {held}; it needs {due:g} s.", control=name, held=held, due=self.seconds
            )
        # Too long comes before the missing lamp: whoever holds too long has seen it go out.
        elif self.at_most is not None and ticks > round(self.at_most * 100):
            says = phrase(
                "{control} was held for {held}; at most {at_most:g} s are allowed.",
                control=name,
                held=held,
                at_most=self.at_most,
            )
        elif not took:
            says = phrase("{control} was pressed and nothing came of it: that press was lost.", control=name)
        elif not there:
            says = phrase("{control} was held for {held}, but its indication did not come.", control=name, held=held)
        else:
            return None
        return says

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By letting it go."""
        return event.verb == "release" and bool(event.args["control"] == self.control)

    def perform(self, hands: PerfectHands) -> str | None:
        """Hold it as long as it takes."""
        self.redo(hands)
        return None

    def redo(self, hands: PerfectHands) -> bool:
        """Press, wait until it is long enough and the indication is there, let go; whether it was there."""
        hands.event("press", control=self.control)
        began = hands.tick
        longest = self.at_most if self.at_most is not None else LONGEST_SECONDS
        # A little longer than due, so that a tick of rounding never makes it too short, but not over what is allowed.
        hands.pass_time(min(self.seconds + MARGIN_SECONDS, max(longest, self.seconds)))
        while self.watch and not hands.flag(self.watch) and (hands.tick - began) / 100 < longest - MARGIN_SECONDS:
            hands.pass_time(MARGIN_SECONDS)
        there = self.watch is None or hands.flag(self.watch)
        hands.event("release", 0.0, control=self.control)
        return there


def _seconds(ticks: int) -> str:
    """How long something was held: to the hundredth where a tenth would hide what it lacked."""
    return (
        phrase("{seconds:.1f} s", seconds=ticks / 100)
        if ticks % 10 == 0
        else phrase("{seconds:.2f} s", seconds=ticks / 100)
    )
