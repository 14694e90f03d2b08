"""A trainee who does everything as the model does it but for one change, on an aircraft whose moments a judge can see.

Every item is done anew: what is read is read off the instrument, what is decided is decided by what is there. So the
one change is the only thing that a judge can find. Flights share what came before the change through snapshots.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.check import CheckItem
from lumenstat.items.registry import Item
from lumenstat.language.wording import phrase
from lumenstat.rehearsal.hands import PACE_SECONDS, Hands, HandsSnapshot
from lumenstat.rehearsal.perfect import Acted, Rehearsal
from lumenstat.simulation.flight import Flight, Moment, flown, happen, limit_text
from lumenstat.simulation.watching import Timeline

PATIENCE_TICKS, PATIENCE_LATER_TICKS = 12_000, 2_000
"""How long a turn is waited for that came in the flight without a change; less once another never came."""


TICKS_ALIKE = 600
"""A flight that stands as the one without a change stood, so much sooner or later, is taken to go on like it."""


class ImplausibleError(Exception):
    """Nobody would fly it so: what is to be done too soon cannot be done then."""


@dataclass
class NotedHands(Hands):
    """Hands whose every act is noted as a judge sees it."""

    moments: list[Moment] = field(default_factory=list)

    def event(self, verb: str, pace: float | None = None, **args: Any) -> None:
        """Do one thing, after the time it takes; what the aircraft refuses is noted as refused."""
        self.pass_time(PACE_SECONDS.get(verb, 0.5) if pace is None else pace)
        done = LogEvent(self.tick, "trainee", verb, args)
        self.moments.append(happen(self.aircraft, self.watch, len(self.moments), done, lenient=True))
        self.events.append(done)


@dataclass(frozen=True)
class _Kept:
    """How it all stood just before an act of the flight without a change."""

    hands: HandsSnapshot
    events: int
    ended: dict[str, int]


@dataclass(frozen=True)
class Doing:
    """One thing that a trainee does on the way; `number` is that of the act which it is, or is made in place of."""

    make: Callable[[ChangedFlights], None]
    number: int | None = None


def _number(move: Doing | int) -> int | None:
    return move if isinstance(move, int) else move.number


@dataclass
class ChangedFlights:
    """The acts of one perfect flight, to be flown again with changes."""

    bundle: Bundle
    flight: Rehearsal
    whole: bool = False
    """Fly every flight to its end, though it goes on as the one without a change did: slow, for tests."""
    missed: list[str] = field(default_factory=list)
    ended: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.procedure: Procedure = self.bundle.procedure
        limits = [limit_text(limit) for limit in self.bundle.airframe.limits]
        texts = tuple(dict.fromkeys([*self.bundle.watched, *limits]))
        self.hands = NotedHands(self.bundle, self.procedure, texts)
        self.acts: tuple[Acted, ...] = self.flight.acts
        self.steps: list[Step] = [self.procedure.by_id[act.item] for act in self.acts]
        self.called = {
            act.item: event.args["judgement"]
            for act in self.acts
            for event in self.flight.events[act.first : act.last]
            if event.verb == "call"
        }
        self._usual = {act.item: act.ripe - act.free for act in self.acts}
        self._kept: list[_Kept] = []
        self._base: list[Moment] = []
        self.diverged = False
        """Whether a decision or a reading took another way than without the change."""
        self.taken: dict[str, str | None] = {}
        self.ways: dict[str, str | None] = {}

    # ---- flights -----------------------------------------------------------------------------------------------

    def unchanged(self) -> Flight:
        """Fly without a change, with snapshots before every act."""
        self._kept.clear()
        for number in range(len(self.acts)):
            self._kept.append(_Kept(self.hands.snapshot(), len(self.hands.events), dict(self.ended)))
            self.do(number)
            self._read_check(number, range(number + 1, len(self.acts)))
        flight = self._finished()
        self._base, self.ways = flight.moments, dict(self.taken)
        self._end = self.hands.snapshot()
        self._flips = [list(line.flips) for line in self.hands.watch.timelines]
        return flight

    def changed(self, begin: int, moves: Sequence[Doing | int]) -> Flight:
        """Fly these moves, numbers of acts among them, from just before act `begin`. Raises ImplausibleError."""
        kept = self._kept[begin]
        self.hands.restore(*kept.hands)
        # What another change left behind is no part of this flight.
        self.hands.events[:] = [moment.event for moment in self._base[: kept.events]]
        self.hands.moments[:] = self._base[: kept.events]
        self.ended, self.missed, self.diverged = dict(kept.ended), [], False
        self._read_checks_left(begin, moves)
        for place, move in enumerate(moves):
            if isinstance(move, int) and self._goes_on_as_before(move, moves[place:]):
                return self._as_before(self._kept[move])
            number = move if isinstance(move, int) else move.number
            if isinstance(move, int):
                self.do(move)
            else:
                move.make(self)
            if number is not None:
                self._read_check(number, [n for each in moves[place + 1 :] if (n := _number(each)) is not None])
        return self._finished()

    def _goes_on_as_before(self, number: int, rest: Sequence[Doing | int]) -> bool:
        """Whether all is as it was before an act of the flight without a change, and only its acts are left to do."""
        if self.whole or number + len(rest) != len(self.acts) or list(rest) != list(range(number, len(self.acts))):
            return False
        # In the middle of a flow its check is still to be read, and that depends on what was done of it.
        if number and self.steps[number - 1].section == self.steps[number].section and self._is_flow(number):
            return False
        kept = self._kept[number]
        there, seen, _ = kept.hands
        if not self.hands.aircraft.stands_as(there, TICKS_ALIKE, TICKS_ALIKE):
            return False
        return self.hands.watch.saw_as(seen, TICKS_ALIKE) and self._counts_as_before(number, there.tick, kept.ended)

    def _counts_as_before(self, number: int, then: int, ended: Mapping[str, int]) -> bool:
        """Whether every time that is still to be kept counts from as long ago as it did."""
        timed = (t for s in self.steps[number:] for t in (s.item.not_before, s.item.within) if t is not None)
        now, none = self.hands.tick, self.hands.tick + 1
        return all(now - self.ended.get(t.item, none) == then - ended.get(t.item, then + 1) for t in timed)

    def _is_flow(self, number: int) -> bool:
        return self.procedure.sections[self.steps[number].section].style == "flow-then-check"

    def _as_before(self, kept: _Kept) -> Flight:
        """This flight so far, and from here on the one without a change, so much sooner or later."""
        there, seen, _ = kept.hands
        hands = self.hands
        ticks, events = hands.tick - there.tick, len(hands.moments) - kept.events
        for moment in self._base[kept.events :]:
            event = replace(moment.event, tick=moment.event.tick + ticks)
            hands.moments.append(replace(moment, index=moment.index + events, event=event))
            hands.events.append(event)
        timelines = {
            text: Timeline([*line.flips, *((tick + ticks, value) for tick, value in flips[len(then) :])])
            for text, line, flips, then in zip(hands.texts, hands.watch.timelines, self._flips, seen.flips, strict=True)
        }
        hands.restore(*self._end)
        end = self._base[-1].event.tick + ticks
        return flown(self.bundle, hands.aircraft, list(hands.moments), timelines, [], True, end)

    def _finished(self) -> Flight:
        self.hands.event("finish")
        timelines = dict(zip(self.hands.texts, self.hands.watch.timelines, strict=True))
        return flown(self.bundle, self.hands.aircraft, list(self.hands.moments), timelines, [], finished=True)

    @cached_property
    def turned_to_read(self) -> frozenset[str]:
        """Controls that only choose what an instrument shows and how brightly."""
        instruments = self.bundle.airframe.instruments.values()
        return frozenset(name for each in instruments for name in (each.selector, each.dimmer) if name is not None)

    def wait_for(self, number: int) -> None:
        """Wait for an act's turn, and leave it at that."""
        self.await_turn(self.item(number))

    # ---- acts --------------------------------------------------------------------------------------------------

    def item(self, number: int) -> Item:
        """The item of an act."""
        return self.steps[number].item

    def do(self, number: int, now: bool = False) -> None:
        """Wait for an act's turn and do it. `now`: raises ImplausibleError where its turn is not there at once."""
        item = self.item(number)
        if not self.await_turn(item, now):
            self.missed.append(item.id)
            # What cannot be read as it should is read all the same.
            if not isinstance(item, CheckItem):
                return
        before = len(self.hands.moments)
        if item.redo(self.hands) is False:
            self.missed.append(item.id)
        elif len(self.hands.moments) == before:
            self.taken[item.id] = way = item.perform(self.hands)
            self.diverged = self.diverged or bool(self.ways and self.ways.get(item.id) != way)
        # A button pressed in vain, a request that nobody followed, a reading that was no longer that of its moment.
        done = self.hands.moments[before:]
        in_vain = any(not (moment.took and moment.accepted) for moment in done)
        if in_vain or not (done and self._in_its_moment(item, done[-1])):
            self.missed.append(item.id)
        self.ended[item.id] = self.hands.tick

    def _in_its_moment(self, item: Item, moment: Moment) -> bool:
        if not isinstance(item, CheckItem) or item.moment is None:
            return True
        return moment.flags[self.hands.texts.index(item.moment.when)]

    def await_turn(self, item: Item, now: bool = False) -> bool:
        """Let time pass until what an item needs is there; whether it came."""
        hands = self.hands
        if item.not_before is not None and (since := self.ended.get(item.not_before.item)) is not None:
            hands.aircraft.arrive(max(hands.tick, since + round(item.not_before.seconds * 100)))
        if self._there(item):
            return True
        if now:
            raise ImplausibleError
        until = hands.tick + self._usual.get(item.id, 0) + (PATIENCE_LATER_TICKS if self.missed else PATIENCE_TICKS)
        while hands.tick < until:
            hands.look_on(until, lambda sight: hands.there(item, self._meaning(item), sight))
            if self._there(item):
                return True
        return False

    def _there(self, item: Item) -> bool:
        # What has passed meanwhile may let a meter show what it did not before.
        if isinstance(item, CheckItem):
            self.hands.select(item)
        return self.hands.there(item, self._meaning(item))

    def _meaning(self, item: Item) -> str:
        return str(self.called.get(item.id, "within"))

    def _read_check(self, number: int, left: Sequence[int] | range) -> None:
        """Once nothing of a flow is left to do its check is read, and every item of it answered."""
        section = self.steps[number].section
        if self.procedure.sections[section].style != "flow-then-check":
            return
        if any(self.steps[other].section == section for other in left):
            return
        of = self.procedure.sections[section]
        self.hands.event("note", flow=of.id, text=phrase("Flow done: {title}", title=of.title))
        for item in self._answered(section):
            self.hands.event("respond", item=item.id)

    def _read_checks_left(self, begin: int, moves: Sequence[Doing | int]) -> None:
        """Read the checks of flows of which all that is left to do was left out."""
        left = {self.steps[n].section for each in moves if (n := _number(each)) is not None}
        last: dict[int, int] = {}
        for number, step in enumerate(self.steps):
            last[step.section] = number
        for section in {step.section for step in self.steps[:begin]} - left:
            if last[section] >= begin:
                self._read_check(self._of(section), ())

    def _of(self, section: int) -> int:
        return next(number for number, step in enumerate(self.steps) if step.section == section)

    def _answered(self, section: int) -> Iterator[Item]:
        for step in self.procedure.steps:
            if step.section == section and step.item.CHECKED and step.item.id in self.ended:
                yield step.item
