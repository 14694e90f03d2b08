"""Which events of a log can be read as an attempt at an item, and whether the attempt was right."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import chain, islice, takewhile

from lumenstat.assessment.callouts import judge_call
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checklist import (
    CheckItem,
    ConfirmItem,
    ControlItem,
    CycleItem,
    DecideItem,
    HoldItem,
    Item,
    RequestItem,
    SetItem,
    SweepItem,
    WaitItem,
)
from lumenstat.documents.procedure import Procedure, Step, target_of
from lumenstat.documents.readings import meaning_of, shown_figure
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.expressions import parse
from lumenstat.language.values import position_text
from lumenstat.simulation.flight import Moment

CREW = ("trainee", "captain", "first-officer")
PART_KINDS = ("control", "instrument", "service", "item")
PASSING_TICKS = 150
"""A control that moves on within this time was only passing a position, as a rotary must."""


@dataclass(frozen=True)
class Attempt:
    """An attempt at an item, completed by the event `index`; `parts` are all events it is made of.

    A wrong attempt that is no `slip` (a true remark that something is not in place) costs nothing once put right.
    """

    index: int
    tick: int
    right: bool
    says: str
    parts: tuple[int, ...]
    evidence: tuple[tuple[str, str], ...] = ()
    slip: bool = True


_Part = tuple[str, str]
"""What an event or an item is about: `control`, `instrument`, `service` or `item`, and which one."""


class Reader:
    """Reads attempts out of the moments of a flight. `flag(moment, text)` gives a watched expression there."""

    def __init__(
        self, procedure: Procedure, airframe: Airframe, moments: Iterable[Moment], texts: dict[str, int]
    ) -> None:
        self.procedure, self.airframe, self.texts = procedure, airframe, texts
        self._moments: dict[_Part, list[Moment]] = {}
        self._steps: dict[_Part, list[Step]] = {}
        for step in procedure.steps:
            for part in _parts_of(step.item):
                self._steps.setdefault(part, []).append(step)
        for moment in moments:
            self.add(moment)

    def add(self, moment: Moment) -> None:
        """Take one more moment in; moments come in time order."""
        part = _part_of(moment.event)
        if part is not None and moment.event.by in CREW:
            self._moments.setdefault(part, []).append(moment)

    def steps_about(self, event: LogEvent) -> Sequence[Step]:
        """The items that an event could belong to, in the procedure's order."""
        part = _part_of(event)
        return self._steps.get(part, ()) if part is not None else ()

    def flag(self, moment: Moment, text: str) -> bool:
        """The value of a watched expression just before the event."""
        return moment.flags[self.texts[text]]

    def _about(self, item: Item) -> list[Moment]:
        """What the crew did about an item's parts, in time order."""
        found = [self._moments.get(part, []) for part in _parts_of(item)]
        return found[0] if len(found) == 1 else sorted(chain(*found), key=lambda moment: moment.index)

    def attempts(self, step: Step) -> list[Attempt]:
        """All attempts at the item, in time order."""
        crew = self._about(step.item)
        match step.item:
            case ControlItem() as item:
                return self._moves(item, crew)
            case CycleItem() as item:
                return self._cycles(item, crew)
            case SweepItem() as item:
                return self._sweeps(item, crew)
            case CheckItem() as item:
                return [self._call(item, m) for m in crew if _is(m, "call", instrument=item.instrument)]
            case HoldItem() as item:
                return self._holds(item, crew)
            case WaitItem() as item:
                return [self._response(item, m) for m in crew if _is(m, "respond", item=item.id)]
            case RequestItem() as item:
                asked = [m for m in crew if _is(m, "request", service=item.service, action=item.action)]
                return [self._request(m) for m in asked]
            case DecideItem() as item:
                return [self._decision(item, m) for m in crew if _is(m, "decide", item=item.id)]
            case ConfirmItem() as item:
                said = [m for m in crew if _is(m, "confirm", item=item.id)]
                return [_attempt(m, True, f"Confirmed: {item.statement}") for m in said]

    def _moves(self, item: ControlItem, crew: list[Moment]) -> list[Attempt]:
        """Moves of the controls of a `set` item, or looks at those of a `verify` item."""
        wanted = target_of(item, self.procedure.papers)
        moving = isinstance(item, SetItem)
        found: list[Attempt] = []
        done: dict[str, int] = {}
        for place, moment in enumerate(crew):
            args = moment.event.args
            control = args.get("control")
            if moment.event.verb != ("set" if moving else "see") or control not in item.all_controls:
                continue
            said = str(position_text(args["to" if moving else "position"]))
            name = self.airframe.controls[control].name
            stood = str(position_text(moment.state[f"control.{control}"]))
            evidence = ((name, stood),)
            if said != wanted or (not moving and stood != wanted):
                done.pop(control, None)
                says = f"{name} went to {said}, not to {wanted}." if moving else _misread(name, said, stood, wanted)
                slip = not _passing(islice(crew, place + 1, None), moment) if moving else said != stood
                found.append(_attempt(moment, False, says, evidence=evidence, slip=slip))
                continue
            done[control] = moment.index
            if len(done) == len(item.all_controls):
                verb = f"set to {wanted}" if moving else f"seen at {wanted}"
                parts = tuple(sorted(done.values()))
                names = ", ".join(self.airframe.controls[c].name for c in item.all_controls)
                found.append(_attempt(moment, True, f"{names} {verb}.", parts, evidence))
                done = {}
        return found

    def _cycles(self, item: CycleItem, crew: list[Moment]) -> list[Attempt]:
        """Moves of the control through the positions, one after another; a wrong one begins anew."""
        name = self.airframe.controls[item.control].name
        found: list[Attempt] = []
        parts: list[int] = []
        for moment in (m for m in crew if _is(m, "set", control=item.control)):
            to = str(position_text(moment.event.args["to"]))
            if to != item.through[len(parts)]:
                if parts:
                    says = f"{name} went to {to}; {item.through[len(parts)]} was next."
                    found.append(_attempt(moment, False, says, (*parts, moment.index)))
                parts = [moment.index] if to == item.through[0] else []
                continue
            parts.append(moment.index)
            if len(parts) == len(item.through):
                found.append(_attempt(moment, True, f"{name} moved through {', '.join(item.through)}.", tuple(parts)))
                parts = []
        return found

    def _sweeps(self, item: SweepItem, crew: list[Moment]) -> list[Attempt]:
        """Moves of the control to each end and back to where it stood when they began."""
        control = self.airframe.controls[item.control]
        found: list[Attempt] = []
        parts: list[int] = []
        ends, seen, stood = {control.positions[0], control.positions[-1]}, set[str](), ""
        for moment in (m for m in crew if _is(m, "set", control=item.control)):
            to = str(position_text(moment.event.args["to"]))
            if not parts:
                stood = str(position_text(moment.state[f"control.{item.control}"]))
                seen = {stood}
            parts.append(moment.index)
            seen.add(to)
            if to == stood:
                there = item.watch is None or self.flag(moment, item.watch)
                says = f"{control.name} came back without {', '.join(sorted(ends - seen))}."
                if ends <= seen:
                    unseen = "" if there else ", but the indication was not there"
                    says = f"{control.name} moved to each end and back{unseen}."
                right = ends <= seen and there
                found.append(_attempt(moment, right, says, tuple(parts)))
                parts = []
        return found

    def reads_out_of_limits(self, item: CheckItem, moment: Moment) -> bool:
        """Whether the instrument's reading at a moment is not within the limits of the item."""
        shown = moment.state[f"instrument.{item.instrument}.reads"]
        if not isinstance(shown, int | float):
            return True
        exact = shown_figure(shown, self.airframe.instruments[item.instrument].decimals)
        return meaning_of(exact, item.expect, self.procedure.papers, item.read_tolerance) != "within"

    def _call(self, item: CheckItem, moment: Moment) -> Attempt:
        instrument = self.airframe.instruments[item.instrument]
        shown = moment.state[f"instrument.{item.instrument}.reads"]
        held = item.moment is None or self.flag(moment, item.moment.when)
        figure = shown if isinstance(shown, int | float) else None
        verdict = judge_call(item, instrument, dict(moment.event.args), figure, held, self.procedure.papers)
        text = "dark" if figure is None else f"{figure:.{instrument.decimals}f} {instrument.unit}"
        evidence = [(instrument.name, text)]
        for control in (instrument.selector, instrument.dimmer):
            if control is not None:
                evidence.append((self.airframe.controls[control].name, str(moment.state[f"control.{control}"])))
        return _attempt(moment, verdict.right, verdict.says, evidence=tuple(evidence))

    def _holds(self, item: HoldItem, crew: list[Moment]) -> list[Attempt]:
        """Every press of the control with the release that ends it."""
        name = self.airframe.controls[item.control].name
        found: list[Attempt] = []
        pressed: Moment | None = None
        for moment in crew:
            if _is(moment, "press", control=item.control):
                pressed = moment
            elif pressed is not None and _is(moment, "release", control=item.control):
                held = (moment.event.tick - pressed.event.tick) / 100
                seen = item.watch is None or self.flag(moment, item.watch)
                parts = (pressed.index, moment.index)
                if held < item.seconds:
                    says, right = f"{name} held for {held:.1f} s; {item.seconds:g} s were due.", False
                elif item.at_most is not None and held > item.at_most:
                    says, right = f"{name} held for {held:.1f} s; at most {item.at_most:g} s were allowed.", False
                elif not seen:
                    says, right = f"{name} held for {held:.1f} s and let go though the indication was not there.", False
                else:
                    says, right = f"{name} held for {held:.1f} s.", True
                found.append(_attempt(moment, right, says, parts))
                pressed = None
        return found

    def _response(self, item: WaitItem, moment: Moment) -> Attempt:
        there = self.flag(moment, item.until)
        says = "Said when it was there." if there else "Said before it was there."
        return _attempt(moment, there, says)

    def _request(self, moment: Moment) -> Attempt:
        answered = moment.accepted
        says = "Asked, and the crew went to do it." if answered else "Asked when there was nothing the crew could do."
        service = str(moment.event.args["service"])
        return _attempt(moment, answered, says, evidence=((service, str(moment.state[f"service.{service}"])),))

    def _decision(self, item: DecideItem, moment: Moment) -> Attempt:
        right = right_branch(item, lambda text: self.flag(moment, text))
        chosen = moment.event.args["branch"]
        words = {branch.id: branch.says for branch in item.branches}
        read = frozenset(chain(*(parse(branch.when).quantities for branch in item.branches)))
        evidence = tuple(
            (quantity, f"{value:.1f}")
            for quantity, value in moment.state.items()
            if isinstance(value, float) and quantity in read
        )
        if chosen == right:
            return _attempt(moment, True, f"Decided: {words[chosen]}.", evidence=evidence)
        rather = f"; the state called for: {words[right]}" if right else ""
        return _attempt(moment, False, f"Decided: {words.get(chosen, chosen)}{rather}.", evidence=evidence)


