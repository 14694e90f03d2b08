"""A flown log, to be looked at in any moment: the aircraft as it stood then, and what had been said."""

from __future__ import annotations

import contextlib
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.snapshot import CrewLine, Snapshot
from lumenstat.systems.terms import Discrete


@dataclass(frozen=True)
class MomentSeen:
    """The aircraft at a tick: every quantity, what the crew line had said, how many events had happened."""

    tick: int
    state: dict[str, Discrete | None]
    crew: tuple[CrewLine, ...]
    events: int


class Replay:
    """Keeps a snapshot after every event, so that any moment is one short flight away."""

    def __init__(self, bundle: Bundle, events: Sequence[LogEvent]) -> None:
        self.events = tuple(events)
        self.end = events[-1].tick if events else 0
        self.aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
        self._ticks = [0]
        self._kept: list[tuple[Snapshot, tuple[CrewLine, ...]]] = [self._keep()]
        for event in events:
            self.aircraft.arrive(event.tick)
            with contextlib.suppress(ActionRefused):  # a log of another version: what is refused did not happen
                carry_out(self.aircraft, event)
            self._ticks.append(event.tick)
            self._kept.append(self._keep())

    def _keep(self) -> tuple[Snapshot, tuple[CrewLine, ...]]:
        return self.aircraft.snapshot(), tuple(self.aircraft.crew)

    def at(self, tick: int) -> MomentSeen:
        """The moment at a tick, everything that happened on it included; later ones than the end are the end."""
        tick = min(max(0, tick), self.end)
        # Of several events on one tick the last: what happened on it is part of the moment.
        number = bisect_right(self._ticks, tick) - 1
        snapshot, crew = self._kept[number]
        self.aircraft.restore(snapshot)
        self.aircraft.crew[:] = crew
        self.aircraft.arrive(tick)
        return MomentSeen(tick, self.aircraft.state(), tuple(self.aircraft.crew), number)
