"""What each item comes to: its verdict, its points and the one sentence that says why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from lumenstat.assessment.applying import Applying
from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.brought import Blamed
from lumenstat.assessment.due import Due, share_of
from lumenstat.assessment.given import given_items, given_row
from lumenstat.assessment.ledger import Evidence, ItemRow, Verdict
from lumenstat.assessment.log_reading import LogReading
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.seen import Attempt
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase, phrases
from lumenstat.simulation.flight import Flight, fly

GOING_ON = ("set", "press", "request")
WAITED_TICKS = 240_000
"""What has not come after forty minutes more is taken not to come."""


@dataclass(frozen=True)
class Rows:
    """Makes the rows of one reading of one run. `blamed` says what an item's act brought."""

    bundle: Bundle
    reader: Reader
    flight: Flight
    events: Sequence[LogEvent]
    attempts: Mapping[int, Sequence[Attempt]]
    applying: Applying
    reading: LogReading
    due: Due
    blamed: Mapping[int, Blamed]

    @cached_property
    def _steps(self) -> frozenset[int]:
        return frozenset(step.number for step in self.applying.steps)

    @cached_property
    def _given(self) -> Mapping[str, LogEvent]:
        return given_items(self.events)

    def row(self, step: Step) -> ItemRow:
        """One item."""
        item, number = step.item, step.number
        # What the instructor gave is settled; what the trainee did besides changes nothing.
        if (given := self._given.get(item.id)) is not None:
            return given_row(item, given)
        if number not in self._steps:
            return _bare_row(item.id, "not-applicable", 0.0, self._why_not(step))
        if (taken := self._other_way(step)) is not None:
            return _bare_row(item.id, "not-applicable", 0.0, phrase("'{taken}' was done instead.", taken=taken))
        counted, tries = self.reading.done(number), self.reading.tries.get(number, [])
        if counted is not None:
            # Slips before it counted, without what was only looking for the right thing.
            return self._done(step, counted, [w for w in tries if w.index < counted.index and w.slip])
        if tries:
            verdict, says = self._wrong(step, tries[-1])
            return self._graded(step, tries[-1], verdict, says)
        says = item.omitted_says(self.reader.about(item), self.flight.aircraft.state(), self.reader)
        return _bare_row(item.id, "omitted", item.weight, says)

    def _why_not(self, step: Step) -> str:
        stop = self.applying.stop
        if stop is not None and step.number > stop.number:
            return phrase(
                "Did not apply: the exercise was to stop at '{challenge}'.", challenge=self.named(stop.number)
            )
        return phrase("Did not apply here.")

    def _other_way(self, step: Step) -> str | None:
        """The challenge of the alternative that counts instead of this item, if it is one of several."""
        if step.item.one_of is None:
            return None
        ways = [each for each in self.applying.steps if each.item.one_of == step.item.one_of]
        done = [w for w in ways if w.number in self.reading.kept]
        done = done or [w for w in ways if w.number in self.reading.misplaced]
        tried = [w for w in ways if w.number in self.reading.tries]
        chosen = min(done, key=self._index) if done else (tried or ways)[0]
        return None if chosen is step else self.named(chosen.number)

    def _index(self, step: Step) -> int:
        """The event with which a step was done; the log's end where it was not."""
        counted = self.reading.done(step.number)
        return len(self.events) if counted is None else counted.index

    # ---- what was done right ---------------------------------------------------------------------------------

    def _done(self, step: Step, counted: Attempt, slips: list[Attempt]) -> ItemRow:
        if (last := self._taken_back(step, counted)) is not None:
            says = phrase(
                "{last} It had been right at {at}, but the last word counts.",
                last=last.says,
                at=clock(counted.tick / 100),
            )
            return self._graded(step, last, "wrong", says)
        if step is self.applying.stop and (act := self._going_on(counted.index)) is not None:
            says = phrase(
                "{counted} Yet at {at} the crew went on, where the exercise was to stop.",
                counted=counted.says,
                at=clock(act.tick / 100),
            )
            return self._graded(step, counted, "wrong", says)
        if (unanswered := self._flow_answer(step, counted)) is not None:
            verdict, says = unanswered
            return self._graded(step, counted, verdict, says)
        # Order before time: out of its place it was late or early by that alone.
        if step.number in self.reading.misplaced:
            return self._graded(step, counted, "out-of-order", self._misplaced_says(step, counted))
        verdict, says = self.due.verdict(step, counted, self.reading)
        if verdict == "done" and (blamed := self.blamed.get(step.number)) is not None and blamed.early:
            return self._graded(step, counted, "early", blamed.says)
        # A slip afterwards counts as well, where it was put right again.
        slips = [*slips, *(w for w in self.reading.afterwards.get(step.number, ()) if w.slip)]
        if slips and verdict == "done":
            put_right = counted if slips[-1].index < counted.index else self._again(step, slips[-1].index) or counted
            says = phrase(
                "{slip} Put right at {at}.{brought}",
                slip=self._slip_says(step, slips[-1]),
                at=clock(put_right.tick / 100),
                brought=self._brought(step),
            )
        return self._graded(step, counted, verdict, says, bool(slips))

    def _taken_back(self, step: Step, counted: Attempt) -> Attempt | None:
        """The false last word after what counted, where no right one followed it."""
        false = [w for w in self.reading.afterwards.get(step.number, ()) if w.slip]
        return None if not false or self._again(step, false[-1].index) is not None else false[-1]

    def _again(self, step: Step, after: int) -> Attempt | None:
        """The first right attempt after an event."""
        return next((a for a in self.attempts[step.number] if a.right and a.index > after), None)

    def _going_on(self, after: int) -> LogEvent | None:
        """The first act after an event that an item beyond the stop asks for."""
        # A meter's selector may be turned at will.
        found = [
            self.events[index]
            for index in sorted(self.beyond_the_stop)
            if index > after and self.events[index].args.get("control") not in self.reader.selectors
        ]
        return next((event for event in found if event.verb in GOING_ON), None)

    @cached_property
    def beyond_the_stop(self) -> frozenset[int]:
        """Acts after the stop that were right for items which no longer counted because of it."""
        stop = self.applying.stop
        if stop is None:
            return frozenset()
        decided = self.reading.done(stop.number)
        since = -1 if decided is None else decided.index
        beyond = [s for s in self.bundle.procedure.steps if s.number > stop.number and s.number not in self._steps]
        parts = {part for s in beyond for a in self.attempts[s.number] if a.right for part in a.parts}
        return frozenset(part for part in parts - self.reading.used if part > since)

    # ---- a check that is read after a flow -------------------------------------------------------------------

    def _in_flow(self, step: Step) -> bool:
        return step.item.CHECKED and self.bundle.procedure.sections[step.section].style == "flow-then-check"

    def _flow_answer(self, step: Step, counted: Attempt) -> tuple[Verdict, str] | None:
        """What is wrong with the answer to an item that was done in a flow, if anything is."""
        if not self._in_flow(step):
            return None
        answers = self.reader.responses(step.item)
        done = phrase("It was done at {at}", at=clock(counted.tick / 100))
        if not answers:
            flow = [s for s in self.applying.steps if s.section == step.section and self._in_flow(s)]
            if any(self.reader.responses(s.item) for s in flow):
                return "omitted", phrase("{done}, but nobody answered when the check was read.", done=done)
            # A check that was never read is one slip, not one for every line of it.
            title = self.bundle.procedure.sections[step.section].title
            return (
                ("omitted", phrase("{done}, but the check of '{title}' was never read.", done=done, title=title))
                if step is flow[0]
                else None
            )
        false = step.item.not_so(answers[-1], self.reader)
        return None if false is None else ("wrong", false)

    # ---- what was not ------------------------------------------------------------------------------------------

    def _wrong(self, step: Step, last: Attempt) -> tuple[Verdict, str]:
        """A wrong attempt that nothing right followed: too soon, or wrong."""
        text = step.item.waits_for
        if text is None:
            return "wrong", phrase("{says}{brought}", says=self._slip_says(step, last), brought=self._brought(step))
        line, names = self.flight.timelines[text], {"challenge": step.item.challenge, "response": step.item.response}
        if (there := line.first_true(last.tick)) is not None and there <= self.flight.end:
            return "early", phrase("{last} It was so at {at}.", last=last.says, at=clock(there / 100))
        # It had been there and was gone: said from memory.
        if line.spans(last.tick):
            return "wrong", phrase("'{challenge}: {response}' was said when it was so no longer.", **names)
        if (there := self._comes(text, last)) is not None:
            return "early", phrase(
                "{last} Waited for, it would have been so at {at}.", last=last.says, at=clock(there / 100)
            )
        return "wrong", phrase("'{challenge}: {response}' was said, but it was not so and was not coming.", **names)

    def _slip_says(self, step: Step, slip: Attempt) -> str:
        """What was wrong with a try; of one that came too early, for how long it should have waited."""
        verdict, due = self.due.verdict(step, slip, self.reading)
        return phrase("{says} {due}", says=slip.says, due=due) if verdict == "early" else slip.says

    def _brought(self, step: Step) -> str:
        """What an act out of its place, or a wrong try, brought besides."""
        blamed = self.blamed.get(step.number)
        return "" if blamed is None or blamed.early else phrase(" {brought}", brought=blamed.says)

    def _comes(self, text: str, said: Attempt) -> int | None:
        """When something would have come if nobody had done anything more."""
        waited = fly(self.bundle, self.events[: said.index + 1], [text], said.tick + WAITED_TICKS)
        return waited.timelines[text].first_true(said.tick)

    def _misplaced_says(self, step: Step, attempt: Attempt) -> str:
        return phrase("{order}{brought}", order=self._order_says(step, attempt), brought=self._brought(step))

    def _order_says(self, step: Step, attempt: Attempt) -> str:
        kept, at = self.reading.kept, clock(attempt.tick / 100)
        precedes = self.bundle.procedure.precedes
        late = [n for n, a in kept.items() if precedes(n, step.number) and a.index > attempt.index]
        soon = [n for n, a in kept.items() if precedes(step.number, n) and a.index < attempt.index]
        # What was skipped names the item better than what was rushed.
        if late:
            # Of all that was skipped the last: it stands nearest before this on the card.
            other = max(late)
            says = phrase("Done at {at}, before '{other}' ({when}), which comes first.",
                          at=at, other=self.named(other), when=clock(kept[other].tick / 100))  # fmt: skip
        elif soon:
            other = min(soon)
            says = phrase("Done at {at}, only after '{other}' ({when}), which comes later.",
                          at=at, other=self.named(other), when=clock(kept[other].tick / 100))  # fmt: skip
        else:
            says = phrase("Done at {at}, out of its place.", at=at)
        return says

    def named(self, number: int) -> str:
        """An item's challenge, with its response where another item has the same challenge."""
        return self.bundle.procedure.named(number)

    # ---- points --------------------------------------------------------------------------------------------------

    def _graded(self, step: Step, attempt: Attempt, verdict: Verdict, says: str, corrected: bool = False) -> ItemRow:
        item = step.item
        # Hints taken before it was done; what is read afterwards helped nobody.
        hints = {
            e.args["level"]
            for e in self.events
            if e.verb == "hint" and e.args["item"] == item.id and e.tick <= attempt.tick
        }
        share = max(
            0.0,
            share_of(verdict, self.bundle.exercise.credit, corrected) - self.bundle.exercise.credit.hint * len(hints),
        )
        if hints:
            says += " " + phrases("{count} hint taken.", "{count} hints taken.", len(hints))
            if verdict == "done":
                verdict = "prompted"
        return ItemRow(
            item=item.id,
            verdict=verdict,
            at=attempt.tick / 100,
            earned=round(item.weight * share, 4),
            possible=item.weight,
            corrected=corrected and verdict in ("done", "prompted"),
            says=says,
            evidence=tuple(Evidence(name=name, value=value) for name, value in attempt.evidence),
        )


LEAST_UNREACHED = 3
"""So many items at the end that were never touched are told as one."""


def not_reached(rows: Sequence[ItemRow]) -> tuple[tuple[ItemRow, ...], int | None]:
    """The rows, those of items at the end that were never come to told so, and the number of the last one reached."""
    count = [n for n, row in enumerate(rows) if row.verdict != "not-applicable"]
    last = next((n for n in reversed(count) if rows[n].verdict != "omitted" or rows[n].at is not None), -1)
    left = [n for n in count if n > last]
    if len(left) < LEAST_UNREACHED:
        return tuple(rows), None
    told = [_unreached(row) if n in left else row for n, row in enumerate(rows)]
    return tuple(told), last


def _unreached(row: ItemRow) -> ItemRow:
    return row.model_copy(update={"says": phrase("Not reached."), "reached": False})


def _bare_row(item: str, verdict: Verdict, possible: float, says: str) -> ItemRow:
    return ItemRow(item=item, verdict=verdict, at=None, earned=0.0, possible=possible, says=says)
