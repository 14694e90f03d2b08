"""What any operator is used to, held against the shipped aircraft as they behave.

Common practice, no source (cp). What is compared is flown, never a limit that was put into a document and read back.
"""

from __future__ import annotations

import pytest

from lumenstat.simulation.actions import press
from lumenstat.simulation.aircraft import Aircraft
from tests.simulation.engines import put
from tests.simulation.test_hazel import on_the_cart_with_the_apu
from tests.simulation.test_hazel import wait as hazel_wait
from tests.simulation.test_physics import figure, rowan, with_apu


def wait(aircraft: Aircraft, seconds: float) -> None:
    aircraft.arrive(aircraft.tick + round(100 * seconds))


@pytest.mark.parametrize(("seconds", "comes"), [(1.0, False), (3.0, False), (13.0, True)])
def test_an_apu_start_pressed_too_soon_after_its_master_is_lost(seconds: float, comes: bool) -> None:
    """Wait at least 3 s before START; an earlier press may be lost (cp). Here the door must be open, too."""
    aircraft = rowan()
    put(aircraft, battery_main="ON", apu_boost="ON", apu_master="ON")
    wait(aircraft, seconds)
    press(aircraft, "apu_start", True)
    press(aircraft, "apu_start", False)
    wait(aircraft, 60)
    assert (aircraft.state()["apu.phase"] == "running") is comes


@pytest.mark.parametrize(("seconds", "left_open"), [(20, True), (120, False)])
def test_batteries_go_off_no_sooner_than_two_minutes_after_the_apu(seconds: float, left_open: bool) -> None:
    """Its door needs DC to close: batteries no sooner than 2 min after (cp)."""
    aircraft, _ = with_apu(rowan())
    put(aircraft, apu_master="OFF")
    wait(aircraft, seconds)
    put(aircraft, battery_main="OFF")
    wait(aircraft, 5)
    assert (aircraft.state()["apu.door"] != "closed") is left_open


def test_a_compass_gyro_erects_in_about_two_minutes() -> None:
    """About 2 min (cp)."""
    aircraft = rowan()
    put(aircraft, battery_main="ON")
    wait(aircraft, 80)
    assert aircraft.state()["gyro.compass.erect"] is False
    wait(aircraft, 70)
    assert aircraft.state()["gyro.compass.erect"] is True


def test_hydraulic_pressure_settles_where_people_expect_it() -> None:
    """2,800 to 3,350 psi (cp), on both aircraft, with pumps of their own."""
    jet, _ = with_apu(rowan())
    put(jet, apu_generator="ON", hydraulic_pump="ON")
    wait(jet, 40)
    assert 2800 <= figure(jet, "hydraulic.aft.psi") <= 3350
    turboprop = on_the_cart_with_the_apu()
    put(turboprop, ground_power="FEED", hydraulic_pump="ON", flap_lever="10")
    assert 2800 <= hazel_wait(turboprop, 40)["hydraulic.main.psi"] <= 3350


def test_volts_of_one_battery_under_a_starter_stay_above_15() -> None:
    """Volts never below 15 while cranking on a good battery (cp); the Hazel has one for the APU and both engines."""
    aircraft = on_the_cart_with_the_apu()
    put(aircraft, ground_power="OFF", left_from="APU", right_from="APU", fuel_pumps="AUTO", beacon="ON")
    put(aircraft, start_right="MOTOR")
    lowest = min(hazel_wait(aircraft, 0.5)["battery.battery.volts"] for _ in range(20))
    assert 15 <= lowest < 22
