"""A control unit that lets fuel in by itself, and what it gives up for."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.simulation.actions import request
from tests.simulation.engines import Started, crank, put, stand


def started(*faults: dict[str, Any], seconds: float = 90, boost: str = "ON") -> Started:
    aircraft = stand("automatic-jet", *faults)
    put(aircraft, battery="ON", boost=boost)
    request(aircraft, "air_start", "connect")
    aircraft.arrive(2500)
    return crank(aircraft, {"lever": "FEED", "start": "START"}, {}, 0, seconds)


def test_fuel_comes_by_itself_and_everything_that_it_drives_follows() -> None:
    start = started()
    assert start.state["engine.1.trouble"] == ""
    assert start.state["bus.ac.fed_by"] == "generator"
    assert start.state["hydraulic.main.psi"] > 2900
    assert 560 < start.peak < 700


@pytest.mark.parametrize(
    ("fault", "trouble"),
    [
        ({"kind": "engine_no_light"}, "no light"),
        ({"kind": "engine_hung", "amount": 0.6}, "hung"),
        ({"kind": "engine_hung"}, "hot"),
        ({"kind": "engine_hot"}, "hot"),
        ({"kind": "engine_no_oil"}, "no oil pressure"),
    ],
)
def test_it_takes_the_fuel_away_and_says_why(fault: dict[str, Any], trouble: str) -> None:
    start = started({**fault, "target": "1"}, seconds=110)
    assert start.state["engine.1.trouble"] == trouble
    assert start.state["engine.1.fuel"] is False


def test_low_duct_pressure_turns_it_too_slowly_and_without_fuel_pressure_nothing_burns() -> None:
    slow = started({"kind": "duct_low", "target": "duct", "amount": 0.45}, seconds=60)
    assert slow.idle_after is None
    weak = started({"kind": "duct_low", "target": "duct", "amount": 0.75}, seconds=90)
    assert weak.idle_after is not None
    assert weak.idle_after > (started().idle_after or 0) + 4
    assert started(boost="OFF", seconds=40).state["engine.1.lit"] is False


def test_a_generator_that_will_not_take_its_bus() -> None:
    start = started({"kind": "transfer_fails", "target": "generator"})
    assert start.state["source.generator.available"] is True
    assert start.state["bus.ac.alive"] is False
