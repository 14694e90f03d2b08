"""Engines of every kind start, hang and overheat as their documents say."""

from __future__ import annotations

import math

import pytest

from lumenstat.documents.bundles import Library
from lumenstat.simulation.actions import ready, set_control
from tests.procedures import shipped
from tests.simulation.engines import FOLDER, crank, now, put, stand, turboprop, weak


@pytest.mark.parametrize("name", ["twin-turboprop", "single-turboprop", "light-single", "electric-single"])
def test_the_documents_are_good(name: str) -> None:
    assert Library().check(FOLDER / f"{name}.yaml") == []


def test_volts_decide_how_hot_a_start_gets() -> None:
    """Common practice, no source: a hotter start on a weaker supply, 585 to 880 degrees in this order (cp)."""
    starts = [turboprop(cart=True), turboprop(), turboprop(weak(2.2)), turboprop(weak(3.2))]
    peaks = [start.peak for start in starts]
    assert peaks == sorted(peaks)
    assert 560 < peaks[0] < 680
    assert peaks[-1] > peaks[0] + 120
    assert [s.lowest_volts for s in starts] == sorted((s.lowest_volts for s in starts), reverse=True)
    times = [start.idle_after or 999 for start in starts]
    assert times == sorted(times)


def test_long_steps_find_the_same_peak_as_very_short_ones(monkeypatch: pytest.MonkeyPatch) -> None:
    """The hottest and the lowest moment of a start do not hang on the steps that it is computed in (10 ms)."""
    adaptive = turboprop(weak(2.2))
    monkeypatch.setattr("lumenstat.simulation.aircraft.LONGEST_STEP", 1)
    monkeypatch.setattr("lumenstat.simulation.aircraft.FIRST_STEP", 1)
    short = turboprop(weak(2.2))
    assert adaptive.peak == pytest.approx(short.peak, abs=1.5)
    assert adaptive.lowest_volts == pytest.approx(short.lowest_volts, abs=0.02)
    assert adaptive.idle_after == pytest.approx(short.idle_after, abs=0.02)
    for figure in ("core_speed", "propeller_rpm", "oil_pressure"):
        name = f"engine.1.{figure}"
        assert adaptive.state[name] == pytest.approx(short.state[name], rel=0.002), name


def test_early_fuel_is_hotter_and_late_fuel_cooler() -> None:
    early, usual, late = (turboprop(fuel_at=at).peak for at in (9.2, 12, 18))
    assert early > usual + 15
    assert late < usual - 30


def test_a_battery_too_weak_lets_the_starter_relay_go_and_it_stays_out() -> None:
    start = turboprop(weak(4.5), seconds=5)
    assert start.state["engine.1.phase"] == "stopped"
    assert start.state["engine.1.starter"] is False


def test_hung_hot_unlit_and_dry_starts() -> None:
    hung = turboprop({"kind": "engine_hung", "target": "1"})
    assert hung.idle_after is None
    assert 30 < hung.state["engine.1.core_speed"] < 58
    assert turboprop({"kind": "engine_hot", "target": "1"}).peak > 1000
    wet = turboprop({"kind": "engine_no_light", "target": "1"}, seconds=30)
    assert wet.peak < 20
    assert wet.state["engine.1.pooled_fuel"] > 0.9
    assert wet.state["engine.1.fuel_flow"] > 0
    dry = turboprop(fuel_at=99, seconds=20)
    assert 15 < dry.state["engine.1.core_speed"] < 60
    assert dry.state["engine.1.pooled_fuel"] == 0


def test_pooled_fuel_makes_the_next_light_hotter() -> None:
    """Fuel before the igniter: what has pooled burns with what flows."""
    aircraft = stand("twin-turboprop", {"kind": "engine_no_light", "target": "1", "clear_at": 20})
    put(aircraft, battery="ON", pumps="ON")
    aircraft.arrive(500)
    start = crank(aircraft, {"start_1": "START"}, {"condition_1": "FEATHER"}, 12, 60)
    assert start.peak > turboprop().peak + 60


