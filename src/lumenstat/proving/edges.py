"""A limit for a battery at rest, held against the edge that the model has.

A reason says what a limit is there for. The exercise is flown with a battery that only just passes, and with weaker
ones down to empty: what comes of the first contradicts the limit, how far below it the edge lies is kept in hand.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from lumenstat.documents.exercise import Start
from lumenstat.items.check import CheckItem
from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.proving.proof import Effect
from lumenstat.rehearsal.neighbours import SHARE, put, with_changes
from lumenstat.rehearsal.script import Script, ScriptFlight
from lumenstat.simulation.actions import ready
from lumenstat.simulation.flight import fly
from lumenstat.systems.registry import start_fields

AT_REST_AMPS = 1.0
LEAST_CHARGE, CHARGE_STEP = 0.02, 0.02
Worst = Callable[[Script, ScriptFlight, ScriptFlight], tuple[Effect, str, int]]
"""Finds the gravest thing that came of a change."""
GRAVE: frozenset[Effect] = frozenset({"fails-later", "limit", "hazard"})


@dataclass(frozen=True)
class Edge:
    """A check of a battery at rest: the act, the battery, the volts it reads and the least that it lets pass."""

    number: int
    battery: str
    volts: str
    least: float
    charge_path: tuple[str, ...]


def edges_of(script: Script) -> Iterator[Edge]:
    """The checks of batteries at rest that the perfect flight finds within limits."""
    paths = {tuple(f.path.split(".")) for f in start_fields(script.bundle.airframe) if f.unit == SHARE}
    checks = [
        (n, item)
        for n, act in enumerate(script.acts)
        if isinstance(item := script.procedure.by_id[act.item].item, CheckItem)
        and item.expect.min is not None
        and script.called.get(item.id) == "within"
    ]
    # Flying costs a second; most exercises have nothing here to fly for.
    if not checks:
        return
    flight = fly(script.bundle, script.flight.events)
    moments, at_rest = flight.moments, {volts: name for name, volts in flight.aircraft.plan.rest_volts}
    for n, item in checks:
        act = script.acts[n]
        call = next(m for m in moments[act.first : act.last] if m.event.verb == "call")
        reads = script.bundle.airframe.instruments[item.instrument].quantity_at(call.state)
        # Only a battery's volts at rest follow from its charge alone.
        if reads not in at_rest:
            continue
        battery_id = reads.split(".")[1]
        path = next((path for path in paths if path[-1] == battery_id), None)
        if path is not None and _as_it_was_found(battery_id, moments[0].state, call.state):
            yield Edge(n, at_rest[reads], reads, float(item.expect.min or 0.0), path)


def _as_it_was_found(battery_id: str, start: Mapping[str, Any], state: Mapping[str, Any]) -> bool:
    """Whether a battery is at rest and still has the charge that it had at the start."""
    amps, charge = naming.battery(battery_id, "amps"), naming.battery(battery_id, "charge")
    at_rest: bool = abs(state[amps]) < AT_REST_AMPS
    return at_rest and abs(float(state[charge]) - float(start[charge])) < CHARGE_STEP


def held_against(script: Script, edge: Edge, worst: Worst) -> tuple[Effect, str, int]:
    """What comes of a battery at the limit, or how far under it the model's edge lies; with the tick of it."""
    # Without the reading itself: it would refuse the battery before anything could come of it.
    left = {n for n in range(len(script.acts)) if _reads_at_rest(script, n, edge)}
    order = [n for n in range(len(script.acts)) if n not in left]
    base = script.only(order)
    said = f"{edge.least:g} V"

    def flown(charge: float) -> tuple[Effect, str, int]:
        return worst(script, base, _with_charge(script, edge, charge).only(order))

    def volts(charge: float) -> float:
        return _rest_volts(_with_charge(script, edge, charge), edge)

    at_limit = _charge_at(script, edge)
    if at_limit is None:
        return "none", phrase("no battery here rests at {said}, so the limit never binds", said=said), base.ready_at
    effect, says, tick = flown(at_limit)
    if effect in GRAVE:
        does = (
            # A full battery may be too weak as well: then no limit helps.
            ""
            if flown(1.0)[0] in GRAVE
            else phrase("; from {at_limit:.1f} V on it would do", at_limit=volts(_between(flown, 1.0, at_limit)[0]))
        )
        return (
            effect,
            phrase(
                "a battery that rests at {said}, which it lets pass, is too weak: {says}{does}",
                said=said,
                says=says,
                does=does,
            ),
            tick,
        )
    if flown(LEAST_CHARGE)[0] not in GRAVE:
        return "none", phrase("in the model nothing comes of it even with an empty battery"), base.ready_at
    _, bad = _between(flown, at_limit, LEAST_CHARGE)
    kept = phrase("the limit keeps {bad:.1f} V in hand", bad=edge.least - volts(bad))
    return (
        "none",
        phrase("under {bad:.1f} V, and not before, {says}; {kept}", bad=volts(bad), says=flown(bad)[1], kept=kept),
        base.ready_at,
    )


def _between(flown: Callable[[float], tuple[Effect, str, int]], good: float, bad: float) -> tuple[float, float]:
    """The last charge that does and the first that does not, found by halving."""
    while abs(good - bad) > CHARGE_STEP:
        middle = (good + bad) / 2
        good, bad = (good, middle) if flown(middle)[0] in GRAVE else (middle, bad)
    return good, bad


def _reads_at_rest(script: Script, n: int, edge: Edge) -> bool:
    """Whether an act reads these volts or decides by them: that would only say what is known already."""
    item = script.procedure.by_id[script.acts[n].item].item
    if isinstance(item, CheckItem):
        instrument = script.bundle.airframe.instruments[item.instrument]
        return edge.volts in (instrument.shows, *instrument.by_position.values())
    return edge.volts in " ".join(item.watched())


def _with_charge(script: Script, edge: Edge, charge: float) -> Script:
    start = script.bundle.exercise.start.model_dump(mode="json", by_alias=True)
    put(start, list(edge.charge_path), charge)
    return Script(with_changes(script.bundle, start=Start.model_validate(start)), script.flight)


def _rest_volts(script: Script, edge: Edge) -> float:
    aircraft = ready(script.bundle.airframe, script.bundle.exercise.start)
    return float(aircraft.state()[edge.volts] or 0.0)


def _charge_at(script: Script, edge: Edge) -> float | None:
    """The charge with which the battery rests at the limit, None where none does."""
    low, high = LEAST_CHARGE, 1.0
    if not _rest_volts(_with_charge(script, edge, low), edge) <= edge.least:
        return None
    if _rest_volts(_with_charge(script, edge, high), edge) < edge.least:
        return None
    # Twelve halvings: closer than the last figure of any voltmeter.
    for _ in range(12):
        middle = (low + high) / 2
        if _rest_volts(_with_charge(script, edge, middle), edge) < edge.least:
            low = middle
        else:
            high = middle
    return high
