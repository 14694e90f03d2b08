"""An act that an item asked for, done so early that it brought a limit or a hazard.

The log is flown again without the act, and once more with the act just before the first thing that has to wait for it.
If the limit goes away both times, the act itself was right and came too early.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenstat.assessment.log_reading import LogReader, LogReading
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.seen import Attempt
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Exceedance, Flight
from lumenstat.simulation.variants import Variants

ACTS = ("set", "press", "release", "request")
LOOKED_BACK_AT_MOST = 4
"""So many acts before a limit are tried, the last one first."""
LIMITS_AT_MOST = 6


@dataclass(frozen=True)
class Early:
    """What an act brought by coming too early: the limit, and the sentence that says so."""

    limit: str
    says: str


@dataclass(frozen=True)
class Brought:
    """Looks for such acts in one reading of one run."""

    bundle: Bundle
    flight: Flight
    events: Sequence[LogEvent]
    reads: LogReader
    reading: LogReading

    def by_step(self, steps: Sequence[Step]) -> Mapping[int, Early]:
        """By the number of a step, what its act brought by coming too early."""
        exceeded = self.flight.exceedances[:LIMITS_AT_MOST]
        acts = sorted(
            (attempt.index, step.number, attempt)
            for step in steps
            # Looking is never early; only acts can bring something.
            if (attempt := self.reading.kept.get(step.number)) is not None and self.reads.verb(attempt) in ACTS
        )
        if not exceeded or not acts:
            return {}
        variants = Variants(self.bundle, self.events, self.flight.end, min(min(a.parts) for _, _, a in acts))
        found: dict[int, Early] = {}
        for each in exceeded:
            # The last acts before it, newest first: most often it was the last one.
            before = [(step, a) for _, step, a in acts if a.tick <= each.start][-LOOKED_BACK_AT_MOST:]
            for number, attempt in reversed(before):
                later = self._latest(number)
                if self._there_was_time(each, attempt, later) and self._went_away(variants, each, attempt, later):
                    found.setdefault(number, Early(each.limit.id, self._says(each, attempt, later)))
                    break
        return found

    def _latest(self, number: int) -> int:
        """The event before which the step's act might still have been done."""
        procedure = self.reads.procedure
        after = [a for n, a in self.reading.kept.items() if procedure.precedes(number, n)]
        return min((min(a.parts) for a in after), default=len(self.events) - 1)

    def _there_was_time(self, each: Exceedance, attempt: Attempt, later: int) -> bool:
        """Whether the act could have waited, and would still have had as long to bring the limit after that."""
        took, left = each.start - attempt.tick, self.flight.end - self.events[later].tick
        return self.events[later].tick > attempt.tick and left >= took

    def _went_away(self, variants: Variants, each: Exceedance, attempt: Attempt, later: int) -> bool:
        parts = frozenset(attempt.parts)
        without = variants.without(parts)
        if each.limit.id in without.exceeded:
            return False
        return each.limit.id not in variants.without(parts, again_before=later).exceeded

    def _says(self, each: Exceedance, attempt: Attempt, later: int) -> str:
        at = phrase(
            "Done at {at:.1f} s, too early: it brought '{limit}' at {at2:.1f} s",
            at=attempt.tick / 100,
            limit=each.limit.name,
            at2=each.start / 100,
        )
        return phrase("{at}. Done at {at2:.1f} s it would not have.", at=at, at2=self.events[later].tick / 100)
