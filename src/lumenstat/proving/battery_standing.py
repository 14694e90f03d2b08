"""What a start means for its batteries: how long they last if nobody goes on, and how long it takes to fill them.

Both are flown on from the perfect flight. A battery's time runs from the act that first brought its bus to life while
nothing but batteries fed the aircraft; from there nobody does anything more. Its charge is watched through the flight
and beyond its end, with the aircraft left as it stands there.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language import naming
from lumenstat.proving.proof import BatteryStanding
from lumenstat.rehearsal.perfect import Rehearsal
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.snapshot import Snapshot
from lumenstat.systems.electrical.ac_sources import AcSection
from lumenstat.systems.electrical.batteries import BatteriesSection, BatteriesStart
from lumenstat.systems.electrical.battery_part import Battery
from lumenstat.systems.electrical.buses import Bus
from lumenstat.systems.electrical.contactors import ContactorsSection

LONGEST_TICKS = 6 * 360_000
LOOK_TICKS = 3000
FULL_SHARE = 0.95


def standings(bundle: Bundle, flight: Rehearsal) -> Iterator[BatteryStanding]:
    """For every battery what the exercise's start and its perfect flight mean."""
    alone = _alone(bundle, flight.events)
    filled = _filled(bundle, flight.events)
    for battery in bundle.airframe.section(BatteriesSection).batteries:
        bus, seconds = alone.get(battery.id, ("", None))
        yield BatteryStanding(
            battery=battery.name,
            charge=bundle.exercise.start.section(BatteriesStart).battery_charge[battery.id],
            feeds=bus,
            lasts=seconds,
            full_at=filled.get(battery.id),
        )


def _aircraft(bundle: Bundle) -> Aircraft:
    return ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)


def _alone(bundle: Bundle, events: Sequence[LogEvent]) -> dict[str, tuple[str, float | None]]:
    """By battery: the first bus that lives on it alone, and after how many seconds that bus would be dead again."""
    aircraft = _aircraft(bundle)
    buses = {bus.id: bus for bus in bundle.airframe.electrical.buses}
    begun: dict[str, tuple[Bus, Snapshot]] = {}
    for event in events:
        aircraft.arrive(event.tick)
        # Looked at before each act, which is what the trainee finds when they begin it.
        for battery in bundle.airframe.section(BatteriesSection).batteries:
            if battery.id not in begun and (bus := _fed_by(aircraft, battery, buses)) is not None:
                begun[battery.id] = bus, aircraft.snapshot()
        carry_out(aircraft, event)
    found: dict[str, tuple[str, float | None]] = {}
    for name, (bus, snapshot) in begun.items():
        # From there, with nobody doing anything more.
        aircraft.restore(snapshot)
        found[name] = bus.name, _until_dead(aircraft, aircraft.plan.d[naming.bus_alive(bus.id)])
    return found


def _fed_by(aircraft: Aircraft, battery: Battery, buses: dict[str, Bus]) -> Bus | None:
    """The bus beyond a battery's contactor that lives while batteries give current and nothing else does."""
    d, slot, airframe = aircraft.d, aircraft.plan.d, aircraft.plan.airframe
    ac = airframe.section(AcSection)
    others = (*ac.ground_supplies, *ac.generators)
    if any(d[slot[f"source.{each.id}.available"]] is True for each in others):
        return None
    # Charged or at rest, it feeds nothing.
    if aircraft.a[aircraft.plan.a[naming.battery(battery.id, "amps")]] >= 0:
        return None
    for contactor in airframe.section(ContactorsSection).contactors:
        if battery.bus in contactor.between and d[slot[f"contactor.{contactor.id}.shut"]] is True:
            other = next(end for end in contactor.between if end != battery.bus)
            if d[slot[naming.bus_alive(other)]] is True:
                return buses[other]
    return None


def _until_dead(aircraft: Aircraft, alive: int) -> float | None:
    """Seconds until a bus is dead if nobody does anything more; None where it lives on."""
    begun = aircraft.tick
    while aircraft.tick - begun < LONGEST_TICKS:
        aircraft.advance(aircraft.next_change)
        if aircraft.d[alive] is not True:
            return (aircraft.tick - begun) / 100
    return None


def _filled(bundle: Bundle, events: Sequence[LogEvent]) -> dict[str, float]:
    """By battery: the second at which it is filled again, in the flight or after it; none where it never is."""
    aircraft, found = _aircraft(bundle), {}
    charges = {
        battery.id: aircraft.plan.a[naming.battery(battery.id, "charge")]
        for battery in bundle.airframe.section(BatteriesSection).batteries
        if bundle.exercise.start.section(BatteriesStart).battery_charge[battery.id] < FULL_SHARE
    }

    def look() -> None:
        for name, slot in charges.items():
            if name not in found and aircraft.a[slot] >= FULL_SHARE:
                found[name] = aircraft.tick / 100

    for event in events:
        # In steps, since a battery may be full between two acts that lie far apart.
        while aircraft.tick + LOOK_TICKS < event.tick:
            aircraft.arrive(aircraft.tick + LOOK_TICKS)
            look()
        aircraft.arrive(event.tick)
        look()
        carry_out(aircraft, event)
    end = aircraft.tick
    while len(found) < len(charges) and aircraft.tick - end < LONGEST_TICKS:
        before = [aircraft.a[slot] for slot in charges.values()]
        aircraft.arrive(aircraft.tick + LOOK_TICKS)
        look()
        # None of them gains anything any more: it will never be full.
        if all(aircraft.a[slot] <= was for slot, was in zip(charges.values(), before, strict=True)):
            break
    return found
