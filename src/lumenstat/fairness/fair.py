"""Is the judge fair to an exercise? Every plausible flight of it judged, and held against what is due to the change."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from lumenstat.assessment.ledger import ItemRow, Ledger
from lumenstat.assessment.scoring import judge
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError
from lumenstat.fairness.changed_flights import ChangedFlights, ImplausibleError
from lumenstat.fairness.changes import HARMLESS, Change, Deserved, changes_of
from lumenstat.language.wording import Words, phrase
from lumenstat.processes import FORKED
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.simulation.flight import Flight

PORTION = 8
NEARLY = 1e-6

Progress = Callable[[int, int], bool]
"""Called with how many flights are judged and how many there are; gives whether to go on."""


class JudgedFlight(BaseModel):
    """One changed flight: what was changed, what the judge says of it, and what is wrong with that, if anything is."""

    model_config = ConfigDict(frozen=True)
    kind: str
    item: str
    change: Words
    outcome: Words
    percent: float
    says: Words
    wrong: Words | None = None


class Fairness(BaseModel):
    """All changed flights of one exercise that anybody would fly."""

    model_config = ConfigDict(frozen=True)
    exercise: str
    flights: tuple[JudgedFlight, ...]

    @property
    def findings(self) -> tuple[JudgedFlight, ...]:
        """Flights of which the judge says something else than is due to them."""
        return tuple(each for each in self.flights if each.wrong is not None)


def carry_on(_done: int, _of: int) -> bool:
    """Never stop."""
    return True


def fair(
    bundle: Bundle,
    flight: Rehearsal | None = None,
    workers: int | None = None,
    progress: Progress = carry_on,
    at_start: Callable[[], None] | None = None,
    always_apart: bool = False,
) -> Fairness:
    """Fly and judge every plausible flight, in worker processes; those so far where `progress` says to stop.

    `at_start` is called in each worker; `always_apart` has even a single one in a process of its own.

    Raises LumenstatError where the model cannot fly the exercise at all.
    """
    perfect = flight or rehearse(bundle)
    if not perfect.ok:
        raise LumenstatError(phrase("the model cannot fly this exercise; prove it first"))
    count = workers or os.cpu_count() or 1
    own = _Own(bundle, perfect)
    found: dict[int, JudgedFlight | None] = {}
    whole = len(own.changes)
    numbers = range(-1, whole)
    if count == 1 and not always_apart:
        for number in numbers:
            if not progress(len(found), whole + 1):
                break
            found[number] = own.judged(number)
    else:
        work = _Share(bundle.canonical_json, perfect, at_start)
        with ProcessPoolExecutor(count, FORKED, _begin, (work,)) as pool:
            waiting: dict[Future[list[JudgedFlight | None]], range] = {}
            for at in range(-1, whole, PORTION):
                portion = range(at, min(whole, at + PORTION))
                waiting[pool.submit(_judge, portion)] = portion
            for future in as_completed(waiting):
                found.update(zip(waiting[future], future.result(), strict=True))
                if not progress(len(found), whole + 1):
                    pool.shutdown(wait=False, cancel_futures=True)
                    break
    told = tuple(each for number in numbers if (each := found.get(number)) is not None)
    return Fairness(exercise=bundle.exercise.id, flights=told)


@dataclass(frozen=True)
class _Share:
    content: str
    flight: Rehearsal
    at_start: Callable[[], None] | None


_own: list[_Own] = []
"""What this process judges; there is one, once it has begun."""


def _begin(work: _Share) -> None:
    if work.at_start is not None:
        work.at_start()
    _own[:] = [_Own(Bundle.from_canonical_json(work.content), work.flight)]


def _judge(numbers: range) -> list[JudgedFlight | None]:
    (own,) = _own
    return [own.judged(number) for number in numbers]


class _Own:
    """One exercise with its changes; the flight without one is number -1."""

    def __init__(self, bundle: Bundle, flight: Rehearsal) -> None:
        self.bundle = bundle
        self.course = ChangedFlights(bundle, flight)
        self.base = self.course.unchanged()
        self.limits = frozenset(each.limit.id for each in self.base.exceedances)
        self.base_ledger = self._ledger(self.base)
        self.changes = changes_of(self.course)
        self._harm: dict[str, bool] = {}

    def _ledger(self, flight: Flight) -> Ledger:
        return judge(self.bundle, self.bundle.procedure, flight, self.course.hands.events)

    def judged(self, number: int) -> JudgedFlight | None:
        """One flight, judged and held against what is due; None where nobody would fly it so."""
        if number < 0:
            return _told("perfect", "", phrase("Flown without a slip"), self.base_ledger,
                         _against(HARMLESS, self.base_ledger, frozenset(), False))  # fmt: skip
        change = self.changes[number]
        try:
            flight = self.course.changed(change.begin, change.moves)
        except ImplausibleError:
            return None
        # Done in another order, something never came: nobody would go on like that.
        odd = self.course.missed or self.course.diverged
        if odd and change.kind in ("swapped", "too soon", "too late", "other way round"):
            return None
        brought = {each.limit.id for each in flight.exceedances} - self.limits
        ledger = self._ledger(flight)
        # On another way other items count, and what is due to them is another exercise's question.
        wrong = None
        if not self.course.diverged:
            missed = frozenset(self.course.missed)
            wrong = _against(change.due, ledger, missed, bool(brought)) or self._gates_against(change, ledger, missed)
        return _told(change.kind, change.item, change.says, ledger, wrong)

    def _gates_against(self, change: Change, ledger: Ledger, missed: frozenset[str]) -> str | None:
        """What is wrong with what holds the outcome of a flight; None where nothing is."""
        due, gates = change.due, [gate for gate in ledger.gates if gate.kind == "item" and gate.id not in missed]
        if due.gates is True and not any(gate.id in due.items for gate in gates):
            return phrase("a critical item is missed, and nothing holds the outcome")
        # Passed by, an item without which the aircraft comes to harm holds it though no document says so.
        if due.gates is False and (gates := [gate for gate in gates if not due.items or not self._brings(gate.id)]):
            return phrase("it holds the outcome, and nothing critical was missed: {says}", says=gates[0].says)
        return None

    def _brings(self, item: str) -> bool:
        """Whether leaving an item out brings a limit or a hazard."""
        if item not in self._harm:
            found = next((c for c in self.changes if c.kind == "left out" and c.item == item), None)
            flight = None if found is None else self.course.changed(found.begin, found.moves)
            self._harm[item] = flight is not None and any(e.limit.id not in self.limits for e in flight.exceedances)
        return self._harm[item]


def _told(kind: str, item: str, change: str, ledger: Ledger, wrong: str | None) -> JudgedFlight:
    return JudgedFlight(
        kind=kind,
        item=item,
        change=change,
        outcome=ledger.outcome_words,
        percent=ledger.percent,
        says=next(_sentences(ledger), phrase("Nothing is lost.")),
        wrong=wrong,
    )


def _sentences(ledger: Ledger) -> Iterator[str]:
    """What the judge says of a flight, the weightiest first."""
    yield from (gate.says for gate in ledger.gates)
    yield from (row.says for row in _lost(ledger))
    yield from (extra.says for extra in ledger.extras if extra.effect in ("deviation", "hazard"))
    yield from (limit.says for limit in ledger.limits if limit.cost)


def _lost(ledger: Ledger) -> list[ItemRow]:
    return [row for row in ledger.items if row.earned < row.possible - NEARLY]


def _against(due: Deserved, ledger: Ledger, missed: frozenset[str], brought: bool) -> str | None:
    """What is wrong with a ledger, held against what is due; None where nothing is.

    `missed` are items that could not be done because of the change: they may lose too. Where the change brought a limit
    or a hazard, that costs as it does.
    """
    lost, allowed = _lost(ledger), due.items | missed
    beside = [row for row in lost if row.item not in allowed]
    if beside:
        return phrase("'{item}' loses too: {says}", item=beside[0].item, says=beside[0].says)
    extras = [extra for extra in ledger.extras if extra.effect in ("deviation", "hazard")]
    if extras and not missed and not brought:
        return phrase("an extra besides: {says}", says=extras[0].says)
    own = [row for row in lost if row.item in due.items]
    if due.items and not own and not brought:
        return phrase("nothing is lost by it")
    alone = len(due.items) == 1 or due.loses
    if not missed and alone and len(own) > 1:
        return phrase("two rows for one slip: {one}, {two}", one=own[0].item, two=own[1].item)
    points = sum(row.possible - row.earned for row in own)
    if due.loses and not missed and not brought and not any(abs(points - each) < NEARLY for each in due.loses):
        right = " / ".join(f"{each:g}" for each in due.loses)
        return phrase("it costs {points:g} points where {right} are right", points=points, right=right)
    # What must be so at the end is missed by a slip only where the slip left the aircraft otherwise.
    if not due.items and ledger.gates and not brought:
        return phrase("it holds the outcome, and it was harmless: {says}", says=ledger.gates[0].says)
    return None
