"""Flies a log again without some of its acts or with them later, and only as far as that makes a difference.

The flight as it was is flown once with a checkpoint before each event. Without some acts it begins at the checkpoint
before the first of them, and once all of them are past it ends as soon as the aircraft stands as it stood then: from
there on both flights are one.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused
from lumenstat.language import naming
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import limit_text
from lumenstat.simulation.snapshot import Snapshot
from lumenstat.simulation.watching import Watch, WatchSnapshot
from lumenstat.systems.terms import Discrete

NEAR = 1e-4
"""Figures that lie no further apart than this, of themselves or of one, are the same from there on: charge would have
to grow apart twentyfold, and a bus be alive a second longer, before it mattered."""


class AliveClock:
    """Adds up for how many ticks each bus was alive, and counts all steps and events, those gone back on too."""

    def __init__(self, aircraft: Aircraft) -> None:
        self.aircraft = aircraft
        self.slots = [aircraft.plan.d[naming.bus_alive(bus.id)] for bus in aircraft.plan.airframe.electrical.buses]
        self.ticks = [0] * len(self.slots)
        self.count = 0
        self._last = aircraft.tick
        self._alive = self._now()

    def _now(self) -> list[bool]:
        d = self.aircraft.d
        return [bool(d[slot]) for slot in self.slots]

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Nothing to do: a bus lives or dies at an event or a step's end."""

    def at_event(self, tick: int) -> None:
        """Count what has passed since the last event for the buses that were alive."""
        self.count += 1
        passed = tick - self._last
        if passed:
            for n, alive in enumerate(self._alive):
                if alive:
                    self.ticks[n] += passed
            self._last = tick
        self._alive = self._now()

    def snapshot(self) -> tuple[int, list[int], list[bool]]:
        """What was counted so far, to go back to."""
        return self._last, list(self.ticks), list(self._alive)

    def restore(self, kept: tuple[int, list[int], list[bool]]) -> None:
        """Go back to what had been counted then."""
        self._last, self.ticks, self._alive = kept[0], list(kept[1]), list(kept[2])


@dataclass(frozen=True)
class _Checkpoint:
    """The aircraft and what was seen of it, standing just before an event."""

    aircraft: Snapshot
    seen: WatchSnapshot
    alive: tuple[int, list[int], list[bool]]


@dataclass(frozen=True)
class Outcome:
    """How a flight went: limits that were exceeded, ticks that each bus was alive, and every quantity at its end."""

    exceeded: frozenset[str]
    alive_ticks: Mapping[str, int]
    state: Mapping[str, Discrete | None]


class Variants:
    """A flown log and its flights without some acts. `flown` counts what that took."""

    def __init__(self, bundle: Bundle, events: Sequence[LogEvent], end: int, first: int) -> None:
        """`end` is the tick at which every flight ends; acts before the event `first` are never left out."""
        self.bundle, self.events, self.end = bundle, events, end
        self.limits = bundle.airframe.limits
        self.texts = list(dict.fromkeys(limit_text(limit) for limit in self.limits))
        self._checkpoints: dict[int, _Checkpoint] = {}
        self._aircraft, self._watch, self._clock = self._begin()
        for index, event in enumerate(events):
            self._aircraft.arrive(event.tick)
            if index >= first:
                self._checkpoints[index] = self._checkpoint()
            self._do(event)
        self._aircraft.arrive(end)
        self._base_count = self._clock.count
        self._flips = [tuple(line.flips) for line in self._watch.timelines]
        self._alive = list(self._clock.ticks)
        self.base = self._outcome(self._flips, self._alive)
        self._base_state = self.base.state

    def _begin(self) -> tuple[Aircraft, Watch, AliveClock]:
        aircraft = ready(self.bundle.airframe, self.bundle.exercise.start, self.bundle.exercise.faults)
        watch, clock = Watch(aircraft, self.texts), AliveClock(aircraft)
        aircraft.watchers += [watch, clock]
        return aircraft, watch, clock

    def _checkpoint(self) -> _Checkpoint:
        return _Checkpoint(self._aircraft.snapshot(), self._watch.snapshot(), self._clock.snapshot())

    def _do(self, event: LogEvent) -> None:
        try:
            carry_out(self._aircraft, event)
        except ActionRefused:
            return

    @property
    def flown(self) -> int:
        """How many steps and events all flights without something have taken so far."""
        return self._clock.count - self._base_count

    def without(self, left_out: frozenset[int], again_before: int | None = None) -> Outcome:
        """The flight without the events of these indices, or with them done only just before a later one."""
        first, last = min(left_out), max((*left_out, again_before or 0))
        begin = self._checkpoints[first]
        self._aircraft.restore(begin.aircraft)
        self._watch.restore(begin.seen)
        self._clock.restore(begin.alive)
        for index in range(first, len(self.events)):
            event = self.events[index]
            self._aircraft.arrive(event.tick)
            # Only once all that was left out lies behind: before it two flights look alike and are not.
            if index > last and self._stands_as(self._checkpoints[index]):
                return self._joined(self._checkpoints[index])
            if index == again_before:
                for each in sorted(left_out):
                    self._do(self.events[each])
            if index not in left_out:
                self._do(event)
        self._aircraft.arrive(self.end)
        return self._outcome([tuple(line.flips) for line in self._watch.timelines], self._clock.ticks)

    def _stands_as(self, then: _Checkpoint) -> bool:
        """Whether all that the future depends on is as it was in the flight with every act."""
        now, kept = self._aircraft, then.aircraft
        # The cheap question first: most flights differ in a switch for most of their way.
        if now.d != kept.d or not self._watch.saw_as(then.seen, 0):
            return False
        if not all(math.isclose(x, y, rel_tol=NEAR, abs_tol=NEAR) for x, y in zip(now.x, kept.x, strict=True)):
            return False
        return now.calendar.due() == kept.calendar.due() and now.memory() == kept.memory

    def _joined(self, then: _Checkpoint) -> Outcome:
        """The outcome of a flight that has become the one with every act again: the rest of it is that one's."""
        flips = []
        for line, seen, whole in zip(self._watch.timelines, then.seen.flips, self._flips, strict=True):
            flips.append((*line.flips, *whole[len(seen) :]))
        rest = zip(self._clock.ticks, then.alive[1], self._alive, strict=True)
        return self._outcome(flips, [now + whole - before for now, before, whole in rest], self._base_state)

    def _outcome(
        self,
        flips: Sequence[Sequence[tuple[int, bool]]],
        alive: Sequence[int],
        state: Mapping[str, Discrete | None] | None = None,
    ) -> Outcome:
        lasted = {text: _lasted(each, self.end) for text, each in zip(self.texts, flips, strict=True)}
        buses = self.bundle.airframe.electrical.buses
        return Outcome(
            frozenset(limit.id for limit in self.limits if lasted[limit_text(limit)]),
            {bus.id: ticks for bus, ticks in zip(buses, alive, strict=True)},
            self._aircraft.state() if state is None else state,
        )


def _lasted(flips: Sequence[tuple[int, bool]], end: int) -> bool:
    """Whether something was true for any time at all."""
    since = None
    for tick, value in flips:
        if value and since is None:
            since = tick
        elif not value and since is not None:
            if tick > since:
                return True
            since = None
    # What flips on and off within one tick lasted for no time and exceeds nothing.
    return since is not None and end > since
