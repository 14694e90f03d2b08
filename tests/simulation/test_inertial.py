"""Inertial units: what they find, what they refuse, and what makes them begin anew."""

from __future__ import annotations

import pytest

from lumenstat.simulation.actions import request, set_control
from tests.simulation.inertial import aligned_after, enter, of, on_power, switch_on, wait_for

HERE = 58.41


def test_on_dc_lights_for_the_check_and_goes_out() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE)
    aircraft.arrive(aircraft.tick + 300)
    assert aircraft.state()["lamp.inertial_1_dc"] is True
    assert of(aircraft, "phase") == "checking"
    aircraft.arrive(aircraft.tick + 500)
    assert aircraft.state()["lamp.inertial_1_dc"] is False
    assert of(aircraft, "phase") == "levelling"


def test_may_navigate_comes_before_best_and_the_counter_falls() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE)
    seen: list[float] = []
    may = None
    while of(aircraft, "phase") != "aligned":
        aircraft.arrive(aircraft.tick + 200)
        seen.append(of(aircraft, "counter"))
        may = aircraft.tick if may is None and of(aircraft, "may_navigate") else may
        assert of(aircraft, "seconds_left") >= 0
    assert may is not None
    assert aircraft.tick - may > 5000
    assert seen == sorted(seen, reverse=True)
    assert (seen[0], seen[-1]) == (9, 0)
    assert of(aircraft, "heading_error") == pytest.approx(0.12 * 1.3816, abs=0.002)


def test_navigating_early_keeps_the_poorer_heading() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE)
    while not of(aircraft, "may_navigate"):
        aircraft.arrive(aircraft.tick + 100)
    set_control(aircraft, "inertial_1", "NAV")
    poor = of(aircraft, "heading_error")
    aircraft.arrive(aircraft.tick + 40_000)
    assert of(aircraft, "phase") == "navigating"
    assert of(aircraft, "heading_error") == poor > of(aircraft, "heading_error", unit=2) * 1.4


def test_a_wrong_latitude_is_refused_and_a_right_one_taken() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE + 2)
    assert wait_for(aircraft, "aligned", 900) is None
    assert of(aircraft, "notice") == "latitude"
    assert aircraft.state()["lamp.position_latitude"] is True
    enter(aircraft, HERE, -6.93)
    assert of(aircraft, "phase") == "aligned"


def test_a_wrong_longitude_differs_from_memory_and_is_flown_with_if_insisted_on() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE, -7.93)
    assert of(aircraft, "position_differs") is True
    assert wait_for(aircraft, "aligned", 900) is None
    enter(aircraft, HERE, -7.93)
    assert of(aircraft, "position_differs") is False
    assert of(aircraft, "phase") == "aligned"
    assert 55 < of(aircraft, "position_error") < 62


def test_without_a_position_it_asks_for_one() -> None:
    aircraft = on_power()
    for control in ("inertial_1", "inertial_2"):
        set_control(aircraft, control, "ALIGN")
    set_control(aircraft, "avionics_fan", "ON")
    aircraft.arrive(aircraft.tick + 60_000)
    assert of(aircraft, "notice") == "enter position"
    assert of(aircraft, "may_navigate") is False


def test_motion_begins_it_anew_but_not_once_it_navigates() -> None:
    nudge = {"kind": "aircraft_nudged", "target": "aircraft", "at": 300, "clear_at": 302}
    aircraft = on_power(HERE, nudge)
    switch_on(aircraft, HERE)
    aircraft.arrive(29_900)
    before = of(aircraft, "progress")
    aircraft.arrive(30_300)
    assert of(aircraft, "notice") == "moved"
    assert of(aircraft, "progress") < 0.05 < before
    wait_for(aircraft, "aligned", 900)
    set_control(aircraft, "inertial_1", "NAV")
    error = of(aircraft, "heading_error")
    for control, position in (("beacon", "ON"),):
        set_control(aircraft, control, position)
    for service, action, wait in (("doors", "close", 25), ("chocks", "remove", 20)):
        request(aircraft, service, action)
        aircraft.arrive(aircraft.tick + wait * 100)
    set_control(aircraft, "parking_brake", "OFF")
    request(aircraft, "pushback", "push")
    aircraft.arrive(aircraft.tick + 2000)
    assert of(aircraft, "phase") == "navigating"
    assert of(aircraft, "heading_error") == error
    assert of(aircraft, "notice", unit=2) == "moved"


def test_far_north_is_refused_and_cold_takes_longer() -> None:
    aircraft = on_power(78.0)
    switch_on(aircraft, 78.0)
    aircraft.arrive(aircraft.tick + 2000)
    assert of(aircraft, "notice") == "too far north"
    mild, cold = aligned_after(HERE), aligned_after(HERE, outside_celsius=-35)
    assert mild is not None and cold is not None
    assert cold > mild + 120


def test_rapid_takes_its_heading_from_the_gyro_once_it_is_erect() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE, mode="RAPID")
    aircraft.arrive(aircraft.tick + 1000)
    taken = wait_for(aircraft, "aligned", 400)
    assert taken is not None and taken < 200
    assert of(aircraft, "heading_error") == pytest.approx(0.6)


def test_stored_heading_is_quick_and_wrong_once_the_aircraft_was_moved() -> None:
    for moved, error in ((False, 0.3), (True, 25.3)):
        aircraft = on_power(HERE, moved_since_shutdown=moved)
        switch_on(aircraft, HERE, mode="STORED")
        taken = wait_for(aircraft, "aligned", 120)
        assert taken is not None and taken < 80
        assert of(aircraft, "heading_error") == pytest.approx(error)


def test_loss_of_ac_is_bridged_by_dc_for_its_time() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE)
    aircraft.arrive(aircraft.tick + 5000)
    set_control(aircraft, "ground_power", "OFF")
    aircraft.arrive(aircraft.tick + 5000)
    assert of(aircraft, "on_backup") is True
    assert of(aircraft, "phase") == "levelling"
    aircraft.arrive(aircraft.tick + 26_000)
    assert of(aircraft, "phase") == "off"


def test_without_cooling_they_fail_and_come_back_when_switched_off_and_on() -> None:
    aircraft = on_power()
    switch_on(aircraft, HERE)
    set_control(aircraft, "avionics_fan", "OFF")
    aircraft.arrive(aircraft.tick + 43_000)
    assert (of(aircraft, "phase"), of(aircraft, "notice")) == ("failed", "hot")
    set_control(aircraft, "inertial_1", "OFF")
    set_control(aircraft, "avionics_fan", "ON")
    set_control(aircraft, "inertial_1", "ALIGN")
    assert of(aircraft, "phase") == "checking"


def test_failed_and_refusing_units() -> None:
    aircraft = on_power(HERE, {"kind": "inertial_failed", "target": "1"}, {"kind": "inertial_refuses", "target": "2"})
    switch_on(aircraft, HERE)
    aircraft.arrive(aircraft.tick + 60_000)
    assert of(aircraft, "phase") == "failed"
    assert aircraft.state()["lamp.inertial_fault"] is True
    assert of(aircraft, "notice", unit=2) == "latitude"
