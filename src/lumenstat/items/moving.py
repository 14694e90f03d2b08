"""Items about moves of one control: `cycle` through positions, `sweep` to each end and back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from lumenstat.items.item import ItemBase, Key, Shown
from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Part, PerfectHands, Seen, attempt, did
from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import ExpressionText, Name, Position, position_text
from lumenstat.language.wording import joined, phrase
from lumenstat.systems.panel.part import Control, PanelsSection, check_position
from lumenstat.systems.system import Sections

SWEEP_MOVES = 3
"""One end, the other, and back: the card does not judge whether it was all of the way."""


class CycleItem(ItemBase):
    """Move a control through positions, one after another."""

    WORD = phrase("Cycle")
    ICON = "M11.5 7A4.5 4.5 0 1 1 9.5 3.2M9.5 1V3.6H7"
    NEVER = phrase("Never moved through its positions.")
    kind: Literal["cycle"]
    control: Annotated[Name, Shown(phrase("Control"), "control")]
    through: Annotated[tuple[Position, ...], Field(min_length=2), Shown(phrase("Positions, in turn"), "list")]

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """A control that stands in these positions."""
        control = _moved(self.control, path, airframe, checker)
        if control is not None:
            for position in self.through:
                check_position(control, position, (*path, "through"), checker)

    def answers(self) -> Iterator[Key]:
        """Moves of its control."""
        yield (self.kind, self.control)

    def parts(self) -> tuple[Part, ...]:
        """Its control."""
        return (("control", self.control),)

    def moves(self, papers: Mapping[str, float | str]) -> Iterator[tuple[str, str | None]]:
        """Its control, through its positions."""
        yield from ((self.control, position) for position in self.through)

    def begun(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[int, ...]:
        """Moves through some of its positions, with nothing after them."""
        return self._walked(crew, seen)[1]

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """Which position was never come to."""
        moved = len(self._walked(crew, seen)[1])
        name = seen.controls[self.control].name
        if not moved:
            return phrase("{name} was never moved through its positions.", name=name)
        return phrase(
            "{name} was moved to {been} and not on to {rest}.",
            name=name,
            been=", ".join(self.through[:moved]),
            rest=", ".join(self.through[moved:]),
        )

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Moves of the control through the positions, one after another; a wrong one begins anew."""
        return self._walked(crew, seen)[0]

    def _walked(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[list[Attempt], tuple[int, ...]]:
        """All attempts, and the moves of one that was never completed."""
        name = seen.controls[self.control].name
        found: list[Attempt] = []
        parts: list[int] = []
        for moment in (m for m in crew if did(m, "set", control=self.control)):
            to = str(position_text(moment.event.args["to"]))
            if to != self.through[len(parts)]:
                if parts:
                    says = phrase(
                        "{name} went to {to}; {parts} was next.", name=name, to=to, parts=self.through[len(parts)]
                    )
                    found.append(attempt(moment, False, says, (*parts, moment.index)))
                # The wrong move may itself be the first of a new try.
                parts = [moment.index] if to == self.through[0] else []
                continue
            parts.append(moment.index)
            if len(parts) == len(self.through):
                found.append(
                    attempt(
                        moment,
                        True,
                        phrase("{name} moved through {through}.", name=name, through=", ".join(self.through)),
                        tuple(parts),
                    )
                )
                parts = []
        return found, tuple(parts)

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """Once its last moves are those asked for."""
        if event.verb != "set" or event.args["control"] != self.control:
            return False
        return tuple(card.moved(self.id, str(position_text(event.args["to"])))[-len(self.through) :]) == self.through

    def touched_by(self, event: LoggedEvent, card: Answers) -> bool:
        """Once it was moved as often as it asks for."""
        moved = event.verb == "set" and event.args["control"] == self.control
        return moved and len(card.moves_of(self.id)) >= len(self.through)

    def perform(self, hands: PerfectHands) -> str | None:
        """Move it through the positions."""
        for position in self.through:
            hands.move(self.control, position)
        return None


class SweepItem(ItemBase):
    """Move a control to each end and back to where it stood, with the indication there when it is back."""

    WORD = phrase("Sweep")
    ICON = "M2 7H12M4.5 4.5L2 7L4.5 9.5M9.5 4.5L12 7L9.5 9.5"
    NEVER = phrase("Never moved to each end and back.")
    kind: Literal["sweep"]
    control: Annotated[Name, Shown(phrase("Control"), "control")]
    watch: Annotated[ExpressionText | None, Shown(phrase("Watching for"), "expression")] = None

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """A control that stands in positions, an indication that can be seen."""
        if _moved(self.control, path, airframe, checker) is not None and self.watch is not None:
            checker.truth((*path, "watch"), self.watch, over_time=True)

    def watched(self) -> Iterator[str]:
        """The indication."""
        if self.watch is not None:
            yield self.watch

    def answers(self) -> Iterator[Key]:
        """Moves of its control."""
        yield (self.kind, self.control)

    def parts(self) -> tuple[Part, ...]:
        """Its control."""
        return (("control", self.control),)

    def moves(self, papers: Mapping[str, float | str]) -> Iterator[tuple[str, str | None]]:
        """Its control, all of the way."""
        yield (self.control, None)

    def begun(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[int, ...]:
        """Moves that did not come back to where they began."""
        return self._walked(crew, seen)[1]

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """How far it was moved, where it was not brought back."""
        parts, name = set(self._walked(crew, seen)[1]), seen.controls[self.control].name
        moves = [moment for moment in crew if moment.index in parts]
        if not moves:
            return phrase("{name} was never moved to each end and back.", name=name)
        return phrase(
            "{name} was moved to {been} and not brought back to {stood}.",
            name=name,
            been=joined(phrase(" and "), dict.fromkeys(str(position_text(m.event.args["to"])) for m in moves)),
            stood=position_text(moves[0].state[naming.control(self.control)]),
        )

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Moves of the control to each end and back to where it stood when they began."""
        return self._walked(crew, seen)[0]

    def _walked(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[list[Attempt], tuple[int, ...]]:
        """All attempts, and the moves of one that was never completed."""
        control = seen.controls[self.control]
        found: list[Attempt] = []
        parts: list[int] = []
        # Both ends, wherever the sweep began.
        ends, been, stood = {control.positions[0], control.positions[-1]}, set[str](), ""
        for moment in (m for m in crew if did(m, "set", control=self.control)):
            to = str(position_text(moment.event.args["to"]))
            if not parts:
                stood = str(position_text(moment.state[naming.control(self.control)]))
                been = {stood}
            parts.append(moment.index)
            been.add(to)
            if to == stood:
                there = self.watch is None or seen.flag(moment, self.watch)
                says = phrase(
                    "{control} came back without {missing}.",
                    control=control.name,
                    missing=", ".join(sorted(ends - been)),
                )
                if ends <= been:
                    # The move was right, and what it was made for did not come.
                    unseen = "" if there else phrase(", but the indication was not there")
                    says = phrase("{control} moved to each end and back{unseen}.", control=control.name, unseen=unseen)
                found.append(attempt(moment, ends <= been and there, says, tuple(parts)))
                parts = []
        return found, tuple(parts)

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """Once it was moved often enough."""
        if event.verb != "set" or event.args["control"] != self.control:
            return False
        return len(card.moved(self.id, str(position_text(event.args["to"])))) >= SWEEP_MOVES

    def perform(self, hands: PerfectHands) -> str | None:
        """Each end, and back to where it stood."""
        stood, positions = hands.stands(self.control), hands.controls[self.control].positions
        for end in (positions[0], positions[-1], stood):
            if end != hands.stands(self.control):
                hands.move(self.control, end)
        return None


def _moved(name: str, path: Path_, airframe: Sections, checker: Checker) -> Control | None:
    """The control, if there is one of that name that stands in positions."""
    if not checker.refers((*path, "control"), "control", name):
        return None
    control = airframe.section(PanelsSection).controls[name]
    if control.kind in ("momentary", "entry"):
        says = phrase(
            "{name} is a {kind}; only what stands in positions is moved through them", name=name, kind=control.kind
        )
        checker.wrong((*path, "control"), says)
        return None
    return control
