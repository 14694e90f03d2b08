"""What a practitioner knows of heat, air, oil and power, held against the shipped aircraft and the small test ones.

Common practice, no source, unless a test says otherwise: each was wrong once and was found by somebody who knows.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import pytest

from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import press, request, set_control
from lumenstat.simulation.aircraft import Aircraft
from tests.procedures import shipped
from tests.simulation.engines import crank, put, stand


def rowan(*faults: dict[str, Any], exercise: str = "battery-and-apu", **start: Any) -> Aircraft:
    bundle = shipped(exercise)
    begun = Start.model_validate(bundle.exercise.start.model_dump() | start)
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    return Aircraft(bundle.airframe, begun, made)


def figure(aircraft: Aircraft, name: str) -> float:
    value = aircraft.state()[name]
    assert isinstance(value, float)
    return value


def with_apu(aircraft: Aircraft) -> tuple[Aircraft, float]:
    """The APU started on the batteries, and the hottest that it was."""
    put(aircraft, battery_main="ON", apu_boost="ON", apu_master="ON")
    aircraft.arrive(1500)
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    hottest = 0.0
    while not aircraft.state()["apu.available"]:
        aircraft.arrive(aircraft.tick + 50)
        hottest = max(hottest, figure(aircraft, "apu.exhaust"))
        assert aircraft.tick < 8000, "it does not come up"
    return aircraft, hottest


def test_an_apu_takes_half_a_minute_and_a_weak_battery_makes_it_slower_and_clearly_hotter() -> None:
    good, hottest = with_apu(rowan())
    weak, hotter = with_apu(rowan({"kind": "battery_weak", "target": "start", "amount": 2.0}))
    assert 20 < (good.tick - 1500) / 100 < 40
    assert weak.tick > good.tick + 200
    assert hotter > hottest + 40


def test_an_apu_gets_hotter_with_every_load() -> None:
    aircraft, _ = with_apu(rowan())
    exhaust = []
    for name, to in (("apu_master", "ON"), ("apu_generator", "ON"), ("apu_air", "OPEN"), ("pack_left", "ON")):
        put(aircraft, **{name: to})
        aircraft.arrive(aircraft.tick + 2500)
        exhaust.append(round(figure(aircraft, "apu.exhaust")))
    idle, electric, opened, loaded = exhaust
    assert electric > idle + 25
    assert opened == pytest.approx(electric, abs=3), "a valve that nothing draws through is no load"
    assert loaded > electric + 25


def test_joined_ducts_share_pressure_and_a_starter_takes_of_both() -> None:
    aircraft, _ = with_apu(rowan())
    put(aircraft, apu_generator="ON", apu_air="OPEN", cross_bleed="OPEN")
    aircraft.arrive(aircraft.tick + 1500)
    before = figure(aircraft, "duct.left.psi"), figure(aircraft, "duct.right.psi")
    assert before[0] == pytest.approx(before[1], abs=0.1)
    put(aircraft, start_right="START")
    aircraft.arrive(aircraft.tick + 800)
    turning = figure(aircraft, "duct.left.psi"), figure(aircraft, "duct.right.psi")
    assert turning[0] == pytest.approx(turning[1], abs=0.1)
    assert turning[0] < before[0] - 3


def with_air(*faults: dict[str, Any], **start: Any) -> Aircraft:
    """The Rowan on its APU with air at both ducts, beacon on and the area clear."""
    aircraft, _ = with_apu(rowan(*faults, **start))
    put(aircraft, apu_generator="ON", beacon="ON", apu_air="OPEN", cross_bleed="OPEN", fuel_pump_right="ON")
    request(aircraft, "area", "clear")
    aircraft.arrive(aircraft.tick + 2000)
    return aircraft


def until(aircraft: Aircraft, name: str, least: float, seconds: float = 60) -> float:
    """Seconds until a figure is reached."""
    begun = aircraft.tick
    while figure(aircraft, name) < least:
        aircraft.arrive(aircraft.tick + 10)
        assert aircraft.tick - begun < seconds * 100, f"{name} does not come to {least}"
    return (aircraft.tick - begun) / 100


def test_a_core_lights_a_second_or_two_after_the_fuel_and_the_fan_hardly_turns_before_idle() -> None:
    aircraft = with_air()
    put(aircraft, start_right="START")
    until(aircraft, "engine.2.core_speed", 20)
    assert figure(aircraft, "engine.2.fan_speed") < 3
    put(aircraft, fuel_lever_right="FEED")
    fed = aircraft.tick
    until(aircraft, "engine.2.gas_temperature", 60)
    assert 1.0 < (aircraft.tick - fed) / 100 < 4.0
    until(aircraft, "engine.2.core_speed", 55)
    aircraft.arrive(aircraft.tick + 1500)
    assert 12 < figure(aircraft, "engine.2.fan_speed") < 25


def test_metal_holds_heat_so_that_motoring_cools_over_half_a_minute() -> None:
    aircraft = with_air()
    put(aircraft, start_right="START")
    until(aircraft, "engine.2.core_speed", 20)
    put(aircraft, fuel_lever_right="FEED")
    until(aircraft, "engine.2.gas_temperature", 560)
    put(aircraft, fuel_lever_right="SHUT")
    begun = aircraft.tick
    while figure(aircraft, "engine.2.gas_temperature") > 130:
        aircraft.arrive(aircraft.tick + 50)
        assert aircraft.tick - begun < 12_000
    assert 30 < (aircraft.tick - begun) / 100 < 75


def test_fuel_without_air_pools_and_torches_once_air_comes() -> None:
    aircraft = with_air()
    put(aircraft, fuel_lever_right="FEED")
    aircraft.arrive(aircraft.tick + 1500)
    assert figure(aircraft, "engine.2.gas_temperature") < 20, "it does not burn without air"
    assert figure(aircraft, "engine.2.pooled_fuel") > 0.8
    put(aircraft, start_right="START")
    hottest = 0.0
    for _ in range(300):
        aircraft.arrive(aircraft.tick + 10)
        hottest = max(hottest, figure(aircraft, "engine.2.gas_temperature"))
    assert 780 < hottest < 1250


def test_a_hung_core_stops_rising_while_its_gas_gets_hotter_and_hotter() -> None:
    aircraft = with_air({"kind": "engine_hung", "target": "2", "amount": 0.45})
    put(aircraft, start_right="START")
    until(aircraft, "engine.2.core_speed", 20)
    put(aircraft, fuel_lever_right="FEED")
    aircraft.arrive(aircraft.tick + 1200)
    seen = []
    for _ in range(8):
        aircraft.arrive(aircraft.tick + 100)
        seen.append((figure(aircraft, "engine.2.core_speed"), figure(aircraft, "engine.2.gas_temperature")))
    gained = [later[0] - earlier[0] for earlier, later in pairwise(seen)]
    hotter = [later[1] - earlier[1] for earlier, later in pairwise(seen)]
    assert all(0 <= each < 0.8 for each in gained), gained
    assert all(each > 5 for each in hotter), hotter


def test_pressure_sags_while_the_flaps_move_and_comes_back() -> None:
    aircraft = with_air()
    put(aircraft, hydraulic_pump="ON")
    aircraft.arrive(aircraft.tick + 2500)
    steady = figure(aircraft, "hydraulic.aft.psi")
    put(aircraft, flap_lever="16")
    aircraft.arrive(aircraft.tick + 800)
    assert figure(aircraft, "hydraulic.aft.psi") < steady - 150
    aircraft.arrive(aircraft.tick + 4000)
    assert figure(aircraft, "hydraulic.aft.psi") == pytest.approx(steady, abs=10)


def test_a_load_that_is_switched_on_takes_nothing_from_a_dead_bus() -> None:
    aircraft = rowan()
    put(aircraft, avionics_fan="ON")
    aircraft.arrive(200)
    assert aircraft.state()["load.avionics_fan.asked"] is True
    assert aircraft.state()["load.avionics_fan.on"] is False


def test_a_welded_starter_turns_the_propeller_as_soon_as_there_is_power() -> None:
    aircraft = stand("twin-turboprop", {"kind": "engine_starter_stuck", "target": "1"})
    put(aircraft, battery="ON")
    aircraft.arrive(300)
    assert aircraft.state()["engine.1.starter"] is True
    assert figure(aircraft, "engine.1.core_speed") > 1


def test_cold_oil_and_a_cold_battery_make_a_piston_start_slow_or_none() -> None:
    def started(celsius: float, charge: float) -> float | None:
        aircraft = stand("light-single", outside_celsius=celsius, battery_charge={"main": charge, "standby": 0.9})
        put(aircraft, master="ON", mixture="RICH", primed="YES")
        aircraft.arrive(300)
        return crank(aircraft, {"key": "START"}, {}, 0, 15).idle_after

    warm, cold, spent = started(20, 0.9), started(-20, 0.9), started(-20, 0.1)
    assert warm is not None
    assert warm > 1.0
    assert cold is not None
    assert cold > 1.6 * warm
    assert spent is None or spent > cold


def test_a_turbine_lights_later_in_the_cold() -> None:
    def lit_after(celsius: float) -> float:
        aircraft = stand("automatic-jet", outside_celsius=celsius)
        put(aircraft, battery="ON", boost="ON")
        request(aircraft, "air_start", "connect")
        aircraft.arrive(2500)
        put(aircraft, start="START")
        set_control(aircraft, "lever", "FEED")
        until(aircraft, "engine.1.core_speed", 19)
        begun = aircraft.tick
        while not aircraft.state()["engine.1.lit"]:
            aircraft.arrive(aircraft.tick + 10)
        return (aircraft.tick - begun) / 100

    assert 1.0 <= lit_after(15) < lit_after(-30)
