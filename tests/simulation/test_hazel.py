"""The second shipped aircraft: sources moved by hand, ground power above all, one battery for every starter."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.actions import press, ready, request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from tests.procedures import shipped

BY_HAND, NO_LIGHT = "sides-moved-by-hand", "no-light-on-the-right"


def standing(exercise: str) -> Aircraft:
    bundle = shipped(exercise)
    return ready(bundle.airframe, bundle.exercise.start)


def wait(aircraft: Aircraft, seconds: float) -> dict[str, Any]:
    aircraft.arrive(aircraft.tick + round(100 * seconds))
    return dict(aircraft.state())


def fed(aircraft: Aircraft, **controls: str) -> tuple[Any, Any]:
    """Who feeds the left and the right side, a second after controls were moved."""
    for name, position in controls.items():
        set_control(aircraft, name, position)
    state = wait(aircraft, 1)
    return state["bus.ac_left.fed_by"], state["bus.ac_right.fed_by"]


def on_the_cart_with_the_apu() -> Aircraft:
    """Ground power feeds both sides, and the APU is ready."""
    aircraft = standing(BY_HAND)
    fed(aircraft, battery="ON", apu_master="ON")
    request(aircraft, "ground_power", "connect")
    wait(aircraft, 70)
    fed(aircraft, ground_power="FEED")
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    assert wait(aircraft, 60)["apu.available"] is True
    return aircraft


def test_ground_power_outranks_the_apu_until_it_is_switched_off() -> None:
    aircraft = on_the_cart_with_the_apu()
    assert fed(aircraft, left_from="APU", right_from="APU") == ("ground", "ground")
    assert wait(aircraft, 1)["source.apu_generator.load"] == 0
    assert fed(aircraft, ground_power="OFF") == ("apu_generator", "apu_generator")
    assert wait(aircraft, 1)["source.apu_generator.load"] > 5


def test_nothing_changes_over_by_itself() -> None:
    aircraft = on_the_cart_with_the_apu()
    assert fed(aircraft, ground_power="OFF") == ("", "")
    assert fed(aircraft, right_from="APU") == ("", "apu_generator")


def test_ground_power_left_on_keeps_a_running_engines_generator_off_and_a_lamp_says_so() -> None:
    bundle = shipped(NO_LIGHT)
    aircraft = fly(bundle, rehearse(bundle).events).aircraft
    assert fed(aircraft) == ("generator_left", "generator_right")
    request(aircraft, "ground_power", "connect")
    wait(aircraft, 70)
    assert fed(aircraft, ground_power="FEED") == ("ground", "ground")
    assert wait(aircraft, 1)["lamp.left_kept_off"] is True
    assert fed(aircraft, ground_power="OFF") == ("generator_left", "generator_right")


def test_the_unit_aligns_on_essential_dc_through_the_change_to_ac_and_not_for_ever() -> None:
    aircraft = standing(BY_HAND)
    fed(aircraft, battery="ON", inertial="ALIGN")
    assert wait(aircraft, 10)["inertial.unit.on_backup"] is True
    before = wait(aircraft, 60)["inertial.unit.seconds_left"]
    assert before is not None
    off = wait(aircraft, 230)
    assert off["inertial.unit.phase"] == "off" and off["bus.dc_essential.alive"] is True


def test_pumps_at_auto_follow_what_they_serve() -> None:
    aircraft = on_the_cart_with_the_apu()
    fed(aircraft, hydraulic_pump="AUTO", fuel_pumps="AUTO", flap_lever="10")
    state = wait(aircraft, 5)
    assert state["hydraulic.main.psi"] < 50 and state["fuel.right.psi"] < 1
    fed(aircraft, beacon="ON")
    assert wait(aircraft, 20)["hydraulic.main.psi"] > 2650
    fed(aircraft, start_right="MOTOR")
    assert wait(aircraft, 3)["fuel.right.psi"] > 20


@pytest.mark.parametrize(("shut", "hottest"), [(True, 760.0), (False, 3000.0)])
def test_fuel_that_is_left_on_burns_at_once_at_the_second_try(shut: bool, hottest: float) -> None:
    """With the fuel shut it runs off and the second try stays under the limit; with the fuel left on it does not."""
    bundle = shipped(NO_LIGHT)
    events = tuple(rehearse(bundle).events)
    peak = _peak_of_the_right_engine(bundle, events if shut else _fuel_left_on(events))
    assert peak < hottest
    assert (peak > 760) is not shut


def _fuel_left_on(events: tuple[LogEvent, ...]) -> tuple[LogEvent, ...]:
    """The same without the fuel shut: it runs in for as long as the lever stands open, until the spark comes."""
    return tuple(e for e in events if e.args.get("control") != "condition_right" or e.args.get("to") != "SHUT")


def _peak_of_the_right_engine(bundle: Bundle, events: tuple[LogEvent, ...]) -> float:
    ticks = range(0, events[-1].tick, 50)
    looks = [LogEvent(tick, "trainee", "see", {"control": "battery", "position": "ON"}) for tick in ticks]
    flight = fly(bundle, tuple(sorted((*events, *looks), key=lambda e: e.tick)), lenient=True)
    return max(float(moment.state["engine.2.gas_temperature"] or 0) for moment in flight.moments)
