"""From an exercise and a log to a ledger: fly, match, judge, add up."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.extras import judge_extras
from lumenstat.assessment.grading import band_of, outcome_of, percent_of
from lumenstat.assessment.ledger import Evidence, Gate, ItemRow, Ledger, LimitRow, Points, TimeUse, Verdict
from lumenstat.assessment.matching import Candidate, best_reading
from lumenstat.assessment.timing import time_use
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Credit
from lumenstat.documents.procedure import Procedure, Step, watched_texts
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import ActionRefused, LogError
from lumenstat.items.check import CheckItem
from lumenstat.items.controls import VerifyItem
from lumenstat.items.decide import DecideItem
from lumenstat.items.seen import Attempt
from lumenstat.language.values import position_text
from lumenstat.simulation.flight import Exceedance, Flight, fly

ACTING_VERBS = ("set", "press", "release", "guard", "request")
GATING: tuple[Verdict, ...] = ("omitted", "wrong", "out-of-order")


@dataclass(frozen=True)
class Judged:
    """A judged run with the flight that it was judged on."""

    ledger: Ledger
    flight: Flight


Progress = Callable[[str, int, int], None]
"""Told what is being done, and how much of how much of it is."""


def score(bundle: Bundle, log: RunLog, progress: Progress = lambda doing, done, of: None) -> Judged:
    """Judge a log of this exercise. Raises LogError where the log cannot belong to it."""
    progress("flying the log", 0, 1)
    if log.exercise != bundle.exercise.id:
        raise LogError(f"belongs to exercise {log.exercise!r}, not to {bundle.exercise.id!r}", 1)
    procedure = bundle.procedure
    try:
        flight = fly(bundle, log.events, watched_texts(procedure))
    except ActionRefused as error:
        raise LogError(f"does something this aircraft cannot do: {error}") from None
    return Judged(judge(bundle, procedure, flight, log.events, progress), flight)


def judge(
    bundle: Bundle,
    procedure: Procedure,
    flight: Flight,
    events: Sequence[LogEvent],
    progress: Progress = lambda doing, done, of: None,
) -> Ledger:
    """Judge a log that was flown with every expression of its procedure watched."""
    seen = tuple(events[: len(flight.moments)])
    return _Judge(bundle, procedure, flight, seen, list(watched_texts(procedure)), progress).ledger()


@dataclass
class _Judge:
    bundle: Bundle
    procedure: Procedure
    flight: Flight
    events: tuple[LogEvent, ...]
    texts: list[str]
    progress: Progress
    kept: dict[int, Attempt] = field(default_factory=dict)
    misplaced: dict[int, Attempt] = field(default_factory=dict)
    wrong: dict[int, list[Attempt]] = field(default_factory=dict)
    used: set[int] = field(default_factory=set)

    def __post_init__(self) -> None:
        moments = self.flight.moments
        numbers = {text: n for n, text in enumerate(self.texts)}
        self.reader = Reader(self.procedure, self.bundle.airframe, moments, numbers)
        self.attempts = {step.number: self.reader.attempts(step) for step in self.procedure.steps}
        self._begun: dict[int, int] = {}
        for step in self.procedure.steps:
            for attempt in self.attempts[step.number]:
                self._begun[step.section] = min(attempt.tick, self._begun.get(step.section, attempt.tick))
        self.steps = [step for step in self.procedure.steps if self._applies(step)]
        self._applying = {step.number for step in self.steps}

    # ---- what applies --------------------------------------------------------------------------------------

    def _applies(self, step: Step) -> bool:
        item = step.item
        if step.branch is not None and not self._branch_right(*step.branch):
            return False
        return item.applies_when is None or self._at(item.applies_when, self._section_begins(step.section))

    def _branch_right(self, decision: str, branch: str) -> bool:
        step = self.procedure.by_id[decision]
        made = self.attempts[step.number]
        return self._way_taken(step, made[-1] if made else None) == branch and self._applies(step)

    def _way_taken(self, step: Step, last: Attempt | None) -> str | None:
        """The way on that was right when an item was last tried, or at the end."""
        if isinstance(step.item, DecideItem):
            tick = last.tick if last is not None else self.flight.end
            return step.item.right_branch(lambda text: self._at(text, tick))
        return step.item.taken_way(self.flight.moments[last.index] if last is not None else None, self.reader)

    def _section_begins(self, section: int) -> int:
        return self._begun.get(section, self.flight.end)

    def _at(self, text: str, tick: int) -> bool:
        return self.flight.timelines[text].at(tick)

    # ---- matching ------------------------------------------------------------------------------------------

    def _match(self) -> None:
        right = {s.number: {a.index: a for a in self.attempts[s.number] if a.right} for s in self.steps}
        candidates = [Candidate(number, index) for number, found in right.items() for index in found]
        weights = {step.number: step.item.weight for step in self.steps}
        for pair in best_reading(candidates, weights.__getitem__, self.procedure.precedes):
            self.kept[pair.item] = right[pair.item][pair.action]
        for attempt in self.kept.values():
            self.used.update(attempt.parts)
        for step in self.steps:
            if step.number in self.kept:
                continue
            free = [a for a in right[step.number].values() if not self.used & set(a.parts)]
            if free:
                self.misplaced[step.number] = free[0]
                self.used.update(free[0].parts)

    def _assign_wrong(self) -> None:
        """Give every wrong attempt to the one item it was meant for: open before kept, then nearest in order."""
        claims: dict[int, list[tuple[tuple[int, int, int], int, Attempt]]] = {}
        for step in self.steps:
            low, high = self._window(step)
            for attempt in self.attempts[step.number]:
                if attempt.right or self.used & set(attempt.parts):
                    continue
                is_open = step.number not in self.kept and step.number not in self.misplaced
                inside = low < attempt.index < high
                if not is_open and not inside:
                    continue
                claims.setdefault(attempt.index, []).append(
                    ((not inside, not is_open, self._wrong_moment(step, attempt)), step.number, attempt)
                )
        for _, each in sorted(claims.items()):
            _, number, attempt = min(each, key=lambda claim: claim[:2])
            self.wrong.setdefault(number, []).append(attempt)
            self.used.update(attempt.parts)

    def _wrong_moment(self, step: Step, attempt: Attempt) -> int:
        item = step.item
        if isinstance(item, CheckItem) and item.moment is not None:
            # A reading in its moment explains a call better than one out of it, so it is preferred.
            return int(not self.reader.flag(self.flight.moments[attempt.index], item.moment.when))
        return 0

    def _window(self, step: Step) -> tuple[int, int]:
        """Between which events of its kept neighbours in the procedure the item belongs."""
        before = [a.index for n, a in self.kept.items() if self.procedure.precedes(n, step.number)]
        after = [a.index for n, a in self.kept.items() if self.procedure.precedes(step.number, n)]
        return max(before, default=-1), min(after, default=len(self.events))

    # ---- verdicts ------------------------------------------------------------------------------------------

    def ledger(self) -> Ledger:
        """The whole judgement."""
        self.progress("finding what belongs to which item", 0, 1)
        self._match()
        self._assign_wrong()
        rows = tuple(self._row(step) for step in self.procedure.steps)
        extras = tuple(judge_extras(self.bundle, self.flight, self.events, self._left_over(), self._extras_seen))
        limits = tuple(_limit_row(each) for each in self.flight.exceedances)
        gates = (*self._item_gates(rows), *self._limit_gates())
        possible = sum(row.possible for row in rows)
        lost = sum(extra.effect == "deviation" for extra in extras)
        earned = sum(row.earned for row in rows) - lost
        percent = percent_of(earned, possible)
        return Ledger(
            outcome=outcome_of(self.bundle.exercise, percent, gates) if self.flight.finished else "unfinished",
            percent=percent,
            band=band_of(self.bundle.exercise, percent),
            points=Points(earned=round(earned, 4), possible=round(possible, 4)),
            gates=gates,
            items=rows,
            extras=extras,
            limits=limits,
            ended_at=self.flight.end / 100,
            time=self._time(),
            digest=self.bundle.digest,
            engine=ENGINE_VERSION,
        )

    def _extras_seen(self, done: int, of: int) -> None:
        self.progress("flying again without what nobody asked for", done, of)

    def _time(self) -> TimeUse | None:
        slipped = frozenset(n for n, wrong in self.wrong.items() if any(w.slip for w in wrong))
        done = {**self.misplaced, **self.kept}
        return time_use(self.bundle, self.procedure, done, slipped, self.flight.end)

    def _row(self, step: Step) -> ItemRow:
        item, number = step.item, step.number
        if number not in self._applying:
            return _bare_row(item.id, "not-applicable", 0.0, "Did not apply here.")
        if (taken := self._other_way(step)) is not None:
            return _bare_row(item.id, "not-applicable", 0.0, f"Another way was taken: '{taken}'.")
        wrong = self.wrong.get(number, [])
        if number in self.kept:
            attempt = self.kept[number]
            verdict, says = self._timing(step, attempt)
            slips = [w for w in wrong if w.index < attempt.index and w.slip]
            if slips and verdict == "done":
                says = f"{slips[-1].says} Put right at {attempt.tick / 100:.1f} s: {attempt.says}"
        elif number in self.misplaced:
            attempt, slips = self.misplaced[number], []
            verdict, says = "out-of-order", self._misplaced_says(step, attempt)
        elif wrong:
            attempt, slips = wrong[-1], []
            verdict = "early" if item.too_soon else "wrong"
            says = attempt.says
        else:
            return _bare_row(item.id, "omitted", item.weight, self._omitted_says(step))
        return self._graded(step, attempt, verdict, says, bool(slips))

    def _other_way(self, step: Step) -> str | None:
        """The challenge of the alternative that counts instead of this item, if it is one of several."""
        if step.item.one_of is None:
            return None
        ways = [each for each in self.steps if each.item.one_of == step.item.one_of]
        done = [w for w in ways if w.number in self.kept] or [w for w in ways if w.number in self.misplaced]
        tried = [w for w in ways if w.number in self.wrong]
        chosen = min(done, key=lambda w: self._attempt_of(w).index) if done else (tried or ways)[0]
        return None if chosen is step else chosen.item.challenge

    def _attempt_of(self, step: Step) -> Attempt:
        return self.kept.get(step.number) or self.misplaced[step.number]

    def _graded(self, step: Step, attempt: Attempt, verdict: Verdict, says: str, corrected: bool) -> ItemRow:
        item = step.item
        hints = {
            e.args["level"]
            for e in self.events
            if e.verb == "hint" and e.args["item"] == item.id and e.tick <= attempt.tick
        }
        share = max(0.0, _share(verdict, corrected, self.bundle.exercise.credit, len(hints)))
        if hints:
            says += f" {len(hints)} hint{'s' if len(hints) > 1 else ''} taken."
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

    def _timing(self, step: Step, attempt: Attempt) -> tuple[Verdict, str]:
        item = step.item
        if item.not_before is not None and (other := self._done(item.not_before.item)) is not None:
            waited = (attempt.tick - other.tick) / 100
            if waited < item.not_before.seconds:
                name = self.procedure.by_id[item.not_before.item].item.challenge
                return (
                    "early",
                    f"{waited:.1f} s after '{name}'; at least {item.not_before.seconds:g} s were due.",
                )
        if item.within is not None and (other := self._done(item.within.item)) is not None:
            waited = (attempt.tick - other.tick) / 100
            if waited > item.within.seconds:
                name = self.procedure.by_id[item.within.item].item.challenge
                return (
                    "late",
                    f"{waited:.1f} s after '{name}'; at most {item.within.seconds:g} s were allowed.",
                )
        if (awaited := item.due()) is not None:
            due = self.flight.timelines[awaited[0]].first_true()
            if due is not None and (attempt.tick - due) / 100 > awaited[1]:
                return (
                    "late",
                    f"It was there from {due / 100:.1f} s on and was answered at {attempt.tick / 100:.1f} s.",
                )
        return "done", attempt.says

    def _done(self, item_id: str) -> Attempt | None:
        number = self.procedure.by_id[item_id].number
        return self.kept.get(number) or self.misplaced.get(number)

    def _misplaced_says(self, step: Step, attempt: Attempt) -> str:
        late = [n for n, a in self.kept.items() if self.procedure.precedes(n, step.number) and a.index > attempt.index]
        soon = [n for n, a in self.kept.items() if self.procedure.precedes(step.number, n) and a.index < attempt.index]
        at = f"Done at {attempt.tick / 100:.1f} s"
        if late:
            other = max(late)
            return f"{at}, before '{self._challenge(other)}' ({self.kept[other].tick / 100:.1f} s), which comes first."
        if soon:
            other = min(soon)
            return (
                f"{at}, only after '{self._challenge(other)}' ({self.kept[other].tick / 100:.1f} s), which comes later."
            )
        return f"{at}, out of its place."

    def _challenge(self, number: int) -> str:
        return self.procedure.steps[number].item.challenge

    def _omitted_says(self, step: Step) -> str:
        return step.item.omitted_says(self.flight.aircraft.state(), self.reader)

    # ---- gates and sums ------------------------------------------------------------------------------------

    def _item_gates(self, rows: tuple[ItemRow, ...]) -> Iterator[Gate]:
        for step, row in zip(self.procedure.steps, rows, strict=True):
            if step.item.critical and row.verdict in GATING:
                yield Gate(kind="item", id=step.item.id, says=f"{step.item.challenge}: {row.says}")

    def _limit_gates(self) -> Iterator[Gate]:
        for each in self.flight.exceedances:
            if each.limit.severity == "hazard":
                yield Gate(kind="limit", id=each.limit.id, says=each.limit.says)

    def _left_over(self) -> list[int]:
        """Actions that belong to no item and were not part of reading or putting right what an item names."""
        airframe = self.bundle.airframe
        reading = {i.selector for i in airframe.instruments.values()} | {
            i.dimmer for i in airframe.instruments.values()
        }
        testing = {i.test_control for i in airframe.instruments.values()}
        verified = {
            (control, step.item.target(self.procedure.papers))
            for step in self.steps
            if isinstance(step.item, VerifyItem)
            for control in step.item.all_controls
        }
        left = []
        for index, event in enumerate(self.events):
            if event.verb not in ACTING_VERBS or index in self.used or event.by in ("instructor", "ground"):
                continue
            control = event.args.get("control")
            if event.verb in ("press", "release") and control in testing:
                continue
            if event.verb == "set" and (
                control in reading or (control, str(position_text(event.args["to"]))) in verified
            ):
                continue
            left.append(index)
        return left


def _share(verdict: Verdict, corrected: bool, credit: Credit, hints: int) -> float:
    share = {
        "done": credit.corrected if corrected else 1.0,
        "late": credit.late,
        "early": credit.early,
        "out-of-order": credit.out_of_order,
    }.get(verdict, 0.0)
    return share - credit.hint * hints


def _bare_row(item: str, verdict: Verdict, possible: float, says: str) -> ItemRow:
    return ItemRow(item=item, verdict=verdict, at=None, earned=0.0, possible=possible, says=says)


def _limit_row(each: Exceedance) -> LimitRow:
    return LimitRow(
        id=each.limit.id,
        start=each.start / 100,
        end=each.end / 100,
        peak=None if each.peak is None else round(each.peak, 3),
        severity=each.limit.severity,
        says=each.limit.says,
    )
