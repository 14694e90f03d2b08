"""From an exercise and a log to a ledger: fly, match, judge, add up."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.applying import Applicability
from lumenstat.assessment.attempts import Reader
from lumenstat.assessment.brought import Brought
from lumenstat.assessment.deciding import decided_by_doing
from lumenstat.assessment.due import Due
from lumenstat.assessment.extras import judge_extras
from lumenstat.assessment.gating import PassedBy
from lumenstat.assessment.given import brought_by_instructor, given_items
from lumenstat.assessment.grading import band_of, outcome_of, percent_of
from lumenstat.assessment.ledger import AimRow, ExtraRow, Gate, ItemRow, Ledger, LimitRow, Points, TimeUse, Verdict
from lumenstat.assessment.log_reading import LogReader
from lumenstat.assessment.rows import Rows, not_reached
from lumenstat.assessment.timing import time_use
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import ActionRefused, LogError, StartRefused
from lumenstat.language import naming
from lumenstat.language.values import clock, position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Exceedance, Flight, fly

_INSTRUCTORS = phrase("The instructor's own hand brought it, so it costs nothing.")
# What moves something; confirming, calling out and asking for hints do not.
ACTING_VERBS = ("set", "press", "release", "guard", "request")
GATING: tuple[Verdict, ...] = ("omitted", "wrong")
"""What a critical item gates by whatever else was done; out of its place it gates where something links it."""


@dataclass(frozen=True)
class Judged:
    """A judged run with the flight that it was judged on."""

    ledger: Ledger
    flight: Flight


Progress = Callable[[str, int, int], None]
"""Told what is being done, and how much of how much of it is."""


def score(bundle: Bundle, log: RunLog, progress: Progress = lambda doing, done, of: None) -> Judged:
    """Judge a log of this exercise. Raises LogError where the log cannot belong to it."""
    progress(phrase("flying the log"), 0, 1)
    if log.exercise != bundle.exercise.id:
        raise LogError(
            phrase(
                "belongs to exercise {exercise}, not to {id}", exercise=repr(log.exercise), id=repr(bundle.exercise.id)
            ),
            1,
        )
    check_references(bundle, log.events)
    events = within_time(bundle, log.events)
    try:
        flight = fly(bundle, events, bundle.watched)
    # A start that cannot be made is the document's fault, not the log's.
    except StartRefused:
        raise
    except ActionRefused as error:
        raise LogError(phrase("does something this aircraft cannot do: {error}", error=error)) from None
    return Judged(judge(bundle, bundle.procedure, flight, events, progress), flight)


def judge(
    bundle: Bundle,
    procedure: Procedure,
    flight: Flight,
    events: Sequence[LogEvent],
    progress: Progress = lambda doing, done, of: None,
) -> Ledger:
    """Judge a log that was flown with every expression of its exercise watched."""
    # What stands in a log after Finish was not flown and is nobody's act.
    seen = tuple(events[: len(flight.moments)])
    return _Judge(bundle, procedure, flight, seen, progress).ledger()


class _Judge:
    def __init__(
        self, bundle: Bundle, procedure: Procedure, flight: Flight, events: Sequence[LogEvent], progress: Progress
    ) -> None:
        self.bundle, self.procedure, self.flight, self.events = bundle, procedure, flight, events
        self.progress = progress
        progress(phrase("finding what belongs to which item"), 0, 1)
        numbers = {text: n for n, text in enumerate(bundle.watched)}
        self.reader = Reader(procedure, bundle.airframe, flight.moments, numbers)
        self.attempts = {step.number: self.reader.attempts(step) for step in procedure.steps}
        credit = bundle.exercise.credit
        due = Due(procedure, flight.timelines, credit)
        plain = LogReader(procedure, self.reader, self.attempts, due.share, len(events))
        by_doing = decided_by_doing(self.reader, self.attempts, flight, plain)
        reads = LogReader(procedure, self.reader, self.attempts, due.share, len(events), by_doing)
        applying, self.reading = Applicability(procedure, self.reader, flight, self.attempts, by_doing).settled(reads)
        self.blamed = Brought(bundle, flight, events, reads, self.reading).by_step(applying.steps)
        self.applying = applying
        self.instructors = brought_by_instructor(bundle, flight, events)
        self.rows = Rows(
            bundle, self.reader, flight, events, self.attempts, applying, self.reading, due, self.blamed
        )  # fmt: skip

    def ledger(self) -> Ledger:
        """The whole judgement."""
        exercise = self.bundle.exercise
        rows, last = not_reached([self.rows.row(step) for step in self.procedure.steps])
        extras = tuple(judge_extras(self.bundle, self.flight, self.events, self._left_over(), self._extras_seen))
        limits = tuple(self._limits(extras))
        aims = tuple(self._aims())
        gates = (*self._item_gates(rows), *self._limit_gates(), *aim_gates(aims))
        possible, earned = points_of(rows, extras, limits)
        percent = percent_of(earned, possible)
        outcome = outcome_of(exercise, percent, gates) if self.flight.finished else "unfinished"
        return Ledger(
            outcome=outcome,
            percent=percent,
            band=band_of(exercise, percent, outcome),
            points=Points(earned=round(earned, 4), possible=round(possible, 4)),
            gates=gates,
            items=rows,
            extras=extras,
            limits=limits,
            aims=aims,
            ended_at=self.flight.end / 100,
            ending=self._ending(rows, last),
            pass_mark=exercise.pass_mark,
            time=self._time(last is not None),
            digest=self.bundle.digest,
            engine=ENGINE_VERSION,
        )

    def _extras_seen(self, done: int, of: int) -> None:
        self.progress(phrase("flying again without what nobody asked for"), done, of)

    def _ending(self, rows: Sequence[ItemRow], last: int | None) -> str | None:
        """Said once where the run ended before its last items."""
        if last is None:
            return None
        at, left = clock(self.flight.end / 100), sum(not row.reached for row in rows)
        if self.flight.end >= round(self.bundle.exercise.minutes_at_most * 6000):
            return phrase("Its time was over at {at}; {left} items not reached.", at=at, left=left)
        if last < 0:
            return phrase("Ended at {at} before any item was done; {left} items not reached.", at=at, left=left)
        return phrase(
            "Ended at {at} after '{last}'; {left} items not reached.", at=at, last=self.rows.named(last), left=left
        )

    def _time(self, cut_short: bool) -> TimeUse | None:
        slipped = frozenset(n for n, tries in self.reading.tries.items() if any(w.slip for w in tries))
        done = {**self.reading.misplaced, **self.reading.kept}
        return time_use(self.bundle, self.procedure, done, slipped, self.flight.end, cut_short)

    def _limits(self, extras: Sequence[ExtraRow]) -> Iterator[LimitRow]:
        """Every exceedance; each limit costs once, unless the act that brought it is charged for it."""
        # An act that is charged for a limit pays for it; the limit costs nothing on top.
        charged = {extra.limit for extra in extras} | {each.limit for each in self.blamed.values()}
        for each in self.flight.exceedances:
            if each.limit.id in self.instructors:
                row, says = (
                    _limit_row(each, 0.0),
                    phrase("{limit:bare}. {why}", limit=each.limit.says, why=_INSTRUCTORS),
                )
                yield row.model_copy(update={"severity": "waived", "says": says})
                continue
            # A hazard costs by its gate, which is worse than points.
            free = each.limit.severity == "hazard" or each.limit.id in charged
            yield _limit_row(each, 0.0 if free else self.bundle.exercise.credit.limit)
            charged.add(each.limit.id)

    def _aims(self) -> Iterator[AimRow]:
        for aim in self.bundle.exercise.aims:
            met = self.flight.timelines[aim.when].at(self.flight.end)
            yield AimRow(id=aim.id, met=met, gating=aim.gating, says=aim.says)

    # ---- gates and what is left --------------------------------------------------------------------------------

    def _item_gates(self, rows: Sequence[ItemRow]) -> Iterator[Gate]:
        passed = PassedBy(self.bundle, self.procedure, self.flight, self.events, self.reading)
        given = given_items(self.events)
        passed_by = {step.number: says for step, says in passed.gates(self.applying.steps) if step.item.id not in given}
        for step, row in zip(self.procedure.steps, rows, strict=True):
            name = self.rows.named(step.number)
            if step.item.critical and row.verdict in GATING:
                yield Gate(kind="item", id=step.item.id, says=phrase("{item}: {why}", item=name, why=row.says))
            elif step.number in passed_by:
                yield Gate(
                    kind="item", id=step.item.id, says=phrase("{item}: {why}", item=name, why=passed_by[step.number])
                )

    def _limit_gates(self) -> Iterator[Gate]:
        for each in self.flight.exceedances:
            if each.limit.severity == "hazard" and each.limit.id not in self.instructors:
                yield Gate(kind="limit", id=each.limit.id, says=each.limit.says)

    def _left_over(self) -> list[int]:
        """Acts that belong to no item and were not part of reading or putting right what an item names."""
        testing = {i.test_control for i in self.bundle.airframe.instruments.values()}
        put_right = {
            part
            for step in self.procedure.steps
            if step.item.SILENT
            for attempt in self.attempts[step.number]
            if attempt.right
            for part in attempt.parts
        }
        belonging = self.reading.used | put_right | self.rows.beyond_the_stop
        missed = self._missed_moves()
        moved, guarded = self.reader.selectors | testing, self.reader.moved_controls
        left = []
        for index, event in enumerate(self.events):
            if event.verb not in ACTING_VERBS or index in belonging or event.by in ("instructor", "ground"):
                continue
            control = event.args.get("control")
            # A guard belongs to what it guards, and is judged with it.
            if event.verb == "guard" and control in guarded and not self._moved_besides(control, belonging):
                continue
            if event.verb != "guard" and control in moved:
                continue
            if event.verb == "set" and self._stays(index, event):
                continue
            # The item is charged already; what was done of it, too soon or in part, is no second slip.
            if event.verb == "set" and (control, str(position_text(event.args["to"]))) in missed:
                continue
            left.append(index)
        return left

    def _missed_moves(self) -> frozenset[tuple[str, str | None]]:
        """Moves of items that apply and were never done."""
        return frozenset(
            move
            for step in self.applying.steps
            if self.reading.done(step.number) is None
            for move in step.item.moves(self.procedure.papers)
        )

    def _stays(self, index: int, event: LogEvent) -> bool:
        """Whether a control was put where it stood already."""
        stood = self.flight.moments[index].state[naming.control(event.args["control"])]
        return bool(position_text(stood) == str(position_text(event.args["to"])))

    def _moved_besides(self, control: object, belonging: set[int]) -> bool:
        """Whether a control was also moved where no item asked for it, so that its guard goes with that."""
        return any(
            event.verb in ("set", "press") and event.args["control"] == control and index not in belonging
            for index, event in enumerate(self.events)
        )


def within_time(bundle: Bundle, events: Sequence[LogEvent]) -> Sequence[LogEvent]:
    """The events of a log within the exercise's time, which ends it as a station does: at its last minute."""
    last = round(bundle.exercise.minutes_at_most * 6000)
    if not events or events[-1].tick <= last:
        return events
    return (*(event for event in events if event.tick <= last), LogEvent(last, "instructor", "finish", {}))


