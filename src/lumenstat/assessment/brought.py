"""Acts that brought a limit, a hazard or a refusal: which act it was, and whether it only came too early.

The log is flown again without an act, the newest before the limit first; where the limit goes away, that act brought
it. An act in its place is to blame only if it could have waited: flown once more just before the first thing that has
to wait for it, the limit has to stay away too. One out of its place, or a wrong try, is to blame as it is.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from lumenstat.assessment.log_reading import LogReader, LogReading
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.seen import Attempt
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Exceedance, Flight, fly
from lumenstat.simulation.variants import Variants

ACTS = ("set", "press", "release", "request")
CREW_ACTS = ("set", "press", "request")
LOOKED_BACK_AT_MOST = 6
"""So many acts before a limit are tried, the last one first."""
LIMITS_AT_MOST = 6
REFUSALS_AT_MOST = 4


@dataclass(frozen=True)
class Blamed:
    """What an act brought: the limit, if it was one, and the sentence that says so. `early`: it only came too early."""

    limit: str | None
    says: str
    early: bool


@dataclass(frozen=True)
class _Act:
    """Something that was done, and the step that it belongs to, if any; `kept`: it was right and in its place."""

    parts: frozenset[int]
    tick: int
    number: int | None = None
    kept: Attempt | None = None


@dataclass
class Brought:
    """Looks for such acts in one reading of one run."""

    bundle: Bundle
    flight: Flight
    events: Sequence[LogEvent]
    reads: LogReader
    reading: LogReading
    found: dict[int, Blamed] = field(default_factory=dict)
    _applying: Sequence[int] = ()

    def by_step(self, steps: Sequence[Step]) -> Mapping[int, Blamed]:
        """By the number of a step, what its act brought; requests that another act spoiled are no slips any more."""
        self._applying = [step.number for step in steps]
        acts = sorted(self._acts(steps), key=lambda act: min(act.parts))
        for each in self.flight.exceedances[:LIMITS_AT_MOST]:
            self._blame_for_limit(each, [act for act in acts if act.tick <= each.start])
        for number, tries in list(self.reading.tries.items())[:REFUSALS_AT_MOST]:
            self.reading.tries[number] = [self._spoiled(number, each, acts) for each in tries]
        return self.found

    def _acts(self, steps: Sequence[Step]) -> Iterator[_Act]:
        """Everything that the crew did to the aircraft, by the step it belongs to."""
        owned: set[int] = set()
        for step in steps:
            kept, misplaced = self.reading.kept.get(step.number), self.reading.misplaced.get(step.number)
            for attempt in (kept, misplaced, *self.reading.tries.get(step.number, ())):
                # Looking brings nothing; only acts can.
                if attempt is not None and self.reads.verb(attempt) in ACTS:
                    owned.update(attempt.parts)
                    own = attempt if attempt is kept else None
                    yield _Act(frozenset(attempt.parts), attempt.tick, step.number, own)
        for index, event in enumerate(self.events):
            if index not in owned and event.verb in CREW_ACTS and event.by not in ("instructor", "ground"):
                yield _Act(frozenset((index,)), event.tick)

    @cached_property
    def _variants(self) -> Variants:
        first = next(n for n, event in enumerate(self.events) if event.verb in (*ACTS, "guard"))
        return Variants(self.bundle, self.events, self.flight.end, first)

    # ---- limits ----------------------------------------------------------------------------------------------

    def _blame_for_limit(self, each: Exceedance, before: Sequence[_Act]) -> None:
        for act in reversed(before[-LOOKED_BACK_AT_MOST:]):
            if each.limit.id in self._variants.without(act.parts).exceeded:
                continue
            if act.kept is None or act.number is None:
                # What no item asked for is charged as an extra; what was out of place is to blame as it is.
                if act.number is not None:
                    self.found.setdefault(act.number, Blamed(each.limit.id, _brought(each), early=False))
                return
            # What it should have waited for was left out, or what ends it: that is the slip, and the limit comes of it.
            if self._another_slip(act.number):
                return
            later = self._latest(act.number)
            if not self._there_was_time(each, act, later):
                continue
            if each.limit.id not in self._variants.without(act.parts, again_before=later).exceeded:
                self.found.setdefault(act.number, Blamed(each.limit.id, self._too_early(each, act, later), early=True))
                return

    def _another_slip(self, number: int) -> bool:
        """Whether something before a step, or of its own section, was left out or out of its place, or failed after it.

        What was said before it and was not so is a slip beside it: whoever acts on that has looked at neither.
        """
        procedure = self.reads.procedure
        section = procedure.steps[number].section
        return any(
            procedure.steps[n].section == section or procedure.precedes(n, number)
            for n in self._applying
            if n not in self.reading.kept and not (n in self.reading.tries and procedure.precedes(n, number))
        )

    def _latest(self, number: int) -> int:
        """The event before which the step's act might still have been done."""
        procedure = self.reads.procedure
        after = [a for n, a in self.reading.kept.items() if procedure.precedes(number, n)]
        return min((min(a.parts) for a in after), default=len(self.events) - 1)

    def _there_was_time(self, each: Exceedance, act: _Act, later: int) -> bool:
        """Whether the act could have waited, and would still have had as long to bring the limit after that."""
        took, left = each.start - act.tick, self.flight.end - self.events[later].tick
        return self.events[later].tick > act.tick and left >= took

    def _too_early(self, each: Exceedance, act: _Act, later: int) -> str:
        return phrase(
            "Done at {at}, too early. {brought} Done at {later} it would not have.",
            at=clock(act.tick / 100),
            brought=_brought(each),
            later=clock(self.events[later].tick / 100),
        )

    # ---- requests that were refused ----------------------------------------------------------------------------

    def _spoiled(self, number: int, refused: Attempt, acts: Sequence[_Act]) -> Attempt:
        """The try as it counts: no slip where an act of another step, too early or out of place, spoiled it."""
        if self.reads.verb(refused) != "request" or self.reads.reader.moments[refused.index].accepted:
            return refused
        precedes = self.reads.procedure.precedes
        before = [act for act in acts if max(act.parts) < refused.index]
        for act in reversed(before[-LOOKED_BACK_AT_MOST:]):
            # What has to come before the request is not to blame for having come.
            if act.number in (None, number) or (act.kept and precedes(act.number, number)):
                continue
            if self._done_without(act.parts, refused.index):
                assert act.number is not None
                name = self.reads.procedure.named(act.number)
                asked = self.reads.procedure.named(number)
                at = clock(act.tick / 100)
                says = phrase("Done at {at}, and '{asked}' was refused because of it.", at=at, asked=asked)
                self.found.setdefault(act.number, Blamed(None, says, early=act.kept is not None))
                why = phrase("{says} It was because of '{name}', at {at}.", says=refused.says, name=name, at=at)
                return replace(refused, slip=False, says=why)
        return refused

    def _done_without(self, parts: frozenset[int], index: int) -> bool:
        """Whether a request would have been done without some acts before it."""
        events = [event for n, event in enumerate(self.events[: index + 1]) if n not in parts]
        return fly(self.bundle, events, lenient=True).moments[-1].accepted


def _brought(each: Exceedance) -> str:
    return phrase("It brought '{limit}' at {at}.", limit=each.limit.name, at=clock(each.start / 100))
