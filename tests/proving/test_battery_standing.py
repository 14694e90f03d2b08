"""What a start means for its batteries, against the load that is on and the charge that was there."""

from __future__ import annotations

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.proving.battery_standing import FULL_SHARE, standings
from lumenstat.proving.proof import BatteryStanding
from lumenstat.proving.report import standing_lines
from lumenstat.rehearsal.perfect import Rehearsal, rehearse
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.systems.electrical.batteries import BatteriesSection, BatteriesStart
from tests.procedures import BATTERY_ON, shipped, small


def flown(bundle: Bundle) -> tuple[Rehearsal, dict[str, BatteryStanding]]:
    flight = rehearse(bundle)
    return flight, {each.battery: each for each in standings(bundle, flight)}


def test_a_battery_lasts_as_long_as_its_ampere_hours_at_the_load() -> None:
    """Reference: charge x capacity / amperes by hand; the load grows a little as volts fall, so it lasts a little less."""
    bundle = small(BATTERY_ON)
    flight, found = flown(bundle)
    main = bundle.airframe.section(BatteriesSection).batteries[0]
    aircraft = ready(bundle.airframe, bundle.exercise.start, ())
    for event in flight.events:
        aircraft.arrive(event.tick)
        carry_out(aircraft, event)
    aircraft.arrive(aircraft.tick + 1000)
    amps = -aircraft.a[aircraft.plan.a[f"battery.{main.id}.amps"]]
    colder = 25 - bundle.exercise.start.outside_celsius
    # Half of a lead-acid battery's capacity goes at 45 degrees under 25.
    capacity_ah = main.capacity_ah * (1 - 0.5 * colder / 45)
    hours = bundle.exercise.start.section(BatteriesStart).battery_charge[main.id] * capacity_ah / amps
    lasts = found[main.name].lasts
    assert lasts is not None
    assert 0.75 * hours < lasts / 3600 < 1.02 * hours


def test_more_charge_lasts_longer_and_fills_sooner() -> None:
    bundle = shipped("battery-and-apu")
    emptier = bundle.exercise.start.model_copy(update={"battery_charge": {"main": 0.6, "start": 0.8}})
    other = type(bundle)(bundle.airframe, bundle.checklists, bundle.exercise.model_copy(update={"start": emptier}))
    (_, full), (_, low) = flown(bundle), flown(other)
    name = bundle.airframe.section(BatteriesSection).batteries[0].name
    longer, shorter, sooner, later = full[name].lasts, low[name].lasts, full[name].full_at, low[name].full_at
    assert longer is not None and shorter is not None and sooner is not None and later is not None
    assert longer / shorter == pytest.approx(0.78 / 0.6, rel=0.05)
    assert sooner < later


def test_it_is_full_when_it_says_so() -> None:
    bundle = shipped("guided-power-up")
    flight, found = flown(bundle)
    main = bundle.airframe.section(BatteriesSection).batteries[0]
    aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
    for event in flight.events:
        aircraft.arrive(event.tick)
        carry_out(aircraft, event)
    slot = aircraft.plan.a[f"battery.{main.id}.charge"]
    at = found[main.name].full_at
    assert at is not None
    aircraft.arrive(round(at * 100) - 3000)
    assert aircraft.a[slot] < FULL_SHARE
    aircraft.arrive(round(at * 100))
    assert aircraft.a[slot] == pytest.approx(FULL_SHARE, abs=0.002)


def test_without_power_nothing_fills_it_and_that_is_said() -> None:
    _, found = flown(small(BATTERY_ON))
    lines = dict(line for each in found.values() for line in standing_lines(each))
    assert "not in this exercise" in lines["Main battery at 95 %"]
    assert ":" in lines["Essential DC on Main battery alone, if nobody goes on"]