def test_no_oil_pressure_and_no_propeller() -> None:
    assert turboprop({"kind": "engine_no_oil", "target": "1"}).state["engine.1.oil_up"] is False
    assert turboprop({"kind": "engine_no_rotation", "target": "1"}).state["engine.1.propeller_rpm"] < 1
    assert turboprop().state["engine.1.oil_up"] is True


def test_a_starter_heats_past_its_duty_and_cools() -> None:
    aircraft = stand("twin-turboprop")
    put(aircraft, battery="ON")
    aircraft.arrive(200)
    start = crank(aircraft, {"start_1": "START"}, {}, 999, 39)
    assert 90 < start.state["engine.1.starter_heat"] <= 100
    aircraft.arrive(aircraft.tick + 300)
    assert now(aircraft)["engine.1.starter_heat"] > 100
    put(aircraft, start_1="OFF")
    aircraft.arrive(aircraft.tick + 12_000)
    assert now(aircraft)["engine.1.starter_heat"] < 45


def test_a_stuck_starter_goes_on_drawing() -> None:
    aircraft = stand("twin-turboprop", {"kind": "engine_starter_stuck", "target": "1"})
    put(aircraft, battery="ON", pumps="ON")
    aircraft.arrive(200)
    crank(aircraft, {"start_1": "START"}, {}, 999, 5)
    put(aircraft, start_1="OFF")
    aircraft.arrive(aircraft.tick + 500)
    assert now(aircraft)["engine.1.starter"] is True
    assert now(aircraft)["engine.1.starter_amps"] > 100


def test_unfeathered_by_lever_and_power() -> None:
    aircraft = stand("twin-turboprop")
    put(aircraft, battery="ON", pumps="ON")
    aircraft.arrive(500)
    crank(aircraft, {"start_1": "START"}, {"condition_1": "FEATHER"}, 12, 50)
    feathered = now(aircraft)["engine.1.propeller_rpm"]
    put(aircraft, condition_1="RUN")
    aircraft.arrive(aircraft.tick + 1500)
    idling = now(aircraft)["engine.1.propeller_rpm"]
    put(aircraft, power_1="FULL")
    aircraft.arrive(aircraft.tick + 2500)
    state = now(aircraft)
    assert feathered < idling / 2
    assert state["engine.1.propeller_rpm"] > 1500
    assert 96 < state["engine.1.core_speed"] < 101


def test_fuel_shut_runs_down_and_the_generator_leaves() -> None:
    aircraft = stand("twin-turboprop")
    put(aircraft, battery="ON", pumps="ON")
    aircraft.arrive(500)
    crank(aircraft, {"start_1": "START"}, {"condition_1": "RUN"}, 12, 40)
    put(aircraft, start_1="OFF", generator_1="ON")
    aircraft.arrive(aircraft.tick + 500)
    assert now(aircraft)["supply.generator_1.amps"] > 5
    put(aircraft, condition_1="SHUT")
    aircraft.arrive(aircraft.tick + 200)
    assert now(aircraft)["supply.generator_1.amps"] == 0
    aircraft.arrive(aircraft.tick + 12_000)
    assert now(aircraft)["engine.1.phase"] == "stopped"


def test_single_turboprop_starts_and_never_cranks_below_fifteen_volts() -> None:
    """Common practice, no source: volts never below 15 while cranking on a good battery (cp)."""
    aircraft = stand("single-turboprop")
    put(aircraft, battery="ON", boost="ON")
    aircraft.arrive(500)
    start = crank(aircraft, {"start": "START"}, {"condition": "FEED"}, 14, 50)
    assert start.idle_after is not None
    assert start.lowest_volts > 15
    assert 600 < start.peak < 850
    unfed = stand("single-turboprop")
    put(unfed, battery="ON")
    unfed.arrive(500)
    assert crank(unfed, {"start": "START"}, {"condition": "FEED"}, 14, 20).idle_after is None


