"""Flights, faults, ledgers and proofs of the shipped exercises, in the form in which they are kept."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, shipped_exercises
from lumenstat.documents.runlog import LogEvent, RunLog, parse_event
from lumenstat.proving.leave_out import leave_out
from lumenstat.proving.prove import prove
from lumenstat.proving.report import proof_json
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.rehearsal.slips import flight_with_slips
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import Sampler
from lumenstat.systems.registry import fault_kinds, fault_targets
from tests.kept import files
from tests.procedures import shipped

EVERY_TICKS = 100
SIGNIFICANT = 8
"""Figures are kept, and compared, to so many digits: another machine may round the last ones otherwise."""
PERFECT, SLIPS = "perfect", ("first", "second")
FLOWN_WITH_FAULTS = ("full-cold-start", "sides-moved-by-hand")
LEFT_OUT_OF = ("battery-and-apu", "night-stop-no-cart")

Figures = dict[str, list[float]]
"""By quantity: its mean over the flight and its value at the end. A text counts as its place among its choices."""


def exercises() -> list[str]:
    return [path.stem for path in shipped_exercises()]


# ---- flights ---------------------------------------------------------------------------------------------------------


def _figure(value: object) -> float:
    match value:
        case bool() | int() | float():
            return float(value)
        case None:
            return -1.0
        case _:
            return _text_figure(str(value))


@cache
def _text_figure(text: str) -> float:
    """Texts have no order: the sum over their letters tells one from another, and is the same everywhere."""
    return float(sum(n * ord(letter) for n, letter in enumerate(text, start=1)))


def _mean(values: Sequence[Any]) -> float:
    try:
        return float(sum(values)) / len(values)
    except TypeError:
        return sum(map(_figure, values)) / len(values)


def rounded(figure: float) -> float:
    return float(f"{figure:.{SIGNIFICANT}g}")


def figures_of(bundle: Bundle, events: Sequence[LogEvent]) -> Figures:
    """Every quantity of a flight, once a second."""
    samplers: list[Sampler] = []

    def sampler(aircraft: Aircraft) -> Sampler:
        samplers.append(Sampler(aircraft, EVERY_TICKS))
        return samplers[-1]

    flight = fly(bundle, events, lenient=True, also=[sampler])
    rows, end = samplers[0].rows, flight.aircraft.state()
    return {name: [rounded(_mean([row[name] for row in rows])), rounded(_figure(value))] for name, value in end.items()}


def with_fault(events: Sequence[LogEvent], kind: str, target: str) -> list[LogEvent]:
    """A log in which a fault is put in after a third of it."""
    begins = events[len(events) // 3].tick
    fault = LogEvent(begins, "instructor", "fault", {"fault": "kept", "kind": kind, "target": target})
    return [*(e for e in events if e.tick <= begins), fault, *(e for e in events if e.tick > begins)]


def faults_on(name: str) -> Iterator[tuple[str, str]]:
    """A fault of each kind that an airframe knows, of its first and of its last part."""
    targets = fault_targets(shipped(name).airframe)
    for kind in fault_kinds():
        yield from dict.fromkeys((kind, each) for each in [*targets.get(kind, ())][:: max(1, len(targets[kind]) - 1)])


def fault_figures(name: str, kind: str, target: str) -> Figures:
    """Every quantity of a flight with a fault."""
    return figures_of(shipped(name), with_fault(log_of(name, PERFECT), kind, target))


def changed(figures: Figures, without: Figures) -> Figures:
    """Those that are not as they are without the fault."""
    return {quantity: both for quantity, both in figures.items() if both != without[quantity]}


# ---- logs and ledgers ------------------------------------------------------------------------------------------------


@cache
def log_of(name: str, which: str) -> tuple[LogEvent, ...]:
    """The log that is kept of an exercise."""
    return tuple(parse_event(json.loads(line), 1) for line in ledgers()[name, which]["log"])


@cache
def ledgers() -> dict[tuple[str, str], dict[str, Any]]:
    return files.read_ledgers()


@cache
def rehearsal_of(name: str) -> Rehearsal:
    """An exercise as the rehearsal flies it now."""
    return rehearse(shipped(name))


def flown_log(name: str, which: str) -> tuple[LogEvent, ...]:
    """The log as the rehearsal flies it now."""
    bundle = shipped(name)
    if which == PERFECT:
        return rehearsal_of(name).events
    return flight_with_slips(bundle, f"{name} {which}", slips=5, slowness=0.8)


def judged(name: str, events: Sequence[LogEvent]) -> dict[str, Any]:
    """The ledger of a log without what names versions."""
    bundle = shipped(name)
    ledger = score(bundle, RunLog(name, bundle.digest, "kept", tuple(events))).ledger
    return ledger.model_dump(mode="json", exclude={"digest", "engine"}, exclude_defaults=True)


# ---- proofs ----------------------------------------------------------------------------------------------------------


def proven(name: str) -> dict[str, Any]:
    """The proof of an exercise; of some with what comes of leaving out or swapping each item."""
    bundle = shipped(name)
    flight = rehearsal_of(name)
    found = leave_out(bundle, flight) if name in LEFT_OUT_OF else None
    content: dict[str, Any] = json.loads(json.dumps(proof_json(prove(bundle, flight), found)))
    return content
