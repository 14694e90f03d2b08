"""Proves an exercise: the model flies its checklist perfectly, and says what it found."""

from __future__ import annotations

from collections.abc import Iterator

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.language import naming
from lumenstat.proving.battery_standing import standings
from lumenstat.proving.findings import Finder
from lumenstat.proving.proof import ItemTime, Lowest, Proof, Touched
from lumenstat.rehearsal.critical import critical_items, schedule_of
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.rehearsal.script import Script
from lumenstat.simulation.flight import Flight, fly
from lumenstat.systems.electrical.batteries import BatteriesSection

AFTERWARDS_TICKS = 2000
"""A little while after the last act, so that what it set going shows."""


def prove(bundle: Bundle, rehearsal: Rehearsal | None = None) -> Proof:
    """The proof of an exercise. The same exercise always gives the same proof."""
    flown = rehearsal or rehearse(bundle)
    procedure = bundle.procedure
    armed = [fault.when for fault in bundle.exercise.faults if fault.when is not None]
    texts = tuple(dict.fromkeys([*bundle.watched, *armed]))
    flight = fly(bundle, flown.events, texts, end=flown.ready_at + AFTERWARDS_TICKS)
    script = Script(bundle, flown)
    findings = tuple(Finder(bundle, procedure, flown, flight, script).findings())
    schedule = schedule_of(script)
    items = tuple(
        ItemTime(item=act.item, starts=act.starts / 100, ends=act.ends / 100, slack=slack / 100)
        for act, slack in zip(flown.acts, schedule.slack, strict=True)
    )
    return Proof(
        ok=flown.ok and not any(finding.severity == "stops" for finding in findings),
        ready_at=flown.ready_at / 100,
        critical_path=critical_items(flown.acts, schedule),
        items=items,
        findings=findings,
        lowest=tuple(_lowest(bundle, flight)),
        limits=tuple(_touched(flight)),
        standing=tuple(standings(bundle, flown)),
        digest=bundle.digest,
        engine=ENGINE_VERSION,
    )


def _lowest(bundle: Bundle, flight: Flight) -> Iterator[Lowest]:
    for battery in bundle.airframe.section(BatteriesSection).batteries:
        slot = flight.aircraft.plan.a.numbers[naming.battery(battery.id, "volts")]
        volts, tick = min((point.a[slot], point.tick) for point in flight.trace)
        yield Lowest(battery=battery.name, volts=round(volts, 2), at=tick / 100)


def _touched(flight: Flight) -> Iterator[Touched]:
    for each in flight.exceedances:
        limit = each.limit
        yield Touched(id=limit.id, says=limit.says, severity=limit.severity, start=each.start / 100, end=each.end / 100)
