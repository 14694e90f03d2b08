"""What the shipped aircraft does when it is handled."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import ActionRefused
from lumenstat.simulation.actions import move_guard, press, request, set_control
from lumenstat.simulation.aircraft import Aircraft


@pytest.fixture
def aircraft(frost: Bundle) -> Aircraft:
    return Aircraft(frost.airframe, frost.exercise.start)


def powered(aircraft: Aircraft) -> Aircraft:
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(7100)
    request(aircraft, "ground_power", "change")
    aircraft.arrive(16000)
    set_control(aircraft, "ground_power", "FEED")
    aircraft.arrive(16100)
    return aircraft


def test_cold_and_dark_only_hot_buses_live(aircraft: Aircraft) -> None:
    state = aircraft.state()
    alive = {name for name, value in state.items() if name.endswith(".alive") and name.startswith("bus.") and value}
    assert alive == {"bus.main_hot.alive", "bus.start_hot.alive"}
    assert not any(value for name, value in state.items() if name.startswith("lamp.") and name.count(".") == 1)


def test_a_cart_out_of_tolerance_never_shows_ready_and_the_changed_one_does(aircraft: Aircraft) -> None:
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(60_000)
    state = aircraft.state()
    assert state["bus.plug.alive"] is True
    assert state["instrument.plug_hertz.reads"] == pytest.approx(417)
    assert state["lamp.ground_ready"] is False
    set_control(aircraft, "ground_power", "FEED")
    aircraft.arrive(60_100)
    assert aircraft.state()["bus.ac_left.alive"] is False
    request(aircraft, "ground_power", "change")
    aircraft.arrive(69_000)
    state = aircraft.state()
    assert state["lamp.ground_ready"] is True
    assert state["bus.ac_left.fed_by"] == "ground"


def test_ready_takes_its_time_and_the_transfer_breaks_before_it_makes(aircraft: Aircraft) -> None:
    powered(aircraft)
    set_control(aircraft, "ground_power", "OFF")
    assert aircraft.state()["bus.ac_left.fed_by"] == ""
    set_control(aircraft, "ground_power", "FEED")
    fed = aircraft.tick
    aircraft.arrive(fed + 5)
    assert aircraft.state()["bus.ac_left.fed_by"] == ""
    aircraft.arrive(fed + 7)
    assert aircraft.state()["bus.ac_left.fed_by"] == "ground"


def test_the_flaps_move_only_with_pressure_and_a_lever_that_disagrees(frost: Bundle, aircraft: Aircraft) -> None:
    powered(aircraft)
    aircraft.arrive(aircraft.tick + 3000)
    assert aircraft.state()["surface.flaps.degrees"] == pytest.approx(0.0)
    agreed = Aircraft(frost.airframe, frost.exercise.start)
    set_control(agreed, "flap_lever", "16")
    powered(agreed)
    agreed.arrive(agreed.tick + 3000)
    assert agreed.state()["surface.flaps.degrees"] == pytest.approx(16.0)


def test_a_dimmed_display_is_alive_but_shows_nothing(aircraft: Aircraft) -> None:
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(100)
    assert aircraft.state()["instrument.altimeter_display.alive"] is False, "it boots"
    aircraft.arrive(1500)
    assert aircraft.state()["instrument.altimeter_display.alive"] is True
    assert aircraft.state()["instrument.altimeter_display.reads"] is None
    set_control(aircraft, "display_brightness", "FULL")
    assert aircraft.state()["instrument.altimeter_display.reads"] == 1013


def test_service_bus_lives_on_ground_power_alone(aircraft: Aircraft) -> None:
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(7100)
    request(aircraft, "ground_power", "change")
    aircraft.arrive(16000)
    set_control(aircraft, "ground_service", "ON")
    aircraft.arrive(16100)
    state = aircraft.state()
    assert state["bus.dc_service.alive"] is True
    assert state["bus.dc_left.alive"] is False


@pytest.mark.parametrize(
    ("action", "says"),
    [
        (lambda a: set_control(a, "batery_main", "ON"), "did you mean 'battery_main'"),
        (lambda a: set_control(a, "battery_main", "HALF"), "it has ON, OFF"),
        (lambda a: set_control(a, "altimeter_setting", 2000), "takes 940 to 1060 hPa"),
        (lambda a: set_control(a, "altimeter_setting", "low"), "takes a figure"),
        (lambda a: set_control(a, "lamp_test", "IN"), "press it instead"),
        (lambda a: press(a, "battery_main", True), "set it instead"),
        (lambda a: set_control(a, "dc_tie", "OPEN"), "lift it first"),
        (lambda a: move_guard(a, "battery_main", True), "has no guard"),
        (lambda a: request(a, "catering", "connect"), "there is no service"),
        (lambda a: request(a, "ground_power", "paint"), "has no action"),
    ],
)
def test_what_cannot_be_done_is_refused_and_changes_nothing(aircraft: Aircraft, action: object, says: str) -> None:
    before = list(aircraft.d)
    assert callable(action)
    with pytest.raises(ActionRefused, match=says):
        action(aircraft)
    assert aircraft.d == before


def test_a_guarded_switch_moves_once_its_guard_is_lifted(aircraft: Aircraft) -> None:
    move_guard(aircraft, "dc_tie", True)
    set_control(aircraft, "dc_tie", "OPEN")
    assert aircraft.state()["control.dc_tie"] == "OPEN"


def test_lamp_test_lights_lamps_on_live_buses_only(aircraft: Aircraft) -> None:
    press(aircraft, "lamp_test", True)
    assert aircraft.state()["lamp.start_charging"] is False
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(50)
    assert aircraft.state()["lamp.start_charging"] is True
    press(aircraft, "lamp_test", False)
    assert aircraft.state()["lamp.start_charging"] is False


def test_crew_say_when_there_is_nothing_to_do_and_when_they_are_busy(aircraft: Aircraft) -> None:
    request(aircraft, "ground_power", "remove")
    assert "Nothing to do there" in aircraft.crew[-1].says
    request(aircraft, "ground_power", "connect")
    request(aircraft, "ground_power", "connect")
    assert "still busy" in aircraft.crew[-1].says


def test_the_adaptive_steps_are_as_true_as_very_short_ones(frost: Bundle) -> None:
    """The same flight in steps of 10 ms differs by less than 2 mV everywhere it is compared."""
    from lumenstat.simulation import aircraft as module

    def flown(longest: int) -> list[list[float]]:
        seen = []
        module_longest = module.LONGEST_STEP
        module.LONGEST_STEP = longest
        try:
            aircraft = powered(Aircraft(frost.airframe, frost.exercise.start))
            set_control(aircraft, "battery_start", "AUTO")
            for seconds in (5, 20, 60, 120):
                aircraft.arrive(16100 + seconds * 100)
                seen.append([aircraft.a[aircraft.plan.a.numbers[f"bus.{b.id}.volts"]] for b in aircraft.plan.dc])
        finally:
            module.LONGEST_STEP = module_longest
        return seen

    for adaptive, short in zip(flown(3000), flown(1), strict=True):
        assert adaptive == pytest.approx(short, abs=0.002)


def test_a_value_that_is_no_figure_stops_with_its_name_and_time(aircraft: Aircraft) -> None:
    """Source: none; the contract is that nonsense stops the run and names quantity and step."""
    from lumenstat.errors import ModelError

    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(500)
    kept = aircraft.snapshot()
    aircraft.restore(replace(kept, x=[float("nan"), *kept.x[1:]]))
    with pytest.raises(ModelError, match=r"at \d+\.\d\d s|battery\.main"):
        aircraft.arrive(9000)


def test_logic_that_goes_round_in_a_circle_stops_with_the_time(frost: Bundle) -> None:
    from lumenstat.errors import ModelError
    from lumenstat.systems.logic import Latch

    flips = Latch(id="flips", set_when="not latch.flips", reset_when="latch.flips")
    airframe = frost.airframe.model_copy(update={"latches": (flips,)})
    limits = tuple(limit for limit in airframe.limits if "latch" not in limit.when)
    panels = tuple(
        panel.model_copy(update={"lamps": tuple(lamp for lamp in panel.lamps if "latch" not in lamp.when)})
        for panel in airframe.panels
    )
    with pytest.raises(ModelError, match="circle"):
        Aircraft(airframe.model_copy(update={"limits": limits, "panels": panels}), frost.exercise.start)