def test_piston_needs_fuel_magnetos_and_turning() -> None:
    ready = {"master": "ON", "mixture": "RICH", "primed": "YES"}
    aircraft = stand("light-single")
    put(aircraft, **ready)
    start = crank(aircraft, {"key": "START"}, {}, 0, 4)
    assert start.idle_after is not None
    put(aircraft, key="BOTH", alternator="ON", throttle="1500")
    aircraft.arrive(aircraft.tick + 2000)
    state = now(aircraft)
    assert 1350 < state["engine.1.propeller_rpm"] < 1550
    assert state["engine.1.oil_up"] is True
    assert state["battery.main.amps"] > 1
    put(aircraft, mixture="CUT")
    aircraft.arrive(aircraft.tick + 1500)
    assert now(aircraft)["engine.1.phase"] == "stopped"
    unprimed = stand("light-single")
    put(unprimed, **(ready | {"primed": "NO"}))
    assert crank(unprimed, {"key": "START"}, {}, 0, 8).idle_after is None


def test_piston_alternator_gives_less_at_idle() -> None:
    """Common practice, no source: the low-volts lamp goes out above 1,000 rpm; regulated at 28 to 28.5 V (cp)."""
    aircraft = stand("light-single")
    put(aircraft, master="ON", mixture="RICH", primed="YES", alternator="ON", lights="ON")
    crank(aircraft, {"key": "START"}, {}, 0, 6)
    put(aircraft, key="BOTH")
    aircraft.arrive(aircraft.tick + 1500)
    idling = now(aircraft)
    put(aircraft, throttle="1500")
    aircraft.arrive(aircraft.tick + 6000)
    fast = now(aircraft)
    assert idling["battery.main.amps"] < 0 < fast["battery.main.amps"]
    assert 27.0 < fast["bus.main.volts"] < 28.5


def test_electric_motor_needs_both_enables_and_draws_by_its_power() -> None:
    aircraft = stand("electric-single")
    put(aircraft, throttle="FULL")
    aircraft.arrive(500)
    assert now(aircraft)["engine.1.propeller_rpm"] == 0
    put(aircraft, power_enable="ON")
    aircraft.arrive(1000)
    assert now(aircraft)["engine.1.propeller_rpm"] == 0
    put(aircraft, throttle_enable="ON")
    aircraft.arrive(2000)
    state = now(aircraft)
    assert state["engine.1.propeller_rpm"] > 2300
    watts = -state["bus.traction.volts"] * (state["battery.pack_a.amps"] + state["battery.pack_b.amps"])
    assert watts == pytest.approx(58_000, rel=0.02)
    aircraft.arrive(40_000)
    # Full power since 10 s, with a lag of 1.2 s; 70 °C of warmth over the 10 °C outside follow with one of 240 s.
    warmed = 70 * (1 - math.exp(-(400 - 10 - 1.2) / 240))
    assert now(aircraft)["engine.1.motor_temperature"] == pytest.approx(10 + warmed, abs=0.3)
    set_control(aircraft, "throttle_enable", "OFF")
    aircraft.arrive(41_000)
    assert now(aircraft)["engine.1.propeller_rpm"] < 5


@pytest.mark.parametrize("celsius", [-24.0, 9.0, 41.0])
def test_an_engine_that_stands_stays_as_warm_as_the_air(celsius: float) -> None:
    """Heat flows only between different temperatures; nothing turns, burns or is cooled here."""
    bundle = shipped("apu-and-ground-power-away")
    start = bundle.exercise.start.model_copy(update={"outside_celsius": celsius})
    aircraft = ready(bundle.airframe, start)
    for tick in (1, 100, 3000, 60000):
        aircraft.arrive(tick)
        assert {aircraft.state()[f"engine.{n}.gas_temperature"] for n in (1, 2)} == {celsius}
