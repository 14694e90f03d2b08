"""Which items of a procedure count in a run: conditions, branches, and where the exercise was to stop.

A section begins with the first act that belongs to one of its own items in the reading; there its conditions are looked
at, just before that act.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.log_reading import LogReader, LogReading
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.items.seen import Attempt
from lumenstat.simulation.flight import Flight

ROUNDS = 4
"""Which items count and which act belongs to which depend on each other; two rounds are usual."""


@dataclass(frozen=True)
class Applying:
    """The steps that count, and the step at which the exercise was to stop, if it was."""

    steps: tuple[Step, ...]
    stop: Step | None = None


@dataclass(frozen=True)
class Applicability:
    """Finds out what counts in one run."""

    procedure: Procedure
    reader: Reader
    flight: Flight
    attempts: Mapping[int, Sequence[Attempt]]
    by_doing: Mapping[int, Attempt]

    def settled(self, reads: LogReader) -> tuple[Applying, LogReading]:
        """What counts, and the reading for just that."""
        applying = self.applying(None)
        # What counts tells what was done, and what was done tells what counts: until neither changes.
        for _ in range(ROUNDS):
            reading = reads.of(applying.steps)
            now = self.applying(reading)
            if now == applying:
                break
            applying = now
        else:
            # It swings between two readings: the last one is as good as any, and the rounds have an end.
            reading = reads.of(applying.steps)
        return applying, reading

    def applying(self, reading: LogReading | None) -> Applying:
        """What counts in a reading; before there is one every condition is taken to hold."""
        begun = {} if reading is None else self._begun(reading)
        ways: dict[str, str | None] = {}
        found: list[Step] = []
        stop: Step | None = None
        for step in self.procedure.steps:
            if stop is not None and not self._within(step, stop):
                continue
            if step.branch is not None and ways.get(step.branch[0]) != step.branch[1]:
                continue
            if reading is not None and not self._condition(step, begun):
                continue
            found.append(step)
            if any(True for _ in step.item.ways()):
                way = ways[step.item.id] = self._way(step, reading)
                # The first branch that stops; what lies behind it never came up.
                stop = stop or (step if any(w.stop and w.id == way for w in step.item.ways()) else None)
        return Applying(tuple(found), stop)

    def _within(self, step: Step, stop: Step) -> bool:
        """Whether a step hangs on the way that stops."""
        while step.branch is not None:
            parent = self.procedure.by_id[step.branch[0]]
            if parent is stop:
                return True
            step = parent
        return False

    def _begun(self, reading: LogReading) -> dict[int, int]:
        """By section: the event with which it began."""
        begun: dict[int, int] = {}
        for step in self.procedure.steps:
            first = reading.first_act(step.number)
            if first is not None:
                begun[step.section] = min(first, begun.get(step.section, first))
        return begun

    def _condition(self, step: Step, begun: Mapping[int, int]) -> bool:
        text = step.item.applies_when
        if text is None:
            return True
        index = begun.get(step.section)
        if index is None:
            return self.flight.timelines[text].at(self.flight.end)
        return self.reader.flag(self.reader.moments[index], text)

    def _way(self, step: Step, reading: LogReading | None) -> str | None:
        """The way on that was right when an item was done, or else last tried, or else when it was passed by."""
        if (done := self.by_doing.get(step.number)) is not None:
            return done.way
        made = self.attempts[step.number]
        counted = reading.done(step.number) if reading is not None else None
        last = counted or (made[-1] if made else None)
        tick = last.tick if last is not None else self._passed_by(step, reading)
        moment = self.flight.moments[last.index] if last is not None else None
        return step.item.taken_way(moment, self.reader, lambda text: self.flight.timelines[text].at(tick))

    def _passed_by(self, step: Step, reading: LogReading | None) -> int:
        later = [
            a.tick
            for n, a in (reading.kept.items() if reading else ())
            if self.procedure.precedes(step.number, n) and self.procedure.steps[n].branch is None
        ]
        return min(later, default=self.flight.end)
