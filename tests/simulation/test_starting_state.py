"""What an exercise begins with beyond charge and switches: the day's first flight, and what is out of service."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.checking_exercises import check_exercise
from lumenstat.documents.exercise import Exercise
from lumenstat.language.sources import Source
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.actions import press, ready, request, set_control
from tests.procedures import BATTERY_ON, shipped, small

DEAD_LAMP = {"kind": "bulb_dead", "target": "ground_ready", "says": "The READY lamp is out; its bulb is ordered."}


@pytest.mark.parametrize(
    ("when", "start", "there"),
    [
        ("start.first_flight_of_day", {"first_flight_of_day": True}, True),
        ("start.first_flight_of_day", {"first_flight_of_day": False}, False),
        ("start.hours_unpowered > 6", {"hours_unpowered": 7}, True),
        ("start.hours_unpowered > 6", {"hours_unpowered": 6}, False),
    ],
)
def test_an_item_can_hang_on_how_the_day_began(when: str, start: dict[str, Any], there: bool) -> None:
    test = {"id": "test", "kind": "hold", "control": "lamp_test", "seconds": 2, "applies_when": when}
    flight = rehearse(small(BATTERY_ON, test, start=start))
    assert ("test" in [act.item for act in flight.acts]) is there


def test_what_is_out_of_service_does_not_work_and_stands_in_the_technical_log() -> None:
    def lit(*out: dict[str, Any]) -> object:
        bundle = small(BATTERY_ON, start={"out_of_service": list(out)})
        aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
        set_control(aircraft, "battery_main", "ON")
        request(aircraft, "ground_power", "connect")
        aircraft.arrive(12_000)
        return aircraft.state()["lamp.ground_ready"]

    assert lit() is True
    assert lit(DEAD_LAMP) is False
    exercise = small(BATTERY_ON, start={"out_of_service": [DEAD_LAMP]}).exercise
    log = exercise.handed_out[0]
    assert (log.name, log.lines[0].name) == ("Technical log, open items", DEAD_LAMP["says"])
    assert exercise.handed_out[1:] == exercise.papers
    assert small(BATTERY_ON).exercise.handed_out == small(BATTERY_ON).exercise.papers


def test_it_stands_beside_the_faults_that_an_instructor_sends() -> None:
    bundle = small(
        BATTERY_ON,
        start={"out_of_service": [DEAD_LAMP]},
        faults=[{"id": "pump", "kind": "hydraulic_pump_runs", "target": "electric"}],
    )
    aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
    aircraft.arrive(100)
    press(aircraft, "lamp_test", held=True)
    board = aircraft.faults
    assert board.has("bulb_dead", "ground_ready")
    assert board.numbers["pump"] == 0


def test_a_part_that_there_is_not_is_refused_with_what_there_is() -> None:
    found = shipped("guided-power-up")
    content = found.exercise.model_dump(mode="json", by_alias=True)
    content["start"]["out_of_service"] = [{**DEAD_LAMP, "target": "ground_redy"}]
    exercise = Exercise.model_validate(content)
    problems = check_exercise(exercise, found.airframe, found.checklists, Source("x.yaml", content, {}))
    assert len(problems) == 1
    assert "start.out_of_service" in problems[0].path and "ground_ready" in problems[0].says