def check_references(bundle: Bundle, events: Sequence[LogEvent]) -> None:
    """Every item and branch that a log names is one of the exercise, and nothing is let go that was not pressed.

    Raises LogError with the line and the time; the header is line 1.
    """
    steps, pressed = bundle.procedure.by_id, set[str]()
    for line, event in enumerate(events, 2):
        at, args = phrase("at {seconds:.2f} s", seconds=event.tick / 100), event.args
        if event.verb in ("decide", "respond", "confirm", "hint", "give"):
            if args["item"] not in steps:
                raise LogError(
                    phrase("{at}: there is no item {item} in this exercise", at=at, item=repr(args["item"])), line
                )
            ways = [way.id for way in steps[args["item"]].item.ways()]
            if event.verb == "decide" and args["branch"] not in ways:
                there = ", ".join(ways) or "none"
                raise LogError(
                    phrase(
                        "{at}: {item} has no branch {branch}; there is {there}",
                        at=at,
                        item=repr(args["item"]),
                        branch=repr(args["branch"]),
                        there=there,
                    ),
                    line,
                )
        elif event.verb == "press":
            pressed.add(args["control"])
        elif event.verb == "release":
            if args["control"] not in pressed:
                raise LogError(
                    phrase(
                        "{at}: {control} is let go, but nobody was pressing it", at=at, control=repr(args["control"])
                    ),
                    line,
                )
            pressed.discard(args["control"])


def points_of(rows: Sequence[ItemRow], extras: Sequence[ExtraRow], limits: Sequence[LimitRow]) -> tuple[float, float]:
    """Possible and earned points."""
    lost = sum(extra.effect == "deviation" for extra in extras) + sum(limit.cost for limit in limits)
    return sum(row.possible for row in rows), sum(row.earned for row in rows) - lost


def aim_gates(aims: Sequence[AimRow]) -> Iterator[Gate]:
    """The gates of aims that were missed."""
    for aim in aims:
        if aim.gating and not aim.met:
            yield Gate(kind="aim", id=aim.id, says=phrase("Not so at the end: {aim}", aim=aim.says))


def _limit_row(each: Exceedance, cost: float) -> LimitRow:
    return LimitRow(
        id=each.limit.id,
        start=each.start / 100,
        end=each.end / 100,
        peak=None if each.peak is None else round(each.peak, 3),
        severity=each.limit.severity,
        says=each.limit.says,
        cost=cost,
    )
