"""The reasons that the library gives beside its limits, held against the edge that the model has.

Each names the item whose `why` it checks; a reason that the model contradicts is worse than none.
"""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.items.check import CheckItem
from lumenstat.simulation.actions import press, request
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from tests.flights import event
from tests.procedures import BATTERY_ON, shipped, small
from tests.simulation.engines import put
from tests.simulation.test_physics import figure, rowan, until, with_air


def why(exercise: str, item: str) -> str:
    return shipped(exercise).procedure.by_id[item].item.why or ""


def least(exercise: str, item: str) -> float:
    check = shipped(exercise).procedure.by_id[item].item
    assert isinstance(check, CheckItem)
    assert check.expect.min is not None
    return check.expect.min


def charged_to(volts: float, exercise: str, battery: str) -> Aircraft:
    """The exercise's aircraft with one battery that rests at these volts."""
    low, high = 0.0, 1.0
    for _ in range(30):
        charge = (low + high) / 2
        charges = {"main": 0.8, "start": 0.8} | {battery: charge}
        aircraft = rowan(exercise=exercise, battery_charge=charges, controls={})
        if figure(aircraft, f"battery.{battery}.volts") < volts:
            low = charge
        else:
            high = charge
    return aircraft


def apu_comes(aircraft: Aircraft) -> bool:
    put(aircraft, battery_main="ON", apu_boost="ON", apu_master="ON")
    aircraft.arrive(aircraft.tick + 1500)
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    aircraft.arrive(aircraft.tick + 6000)
    return aircraft.state()["apu.available"] is True


def test_under_its_minimum_the_start_battery_turns_the_apu_too_slowly_in_the_cold() -> None:
    assert "under 24.6 V it would turn the APU too slowly" in why("frost-on-the-ramp", "start-at-rest")
    edge = least("frost-on-the-ramp", "start-at-rest")
    assert not apu_comes(charged_to(edge - 0.2, "frost-on-the-ramp", "start"))
    assert apu_comes(charged_to(edge + 0.2, "frost-on-the-ramp", "start"))


def test_after_its_charge_the_start_battery_turns_the_apu() -> None:
    """What the acceptance at 24.9 V is for."""
    assert apu_comes(charged_to(least("frost-on-the-ramp", "start-again"), "frost-on-the-ramp", "start"))


def test_under_its_minimum_the_main_battery_may_not_carry_essential_dc_to_the_apu() -> None:
    """A volt under its minimum the bus sags under its limit within the time that two tries take."""
    assert why("battery-and-apu", "main-at-rest") == "It carries everything until the APU does."
    edge = least("battery-and-apu", "main-at-rest")
    good, low = (charged_to(edge + more, "battery-and-apu", "main") for more in (0.1, -1.0))
    for aircraft in (good, low):
        put(aircraft, battery_main="ON")
        aircraft.arrive(aircraft.tick + 240_00)
    assert figure(good, "bus.dc_essential.volts") > 22.4
    assert figure(low, "bus.dc_essential.volts") < 22.4


def test_start_before_the_door_is_open_is_lost_without_a_word() -> None:
    assert why("full-cold-start", "door").startswith("START before that is lost")
    aircraft = rowan()
    put(aircraft, battery_main="ON", apu_boost="ON", apu_master="ON")
    aircraft.arrive(aircraft.tick + 600)
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    aircraft.arrive(aircraft.tick + 1500)
    assert aircraft.state()["apu.phase"] == "ready"


def hottest_start(fuel_at: float) -> float:
    aircraft = with_air()
    put(aircraft, start_right="START")
    until(aircraft, "engine.2.core_speed", fuel_at)
    put(aircraft, fuel_lever_right="FEED")
    hottest = 0.0
    for _ in range(400):
        aircraft.arrive(aircraft.tick + 10)
        hottest = max(hottest, figure(aircraft, "engine.2.gas_temperature"))
    return hottest


def test_earlier_fuel_burns_in_less_air_and_gets_hotter() -> None:
    assert "Earlier fuel burns in less air: the gas gets hotter" in why("full-cold-start", "turns-right")
    assert hottest_start(13) > hottest_start(20) + 15


def test_without_boost_the_apu_gives_up_at_the_end_of_its_start_limit() -> None:
    assert "gives up at the end of its start limit" in why("apu-and-ground-power-away", "boost")
    aircraft = rowan()
    put(aircraft, battery_main="ON", apu_master="ON")
    aircraft.arrive(aircraft.tick + 1500)
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    aircraft.arrive(aircraft.tick + 5200)
    assert aircraft.state()["apu.trouble"] == "no fuel pressure"


def test_pushed_back_at_align_the_units_begin_anew() -> None:
    assert why("full-cold-start", "navigate") == "Pushed back at ALIGN they would begin anew."
    moved = _pushed("ALIGN")
    assert moved["inertial.1.phase"] != "aligned"
    assert _pushed("NAV")["inertial.1.phase"] == "navigating"


def _pushed(selector: str) -> dict[str, Any]:
    aircraft = with_air()
    put(aircraft, avionics_fan="ON", inertial_1="ALIGN", inertial_2="ALIGN", latitude="58.4", longitude="-6.9")
    press(aircraft, "enter_position", True)
    aircraft.arrive(aircraft.tick + 60)
    press(aircraft, "enter_position", False)
    request(aircraft, "doors", "close")
    request(aircraft, "chocks", "remove")
    aircraft.arrive(aircraft.tick + 46_000)
    assert aircraft.state()["inertial.1.phase"] == "aligned"
    put(aircraft, inertial_1=selector, inertial_2=selector, parking_brake="OFF")
    request(aircraft, "pushback", "push")
    aircraft.arrive(aircraft.tick + 8000)
    return dict(aircraft.state())


@pytest.mark.parametrize(("hours", "met"), [(12, []), (50, ["brake_without_pressure"])])
def test_without_pressure_the_brake_holds_nothing(hours: float, met: list[str]) -> None:
    """Overnight leaves enough, two days do not: the chocks taken out then is a hazard."""
    assert "under 800 psi the brake holds nothing" in why("full-cold-start", "brake-pressure")
    bundle = small(BATTERY_ON, start={"hours_unpowered": hours})
    flown = [
        event(2, "set", control="battery_main", to="ON"),
        event(4, "request", service="chocks", action="remove"),
        event(60, "finish"),
    ]
    assert [each.limit.id for each in fly(bundle, flown, []).exceedances] == met
