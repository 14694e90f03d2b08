"""Items about the positions of controls: `set` moves them, `verify` looks at them."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from itertools import islice, takewhile
from typing import Annotated, Any, ClassVar, Literal

from lumenstat.items.item import ItemBase, Key, Shown
from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Part, PerfectHands, Seen, attempt, did
from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import Name, Position, Text, Written, clock, position_text
from lumenstat.language.wording import joined, phrase
from lumenstat.systems.panel.part import PanelsSection, check_position
from lumenstat.systems.system import Sections

PASSING_TICKS = 150
"""A control that moves on within this time was only passing a position, as a rotary must."""


class PaperValue(Written):
    """A value that is handed out on paper: `paper: weather.altimeter_setting_hpa`."""

    paper: Text


class ControlItem(ItemBase):
    """An item about one control, or about several as one line and one slip."""

    DONE: ClassVar[str]
    """What was not done where it was omitted."""

    control: Annotated[Name | None, Shown(phrase("Control"), "control")] = None
    controls: tuple[Name, ...] = ()
    to: Annotated[Position | PaperValue, Shown(phrase("To"), "position")]

    @property
    def all_controls(self) -> tuple[str, ...]:
        """The controls of the line, whichever way they were written."""
        return self.controls or ((self.control,) if self.control else ())

    @property
    def position(self) -> str:
        """The position it asks for."""
        return self.to if isinstance(self.to, str) else ""

    def target(self, papers: Mapping[str, float | str]) -> str:
        """The position or figure that it asks for, as text."""
        if isinstance(self.to, PaperValue):
            value = papers[self.to.paper]
            return f"{value:g}" if isinstance(value, int | float) else value
        return self.to

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """Controls and positions that there are."""
        controls = airframe.section(PanelsSection).controls
        if (self.control is None) == (not self.controls):
            checker.wrong(path, phrase("needs `control`, or `controls` for several in one line, and not both"))
        for name in self.all_controls:
            if checker.refers(path, "control", name) and not isinstance(self.to, PaperValue):
                check_position(controls[name], self.to, (*path, "to"), checker)

    def parts(self) -> tuple[Part, ...]:
        """Its controls."""
        return tuple(("control", name) for name in self.all_controls)

    def papers(self) -> Iterator[str]:
        """The value that is to be entered."""
        if isinstance(self.to, PaperValue):
            yield self.to.paper

    def begun(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[int, ...]:
        """Of several controls, those that were done with though another was not."""
        return tuple(sorted(self._walked(crew, seen)[1].values()))

    def _left(self, crew: Sequence[EventMoment], seen: Seen) -> list[str]:
        """Its controls that were never done with."""
        done = self._walked(crew, seen)[1]
        return [name for name in self.all_controls if name not in done]

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every time that all its controls were done with, and what was done wrong on the way."""
        return self._walked(crew, seen)[0]

    @abstractmethod
    def _walked(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[list[Attempt], dict[str, int]]:
        """All attempts, and by control the acts of one that was never completed."""

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """Which of its controls were left, and where they stood at the end."""
        wanted, left = self.target(seen.papers), self._left(crew, seen)
        done = [name for name in self.all_controls if name not in left]
        stood = {name: str(position_text(end[naming.control(name)])) for name in left}
        # What is typed in is entered, not set.
        verb = self.DONE if seen.controls[left[0]].kind != "entry" else phrase("entered at")
        names = joined(phrase(" and "), (seen.controls[name].name for name in left))
        if done:
            others = joined(phrase(" and "), (seen.controls[name].name for name in done))
            return phrase(
                "Only {others} was {verb} {wanted}; {names} was not.",
                others=others,
                verb=verb,
                wanted=wanted,
                names=names,
            )
        never = phrase("Never {verb} {wanted}", verb=verb, wanted=wanted)
        if (moved := self._moved(crew, seen)) is not None:
            to, at = str(position_text(moved.args["to"])), clock(moved.tick / 100)
            if to == wanted:
                return phrase("{never}, though it was put back there at {at}.", never=never, at=at)
            if set(stood.values()) == {to}:
                return phrase("{never}; it was put to {to} at {at} and left there.", never=never, to=to, at=at)
            never = phrase("{never}, though it was put to {to} at {at}", never=never, to=to, at=at)
        if set(stood.values()) == {wanted}:
            return phrase("{never}; at the end it stood there all the same.", never=never)
        # Another item asks for that position, so standing there is no fault of this one.
        if any(seen.asked_for(name, at) for name, at in stood.items()):
            return phrase("{never}.", never=never)
        return phrase("{never}; at the end it stood at {values}.", never=never, values=_listed(stood.values()))

    def _moved(self, crew: Sequence[EventMoment], seen: Seen) -> LoggedEvent | None:
        """The last time that one of its controls was moved with nothing asking for that."""
        moves = [m.event for m in crew if m.event.verb == "set" and m.event.args.get("control") in self.all_controls]
        own = [e for e in moves if not seen.asked_for(str(e.args["control"]), str(position_text(e.args["to"])))]
        return own[-1] if own else None

    def _done_with(
        self,
        done: dict[str, int],
        control: str,
        moment: EventMoment,
        seen: Seen,
        verb: str,
        evidence: tuple[tuple[str, str], ...],
    ) -> Iterator[Attempt]:
        """The attempt that is complete once all its controls are done with."""
        done[control] = moment.index
        if len(done) == len(self.all_controls):
            names = joined(", ", (seen.controls[name].name for name in self.all_controls))
            yield attempt(
                moment,
                True,
                phrase("{names} {verb}.", names=names, verb=verb),
                tuple(sorted(set(done.values()))),
                evidence,
            )
            done.clear()


class SetItem(ControlItem):
    """Move a control, or several, to a position; one that stands there from the start is looked at and spoken."""

    WORD = phrase("Set")
    ICON = "M3 2.5L11 7L3 11.5Z"
    FILLED = True
    DONE = phrase("set to")
    CHECKED = True
    kind: Literal["set"]

    def answers(self) -> Iterator[Key]:
        """A move of each control to its position."""
        to = self.to.paper if isinstance(self.to, PaperValue) else self.to
        for control in self.all_controls:
            yield ("set", control, to)

    def moves(self, papers: Mapping[str, float | str]) -> Iterator[tuple[str, str | None]]:
        """Each of its controls to its position."""
        yield from ((control, self.target(papers)) for control in self.all_controls)

    def parts(self) -> tuple[Part, ...]:
        """Its controls, and itself: what stands right in a flow is answered when the check is read."""
        return (*super().parts(), ("item", self.id))

    def _walked(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[list[Attempt], dict[str, int]]:
        """Moves of its controls, and looks at those that stand right from the start; passing a position is no slip."""
        wanted = self.target(seen.papers)
        found: list[Attempt] = []
        done: dict[str, int] = {}
        touched: set[str] = set()
        for place, moment in enumerate(crew):
            args = moment.event.args
            if moment.event.verb == "set":
                touched.add(str(args["control"]))
            if (looked := self._looked_at(moment, seen, wanted, touched)) or moment.event.verb in ("see", "respond"):
                words = phrase("seen at {wanted}", wanted=wanted)
                for looked_at in looked:
                    found += self._done_with(
                        done, looked_at, moment, seen, words, ((seen.controls[looked_at].name, wanted),)
                    )
                continue
            control = str(args.get("control"))
            if moment.event.verb != "set" or control not in self.all_controls:
                continue
            to, name = str(position_text(args["to"])), seen.controls[control].name
            evidence = ((name, str(position_text(moment.state[naming.control(control)]))),)
            if to == wanted:
                words = phrase("set to {wanted}", wanted=wanted)
                found += self._done_with(done, control, moment, seen, words, evidence)
                continue
            # Moved away again, it has to be put right before the line counts; not where another item asks for that.
            if not seen.asked_for(control, to):
                done.pop(control, None)
            # A meter's selector may be turned at will.
            if control not in seen.selectors:
                slip = not _passing(islice(crew, place + 1, None), moment)
                says = phrase("{name} was set to {to}, not to {wanted}.", name=name, to=to, wanted=wanted)
                found.append(attempt(moment, False, says, evidence=evidence, slip=slip))
        return found, done

    def _looked_at(self, moment: EventMoment, seen: Seen, wanted: str, touched: Set[str]) -> list[str]:
        """Its controls that somebody looked at rightly, of those that nobody has touched since the start."""
        args = moment.event.args
        if moment.event.verb == "see" and str(position_text(args["position"])) == wanted:
            asked = [name for name in self.all_controls if name == args["control"]]
        else:
            asked = list(self.all_controls) if did(moment, "respond", item=self.id) else []
        return [
            name
            for name in asked
            if name not in touched
            and seen.stood_first(name) == wanted == str(position_text(moment.state[naming.control(name)]))
        ]

    def not_so(self, answer: EventMoment, seen: Seen) -> str | None:
        """Controls that stood elsewhere when it was answered."""
        wanted = self.target(seen.papers)
        stood = {name: str(position_text(answer.state[naming.control(name)])) for name in self.all_controls}
        off = [
            phrase("{controls} stood at {at}", controls=seen.controls[name].name, at=at)
            for name, at in stood.items()
            if at != wanted
        ]
        if not off:
            return None
        return phrase(
            "Answered '{response}' at {at}, but {off}.",
            response=self.response,
            at=clock(answer.event.tick / 100),
            off=joined(phrase(" and "), off),
        )

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By moving each control there, looking at one that stands there from the start, or of a flow by saying so."""
        if card.in_flow(self):
            return event.verb == "respond" and bool(event.args["item"] == self.id)
        if event.verb not in ("set", "see") or event.args["control"] not in self.all_controls:
            return False
        control, wanted = str(event.args["control"]), self.target(card.papers)
        if event.verb == "see" and card.untouched(control) != wanted:
            return False
        right = str(position_text(event.args["to" if event.verb == "set" else "position"])) == wanted
        return right and card.done(self.id, control) == len(self.all_controls)

    def touched_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By entering whatever figure: only a position is plain to see, so a card that ticks it tells nothing."""
        entered = event.verb == "set" and event.args["control"] in self.all_controls and not card.in_flow(self)
        return (
            entered
            and isinstance(self.to, PaperValue)
            and card.done(self.id, str(event.args["control"])) == len(self.all_controls)
        )

    def perform(self, hands: PerfectHands) -> str | None:
        """Move every control; one that stands right from the start is looked at."""
        wanted = self.target(hands.papers)
        for control in self.all_controls:
            if hands.untouched(control) == wanted:
                hands.event("see", control=control, position=wanted)
            else:
                hands.move(control, wanted)
        return None


class VerifyItem(ControlItem):
    """Look at a control and say where it stands."""

    WORD = phrase("Verify")
    ICON = "M1.5 7C4 3 10 3 12.5 7C10 11 4 11 1.5 7ZM5.9 7a1.1 1.1 0 1 0 2.2 0a1.1 1.1 0 1 0 -2.2 0"
    DONE = phrase("seen at")
    SILENT = True
    kind: Literal["verify"]

    def answers(self) -> Iterator[Key]:
        """A look at each control."""
        for control in self.all_controls:
            yield ("see", control)

    def _walked(self, crew: Sequence[EventMoment], seen: Seen) -> tuple[list[Attempt], dict[str, int]]:
        """Looks at its controls, and moves that put one right: doing is looking.

        A true remark that one is elsewhere is no slip. One that the crew moved away themselves, with nothing asking
        for it, and put back was not looked at by that.
        """
        wanted = self.target(seen.papers)
        found: list[Attempt] = []
        done: dict[str, int] = {}
        displaced: set[str] = set()
        for moment in crew:
            args = moment.event.args
            control = args.get("control")
            if moment.event.verb not in ("see", "set") or control not in self.all_controls:
                continue
            name, stood = seen.controls[control].name, str(position_text(moment.state[naming.control(control)]))
            evidence = ((name, stood),)
            if moment.event.verb == "set":
                to = str(position_text(args["to"]))
                if to == wanted and stood != wanted and control not in displaced:
                    words = phrase("put to {wanted}", wanted=wanted)
                    found += self._done_with(done, control, moment, seen, words, evidence)
                # Moved away by the crew: putting it back is no look at it.
                elif stood == wanted and to != wanted and not seen.asked_for(control, to):
                    displaced.add(control)
                if to == wanted:
                    displaced.discard(control)
                elif not seen.asked_for(control, to):
                    done.pop(control, None)
                continue
            said = str(position_text(args["position"]))
            if said == wanted == stood and control in done:
                continue  # It was put right just before, and that move stays part of the attempt.
            if said == wanted == stood:
                words = phrase("seen at {wanted}", wanted=wanted)
                found += self._done_with(done, control, moment, seen, words, evidence)
                continue
            done.pop(control, None)
            says = _misread(name, said, stood, wanted)
            found.append(attempt(moment, False, says, evidence=evidence, slip=said != stood, false=said != stood))
        return found, done

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By saying of each control where it stands, or putting it there."""
        if event.verb not in ("see", "set") or event.args["control"] not in self.all_controls:
            return False
        if event.verb == "set" and str(position_text(event.args["to"])) != self.target(card.papers):
            return False
        return card.done(self.id, str(event.args["control"])) == len(self.all_controls)

    def perform(self, hands: PerfectHands) -> str | None:
        """Look at every control; what is out of place is put right first."""
        wanted = self.target(hands.papers)
        for control in self.all_controls:
            if hands.stands(control) != wanted:
                hands.move(control, wanted)
            hands.event("see", control=control, position=wanted)
        return None


def _passing(later: Iterable[EventMoment], moment: EventMoment) -> bool:
    """Whether the same control is moved on at once."""
    control, last = moment.event.args["control"], moment.event.tick + PASSING_TICKS
    soon = takewhile(lambda m: m.event.tick <= last, later)
    return any(did(m, "set", control=control) for m in soon)


def _listed(names: Iterable[str]) -> str:
    return ", ".join(sorted(set(names)))


def _misread(name: str, said: str, stood: str, wanted: str) -> str:
    if said != stood:
        return phrase("{name} was said to be at {said}, but stood at {stood}.", name=name, said=said, stood=stood)
    return phrase(
        "{name} was seen at {stood} and left there; it belongs at {wanted}.", name=name, stood=stood, wanted=wanted
    )
