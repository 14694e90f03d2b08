"""Critical items that something was done before: whether that holds the outcome, or costs its half point alone.

It holds where something links the two: both stand in one strict section, the act names the critical item in `after`,
or without the critical item the act brings a limit or a hazard. What nothing links, cabin lights before a fire test, is
out of order and no more.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from lumenstat.assessment.log_reading import LogReading
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.seen import Attempt
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Flight
from lumenstat.simulation.variants import Variants


@dataclass(frozen=True)
class PassedBy:
    """Finds critical items of one run that were passed by though they were done."""

    bundle: Bundle
    procedure: Procedure
    flight: Flight
    events: Sequence[LogEvent]
    reading: LogReading

    def gates(self, steps: Sequence[Step]) -> Iterator[tuple[Step, str]]:
        """Critical steps that an act which is linked to them was done before, each with the sentence that says so."""
        for step in steps:
            counted = self.reading.done(step.number) if step.item.critical else None
            if counted is None:
                continue
            for number, other in self._done_before(step, counted):
                if self._linked(step, counted, self.procedure.steps[number], other):
                    says = phrase(
                        "Done at {at}, only after '{name}' ({before}), which has to wait for it.",
                        at=clock(counted.tick / 100),
                        name=self.procedure.named(number),
                        before=clock(other.tick / 100),
                    )
                    yield step, says
                    break

    def _done_before(self, step: Step, counted: Attempt) -> list[tuple[int, Attempt]]:
        """What had to wait for a step and was done before it."""
        done = {**self.reading.misplaced, **self.reading.kept}
        return [(n, a) for n, a in done.items() if self.procedure.precedes(step.number, n) and a.index < counted.index]

    def _linked(self, critical: Step, counted: Attempt, other: Step, act: Attempt) -> bool:
        if critical.section == other.section and self.procedure.sections[critical.section].order == "strict":
            return True
        return critical.item.id in other.item.after or self._brings(critical, counted, act)

    def _brings(self, critical: Step, counted: Attempt, act: Attempt) -> bool:
        """Whether without the critical item, or before it, the act brings a limit or a hazard."""
        if critical.item.SILENT:
            return False
        missing, parts = frozenset(counted.parts), frozenset(act.parts)
        base, without = self._variants.base.exceeded, self._variants.without(missing).exceeded
        if (without - base) - self._variants.without(missing | parts).exceeded:
            return True
        brought = base - self._variants.without(parts).exceeded if base else frozenset()
        if not brought:
            return False
        # Just before the critical item it still brings it, and just after that no longer.
        before = self._variants.without(parts, again_before=min(counted.parts)).exceeded
        after = self._variants.without(parts, again_before=max(counted.parts) + 1).exceeded
        return bool(brought & before - after)

    @cached_property
    def _variants(self) -> Variants:
        done = [*self.reading.kept.values(), *self.reading.misplaced.values()]
        return Variants(self.bundle, self.events, self.flight.end, min(min(a.parts) for a in done))
