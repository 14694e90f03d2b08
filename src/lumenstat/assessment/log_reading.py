"""Which act of a log is read as which item: what is kept, what is out of place, what was tried, what is left."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.matching import Candidate, best_reading
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.items.item import Way
from lumenstat.items.seen import Attempt
from lumenstat.language.wording import phrase

WORDS = ("call", "confirm", "decide", "respond", "see")
"""Verbs that say something, so that the last word counts."""

Judge = Callable[[Step, Attempt, "LogReading"], tuple[float, str]]
"""The share of its weight that a right attempt earns by its time, with what is said of it."""


@dataclass
class LogReading:
    """One reading of a log, by the numbers of the steps.

    `kept` are right and in their place, `misplaced` right and out of it; `tries` are wrong or worse attempts before
    what counts, or all there is; `afterwards` are false words after what counts.
    """

    kept: dict[int, Attempt] = field(default_factory=dict)
    misplaced: dict[int, Attempt] = field(default_factory=dict)
    tries: dict[int, list[Attempt]] = field(default_factory=dict)
    afterwards: dict[int, list[Attempt]] = field(default_factory=dict)
    used: set[int] = field(default_factory=set)

    def done(self, number: int) -> Attempt | None:
        """The right attempt that counts for a step."""
        return self.kept.get(number) or self.misplaced.get(number)

    def first_act(self, number: int) -> int | None:
        """The first event that belongs to a step."""
        counted = [a for a in (self.done(number), *self.tries.get(number, ())) if a is not None]
        return min((min(a.parts) for a in counted), default=None)


@dataclass(frozen=True)
class LogReader:
    """Reads a log for the steps that apply."""

    procedure: Procedure
    reader: Reader
    attempts: Mapping[int, Sequence[Attempt]]
    share: Judge
    events: int
    by_doing: Mapping[int, Attempt] = field(default_factory=dict)
    """Decisions that were taken by doing what they call for, by step."""

    def of(self, steps: Sequence[Step]) -> LogReading:
        """The best reading. It is made twice: credit counts from times that the first one finds."""
        said = [step for step in steps if step.number not in self.by_doing]
        reading = self._matched(said, LogReading())
        reading = self._matched(said, reading)
        self._by_doing(steps, reading)
        self._misplace(said, reading)
        self._wrong_ways(steps, reading)
        self._superseded(steps, reading)
        self._begun(steps, reading)
        self._give_words_and_tries(steps, reading)
        return reading

    def matched(self, steps: Sequence[Step]) -> LogReading:
        """Which act is which step, and nothing more."""
        return self._matched(steps, LogReading())

    def _right(self, step: Step) -> dict[int, Attempt]:
        return {a.index: a for a in self.attempts[step.number] if a.right}

    def _matched(self, steps: Sequence[Step], before: LogReading) -> LogReading:
        by_number = {step.number: step for step in steps}
        right = {step.number: self._right(step) for step in steps}
        candidates = [Candidate(number, index) for number, found in right.items() for index in found]

        def credit(candidate: Candidate) -> float:
            # With one attempt there is nothing to choose, and weighing it would cost a look at all its times.
            if len(right[candidate.item]) == 1:
                return 1.0
            return self.share(by_number[candidate.item], right[candidate.item][candidate.action], before)[0]

        reading = LogReading()
        for pair in best_reading(candidates, credit, self.procedure.precedes):
            reading.kept[pair.item] = right[pair.item][pair.action]
            # An act answers one item only.
            reading.used.update(right[pair.item][pair.action].parts)
        return reading

    def _by_doing(self, steps: Sequence[Step], reading: LogReading) -> None:
        """A decision taken by doing what it calls for needs no word; a right one said afterwards belongs to it."""
        for step in steps:
            done = self.by_doing.get(step.number)
            if done is not None:
                reading.kept[step.number] = done
                later = [a for a in self.attempts[step.number] if a.index > done.index]
                # Whoever says what was just done says what was right, though it may have passed since.
                reading.used.update(a.index for a in later if a.right or self._chosen(a) == done.way)

    def _misplace(self, steps: Sequence[Step], reading: LogReading) -> None:
        for step in steps:
            if step.number in reading.kept:
                continue
            free = [a for a in self._right(step).values() if not reading.used & set(a.parts)]
            if free:
                reading.misplaced[step.number] = free[0]
                reading.used.update(free[0].parts)

    def _wrong_ways(self, steps: Sequence[Step], reading: LogReading) -> None:
        """What was done of a way that was not the right one belongs to the wrong decision, and is no slip besides."""
        for step in steps:
            for way in step.item.ways():
                begun = self._way_begun(step, way, reading)
                if begun is None:
                    continue
                for item in way.items:
                    for act in self.attempts[self.procedure.by_id[item.id].number]:
                        if act.right and act.index > begun and not reading.used & set(act.parts):
                            reading.used.update(act.parts)

    def _way_begun(self, step: Step, way: Way, reading: LogReading) -> int | None:
        """The event with which somebody wrongly took a way, by saying so or by doing what it asks for."""
        made = self.attempts[step.number]
        wrong = [a for a in made if not a.right and self._chosen(a) == way.id]
        if wrong:
            return wrong[0].index
        if made or step.number in self.by_doing or not step.item.DONE_BY_WAY:
            return None
        low, _ = self.window(step, reading)
        deeds = [
            act
            for item in way.items
            if not item.SILENT
            for act in self.attempts[self.procedure.by_id[item.id].number]
            if act.right and act.index > low and not reading.used & set(act.parts)
        ]
        if not deeds:
            return None
        first = min(deeds, key=lambda act: act.index)
        says = phrase("'{way}' was done without being decided, and it was not right.", way=way.says)
        reading.tries.setdefault(step.number, []).append(replace(first, right=False, says=says, way=None))
        return first.index - 1

    def _chosen(self, attempt: Attempt) -> object:
        """The way that was named by an attempt, if it was a word that names one."""
        return self.reader.moments[attempt.index].event.args.get("branch")

    def _superseded(self, steps: Sequence[Step], reading: LogReading) -> None:
        """What was right but at a worse time, and was done again at a better one, was a slip put right."""
        for step in steps:
            counted = reading.kept.get(step.number)
            if counted is None:
                continue
            low, _ = self.window(step, reading)
            share = self.share(step, counted, reading)[0]
            for attempt in self._right(step).values():
                # What another item took is no try of this one.
                if not low < attempt.index < counted.index or reading.used & set(attempt.parts):
                    continue
                worse, says = self.share(step, attempt, reading)
                if worse < share:
                    reading.tries.setdefault(step.number, []).append(replace(attempt, right=False, says=says))
                    reading.used.update(attempt.parts)

    def _give_words_and_tries(self, steps: Sequence[Step], reading: LogReading) -> None:
        """Give every wrong attempt to the one item it was meant for: open before done, then nearest in order."""
        repeated = self._repeated(steps, reading)
        claims: dict[int, list[tuple[tuple[bool, bool, bool], int, Attempt]]] = {}
        for step in steps:
            low, high = self.window(step, reading)
            counted = reading.done(step.number)
            for attempt in self.attempts[step.number]:
                if attempt.right or reading.used & set(attempt.parts):
                    continue
                inside = low < attempt.index < high
                # Said once more of another step it is no try of this one, unless this one was never done at all.
                if counted is not None and (attempt.index in repeated or not self._counts(attempt, counted, inside)):
                    continue
                # A reading in its moment explains a call better than one out of it, so it is preferred.
                elsewhere = not step.item.in_moment(self.reader.moments[attempt.index], self.reader)
                claim = ((not inside, counted is not None, elsewhere), step.number, attempt)
                claims.setdefault(attempt.index, []).append(claim)
        for _, each in sorted(claims.items()):
            _, number, attempt = min(each, key=lambda claim: claim[:2])
            counted = reading.done(number)
            later = counted is not None and attempt.index > counted.index
            (reading.afterwards if later else reading.tries).setdefault(number, []).append(attempt)
            reading.used.update(attempt.parts)
        for tries in reading.tries.values():
            tries.sort(key=lambda attempt: attempt.index)

    def _repeated(self, steps: Sequence[Step], reading: LogReading) -> frozenset[int]:
        """Words that say once more what was right of a step that is done: no try of another that is about the same."""
        return frozenset(
            attempt.index
            for step in steps
            if reading.done(step.number) is not None
            for attempt in self._right(step).values()
            if self.verb(attempt) in WORDS and not reading.used & set(attempt.parts)
        )

    def _counts(self, attempt: Attempt, counted: Attempt, inside: bool) -> bool:
        """Whether a wrong attempt is one at a step that is done.

        Within its turn anything before what counts was put right, and after it words take it back; what was false in
        itself is a slip of the step before its turn too, and a decision is about its step whenever it is said.
        """
        before = attempt.index < counted.index
        if inside:
            return before or self.verb(attempt) in WORDS
        return attempt.false and (before or self.verb(attempt) == "decide")

    def verb(self, attempt: Attempt) -> str:
        """What an attempt was completed by."""
        return self.reader.verbs[attempt.index]

    def window(self, step: Step, reading: LogReading) -> tuple[int, int]:
        """Between which events of its kept neighbours in the procedure the item belongs."""
        before = [a.index for n, a in reading.kept.items() if self.procedure.precedes(n, step.number)]
        after = [a.index for n, a in reading.kept.items() if self.procedure.precedes(step.number, n)]
        return max(before, default=-1), min(after, default=self.events)

    def _begun(self, steps: Sequence[Step], reading: LogReading) -> None:
        """Of a line with several controls, what was moved rightly belongs to it though another was not."""
        for step in steps:
            if reading.done(step.number) is None:
                reading.used.update(step.item.begun(self.reader.about(step.item), self.reader))