def right_branch(item: DecideItem, flag: Callable[[str], bool]) -> str | None:
    """The first branch whose expression is true."""
    return next((branch.id for branch in item.branches if flag(branch.when)), None)


def _passing(later: Iterable[Moment], moment: Moment) -> bool:
    """Whether the same control is moved on at once."""
    control, last = moment.event.args["control"], moment.event.tick + PASSING_TICKS
    soon = takewhile(lambda m: m.event.tick <= last, later)
    return any(_is(m, "set", control=control) for m in soon)


def _part_of(event: LogEvent) -> _Part | None:
    """What an event is about."""
    return next(((kind, str(event.args[kind])) for kind in PART_KINDS if kind in event.args), None)


def _parts_of(item: Item) -> tuple[_Part, ...]:
    """What an event has to be about to be an attempt at an item."""
    match item:
        case ControlItem():
            return tuple(("control", name) for name in item.all_controls)
        case CycleItem() | SweepItem() | HoldItem():
            return (("control", item.control),)
        case CheckItem():
            return (("instrument", item.instrument),)
        case RequestItem():
            return (("service", item.service),)
        case _:
            return (("item", item.id),)


def _misread(name: str, said: str, stood: str, wanted: str) -> str:
    if said != stood:
        return f"{name} was said to be at {said}, but stood at {stood}."
    return f"{name} was seen at {stood} and left there; it belongs at {wanted}."


def _is(moment: Moment, verb: str, **args: str) -> bool:
    event = moment.event
    return event.verb == verb and all(event.args.get(key) == value for key, value in args.items())


def _attempt(
    moment: Moment,
    right: bool,
    says: str,
    parts: tuple[int, ...] | None = None,
    evidence: tuple[tuple[str, str], ...] = (),
    slip: bool = True,
) -> Attempt:
    return Attempt(moment.index, moment.event.tick, right, says, parts or (moment.index,), evidence, slip)
