"""Whether a right act came in its time: not too soon after another, not too late after it or after its indication."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lumenstat.assessment.ledger import Verdict
from lumenstat.assessment.log_reading import LogReading
from lumenstat.documents.exercise import Credit
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.items.item import Timed
from lumenstat.items.seen import Attempt
from lumenstat.language.values import clock, lasting
from lumenstat.language.wording import phrase
from lumenstat.simulation.watching import Timeline


@dataclass(frozen=True)
class Due:
    """Judges the time of right attempts, which counts from the acts of one reading."""

    procedure: Procedure
    timelines: Mapping[str, Timeline]
    credit: Credit

    def share(self, step: Step, attempt: Attempt, reading: LogReading) -> tuple[float, str]:
        """The share of its weight that an attempt earns by its time, and what is said of it."""
        verdict, says = self.verdict(step, attempt, reading)
        return share_of(verdict, self.credit), says

    def verdict(self, step: Step, attempt: Attempt, reading: LogReading) -> tuple[Verdict, str]:
        """Done, early or late, with the sentence that says why."""
        item = step.item
        if item.not_before is not None and (waited := self._since(item.not_before, attempt, reading)) is not None:
            due = item.not_before
            # Whole ticks on both sides: a hundredth of a second decides nothing by rounding.
            if waited < round(due.seconds * 100):
                says = phrase(
                    "Done {waited} after '{due}'; at least {seconds} have to pass.",
                    waited=lasting(waited / 100),
                    due=self._challenge(due),
                    seconds=_allowed(due.seconds),
                )
                return "early", says
        if item.within is not None and (waited := self._since(item.within, attempt, reading)) is not None:
            due = item.within
            if waited > round(due.seconds * 100):
                says = phrase(
                    "Done {waited} after '{due}'; at most {seconds} are allowed.",
                    waited=lasting(waited / 100),
                    due=self._challenge(due),
                    seconds=_allowed(due.seconds),
                )
                return "late", says
        # What it waits for had its time as well, from when it came.
        if (awaited := item.due(attempt.way)) is not None:
            there = self._came(awaited[0], attempt)
            # Its time begins with its turn: until then the model, too, has other things to do.
            there = None if there is None else max(there, self._turn(step, attempt, reading))
            if there is not None and attempt.tick - there > round(awaited[1] * 100):
                says = phrase(
                    "It was so from {there} on and was answered at {at}, {late} later; {seconds} are allowed.",
                    there=clock(there / 100),
                    at=clock(attempt.tick / 100),
                    late=lasting((attempt.tick - there) / 100),
                    seconds=_allowed(awaited[1]),
                )
                return "late", says
        return "done", attempt.says

    def _came(self, text: str, attempt: Attempt) -> int | None:
        """Since when something had been there, or when it first was."""
        spans = self.timelines[text].spans(attempt.tick + 1)
        # The last stretch: an indication that went and came again starts its time anew.
        return spans[-1][0] if spans else None

    def _turn(self, step: Step, attempt: Attempt, reading: LogReading) -> int:
        """When the last of what must come before a step was done, of what was done before the attempt."""
        before = (a.over for n, a in reading.kept.items() if self.procedure.precedes(n, step.number))
        return max((tick for tick in before if tick <= attempt.tick), default=0)

    def _since(self, timed: Timed, attempt: Attempt, reading: LogReading) -> int | None:
        """Ticks since the other item was done; None where it was not yet: then that one is out of its place."""
        other = reading.done(self.procedure.by_id[timed.item].number)
        # Out of its place is judged by order; a time counted from what had not happened would say it twice.
        return None if other is None or other.index > attempt.index else attempt.tick - other.tick

    def _challenge(self, timed: Timed) -> str:
        return self.procedure.named(self.procedure.by_id[timed.item].number)


def _allowed(seconds: float) -> str:
    """A time as a document gives it."""
    return clock(seconds) if seconds >= 60 and seconds % 1 == 0 else phrase("{seconds:g} s", seconds=seconds)


def share_of(verdict: Verdict, credit: Credit, corrected: bool = False) -> float:
    """The share of an item's weight that a verdict earns, hints aside."""
    return {
        "done": credit.corrected if corrected else 1.0,
        "late": credit.late,
        "early": credit.early,
        "out-of-order": credit.out_of_order,
    }.get(verdict, 0.0)
