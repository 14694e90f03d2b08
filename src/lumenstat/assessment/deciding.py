"""Decisions that were taken by doing what they call for: who shuts the fuel off has decided, whatever was pressed.

The act has to come after what stands before the decision, and to be the one by which an item of the way is done: an act
that another item owns, or that came before there was anything to decide by, decides nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.log_reading import LogReader, LogReading
from lumenstat.documents.procedure import Step
from lumenstat.items.item import Way
from lumenstat.items.seen import Attempt
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Flight


def decided_by_doing(
    reader: Reader, attempts: Mapping[int, Sequence[Attempt]], flight: Flight, reads: LogReader
) -> dict[int, Attempt]:
    """By step, the act that took its right way before that was said; steps whose way was said first are not there."""
    return _Deciding(reader, attempts, flight, reads).found()


class _Deciding:
    def __init__(
        self, reader: Reader, attempts: Mapping[int, Sequence[Attempt]], flight: Flight, reads: LogReader
    ) -> None:
        self.reader, self.attempts, self.flight, self.reads = reader, attempts, flight, reads
        self.steps = reader.procedure.steps

    def found(self) -> dict[int, Attempt]:
        decisions = [step for step in self.steps if step.item.DONE_BY_WAY]
        begun = {step.number: [way for way in step.item.ways() if self._acts(step, way)] for step in decisions}
        if not any(begun.values()):
            return {}
        reading = self._reading(begun)
        made = {step.number: self._made(step, begun[step.number], reading) for step in decisions}
        return {number: act for number, act in made.items() if act is not None}

    def _reading(self, begun: Mapping[int, Sequence[Way]]) -> LogReading:
        """What the acts belong to, if every way counts that was begun while it was right, and no other."""
        counted = {(self.steps[number].item.id, way.id) for number, ways in begun.items() for way in ways}
        deciding = {self.steps[number].item.id for number in begun}
        # Without the decisions themselves: a word said after the act would else say that the act came before it.
        steps = [
            step
            for step in self.steps
            if step.item.id not in deciding
            and (step.branch is None or step.branch[0] not in deciding or step.branch in counted)
        ]
        return self.reads.matched(steps)

    def _made(self, step: Step, ways: Sequence[Way], reading: LogReading) -> Attempt | None:
        """The first act that took the right way of a decision, where that was not said before."""
        taken = [
            replace(act, says=phrase("Decided by doing it: {way}.", way=way.says), evidence=(), way=way.id)
            for way in ways
            for number, act in self._acts(step, way)
            if reading.kept.get(number) is act and not self._owned(step, number, act)
        ]
        first = min(taken, key=lambda act: act.index, default=None)
        said = next((a for a in self.attempts[step.number] if a.right), None)
        return first if first is not None and (said is None or said.index > first.index) else None

    def _acts(self, step: Step, way: Way) -> list[tuple[int, Attempt]]:
        """Right acts of a way's own items while it was the right way, each with the number of its item."""
        numbers = [self.reader.procedure.by_id[item.id].number for item in way.items]
        return [
            (number, act)
            for number in numbers
            for act in self.attempts[number]
            if act.right and self._right_way(step, act.tick) == way.id
        ]

    def _owned(self, step: Step, number: int, act: Attempt) -> bool:
        """Whether a look or a word could as well be another item's, outside of this decision."""
        if not self.steps[number].item.SILENT:
            return False
        return any(
            act.index == other.index
            for each in self.steps
            if each is not step and (each.branch is None or each.branch[0] != step.item.id)
            for other in self.attempts[each.number]
            if other.right
        )

    def _right_way(self, step: Step, tick: int) -> str | None:
        """The way that was right just before something was done at a tick."""
        return step.item.taken_way(None, self.reader, lambda text: self.flight.timelines[text].at(max(0, tick - 1)))
