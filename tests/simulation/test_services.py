"""The crew outside: who hears a call, what they need first, what they say, and when it is not what is."""

from __future__ import annotations

from typing import Any

from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft
from tests.simulation.inertial import BUNDLE


def dark(*faults: dict[str, Any], **services: str) -> Aircraft:
    given = BUNDLE.exercise.start.model_dump() | {"services": services}
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    return Aircraft(BUNDLE.airframe, Start.model_validate(given), made)


def last(aircraft: Aircraft) -> str:
    return aircraft.crew[-1].says


def test_somebody_must_be_able_to_hear() -> None:
    deaf = dark(doors="closed")
    request(deaf, "ground_power", "connect")
    assert last(deaf) == "Nobody answers: the interphone is dead and the door is shut."
    assert deaf.state()["service.ground_power.busy"] is False
    set_control(deaf, "battery_main", "ON")
    deaf.arrive(100)
    request(deaf, "ground_power", "connect")
    assert deaf.state()["service.ground_power.busy"] is True
    by_the_door = dark()
    request(by_the_door, "ground_power", "connect")
    assert by_the_door.state()["service.ground_power.busy"] is True


def test_they_want_things_in_order() -> None:
    aircraft = dark(doors="closed", chocks="out")
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(100)
    request(aircraft, "pushback", "push")
    assert "beacon on and your brake off" in last(aircraft)
    for control, position in (("beacon", "ON"), ("parking_brake", "OFF")):
        set_control(aircraft, control, position)
    request(aircraft, "pushback", "push")
    assert aircraft.state()["service.pushback"] == "moving"
    aircraft.arrive(aircraft.tick + 7600)
    assert aircraft.state()["service.pushback"] == "pushed"
    assert last(aircraft) == "Push is complete. Set your brake."


def test_a_door_that_they_say_is_shut_may_not_be() -> None:
    aircraft = dark({"kind": "service_undone", "target": "doors"})
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(100)
    for shut in (False, True):
        request(aircraft, "doors", "close")
        aircraft.arrive(aircraft.tick + 2500)
        assert last(aircraft) == "Doors are shut on our side. Check your lamp."
        assert aircraft.state()["lamp.door_open"] is not shut


def test_probe_heat_that_fails_lights_its_lamp() -> None:
    aircraft = dark({"kind": "load_failed", "target": "probe_heat_right"})
    set_control(aircraft, "battery_main", "ON")
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(8000)
    set_control(aircraft, "ground_power", "FEED")
    set_control(aircraft, "probe_heat", "ON")
    aircraft.arrive(aircraft.tick + 200)
    state = aircraft.state()
    assert (state["lamp.probe_left_cold"], state["lamp.probe_right_cold"]) == (False, True)
