"""Events on integer ticks, in one strict order: tick, then priority, then the order they were made in."""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field, replace


@dataclass(frozen=True, slots=True, order=True)
class Event:
    """Something that happens by itself. A stale `serial` means that it was overtaken and does nothing."""

    tick: int
    priority: int
    sequence: int
    target: int = field(compare=False)
    serial: int = field(compare=False)


class Calendar:
    """A heap of events; a later one of the same kind and target overtakes an earlier one."""

    def __init__(self) -> None:
        self.events: list[Event] = []
        self.sequence = 0
        # Taking an event out of the middle of a heap is slow; it is left there and known by its serial to be
        # stale.
        self.serials: dict[tuple[int, int], int] = {}

    def add(self, tick: int, priority: int, target: int) -> None:
        """Put an event on the calendar, in place of any other of this kind and target."""
        serial = self.overtake(priority, target)
        # Two events of one tick and priority come in the order they were made in, on every machine.
        self.sequence += 1
        heapq.heappush(self.events, Event(tick, priority, self.sequence, target, serial))

    def overtake(self, priority: int, target: int) -> int:
        """Make events of this kind and target do nothing when they come due."""
        serial = self.serials[priority, target] = self.serials.get((priority, target), 0) + 1
        return serial

    def holds(self, event: Event) -> bool:
        """Whether the event was not overtaken."""
        return self.serials.get((event.priority, event.target)) == event.serial

    def shift(self, ticks: int, stays: int) -> None:
        """Count from a later moment on; events of one priority keep their times, which are told from the beginning."""
        moved = [e if e.priority == stays else replace(e, tick=e.tick - ticks) for e in self.events]
        heapq.heapify(moved)
        self.events = moved

    def next_tick(self) -> int | None:
        """When the next event is due; those that were overtaken are dropped on the way to it."""
        while self.events and not self.holds(self.events[0]):
            heapq.heappop(self.events)
        return self.events[0].tick if self.events else None

    def due(self) -> list[tuple[int, int, int]]:
        """All that is still to come: kind, target and tick."""
        return sorted((event.priority, event.target, event.tick) for event in self.events if self.holds(event))

    def pop(self) -> Event:
        """Take the next event off."""
        return heapq.heappop(self.events)

    def copy(self) -> Calendar:
        """An independent calendar with the same events."""
        other = Calendar()
        other.events = list(self.events)
        other.sequence = self.sequence
        other.serials = dict(self.serials)
        return other
