"""Events on integer ticks, in one strict order: tick, then priority, then the order they were made in."""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field
from enum import IntEnum


class Priority(IntEnum):
    """What happens first when several things happen on one tick."""

    CONTACTOR = 0
    TRANSFER = 1
    SUPPLY = 2
    SURFACE = 3
    SERVICE = 4


@dataclass(frozen=True, slots=True, order=True)
class Event:
    """Something that happens by itself. A stale `serial` means that it was overtaken and does nothing."""

    tick: int
    priority: Priority
    sequence: int
    target: int = field(compare=False)
    serial: int = field(compare=False)


class Calendar:
    """A heap of events."""

    def __init__(self) -> None:
        self.events: list[Event] = []
        self.sequence = 0

    def add(self, tick: int, priority: Priority, target: int, serial: int) -> None:
        """Put an event on the calendar."""
        self.sequence += 1
        heapq.heappush(self.events, Event(tick, priority, self.sequence, target, serial))

    def next_tick(self) -> int | None:
        """When the next event is due."""
        return self.events[0].tick if self.events else None

    def pop(self) -> Event:
        """Take the next event off."""
        return heapq.heappop(self.events)

    def copy(self) -> Calendar:
        """An independent calendar with the same events."""
        other = Calendar()
        other.events = list(self.events)
        other.sequence = self.sequence
        return other
