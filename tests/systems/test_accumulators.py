"""Accumulators: overnight loss by its closed form, charging through a check valve, a leak."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft

LOST_EACH_HOUR, NOMINAL_PSI = 0.035, 2950


def stand(bundle: Bundle, *faults: dict[str, Any], **start: Any) -> Aircraft:
    begun = Start.model_validate(bundle.exercise.start.model_dump() | {"controls": {}} | start)
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    return Aircraft(bundle.airframe, begun, made)


def brake(aircraft: Aircraft) -> float:
    psi = aircraft.state()["accumulator.brake.psi"]
    assert isinstance(psi, float)
    return psi


@pytest.mark.parametrize("hours", [0, 12, 50])
def test_standing_bleeds_it_down(frost: Bundle, hours: float) -> None:
    """By hand: a share is lost every hour, so it falls by powers."""
    assert brake(stand(frost, hours_unpowered=hours)) == pytest.approx(NOMINAL_PSI * (1 - LOST_EACH_HOUR) ** hours)


def test_an_hour_more_loses_an_hour_more(frost: Bundle) -> None:
    aircraft = stand(frost, hours_unpowered=12)
    before = brake(aircraft)
    aircraft.arrive(360_000)
    assert brake(aircraft) == pytest.approx(before * (1 - LOST_EACH_HOUR), rel=1e-4)


def test_its_system_fills_it_and_it_holds_when_the_pump_stops(frost: Bundle) -> None:
    start = {"carts": {"ground": ({"name": "Cart", "volts": 115, "hertz": 400},)}, "surfaces_degrees": {}}
    aircraft = stand(frost, **start)
    set_control(aircraft, "battery_main", "ON")
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(7800)
    set_control(aircraft, "ground_power", "FEED")
    set_control(aircraft, "hydraulic_pump", "ON")
    aircraft.arrive(12_000)
    assert brake(aircraft) == pytest.approx(NOMINAL_PSI, rel=0.01)
    set_control(aircraft, "hydraulic_pump", "OFF")
    aircraft.arrive(18_000)
    assert float(str(aircraft.state()["hydraulic.aft.psi"])) < 10
    assert brake(aircraft) > 0.99 * NOMINAL_PSI


def test_a_leak_empties_it_within_the_hour_and_a_chocks_out_brake_then_holds_nothing(frost: Bundle) -> None:
    leaking = stand(frost, {"kind": "accumulator_leaks", "target": "brake"}, hours_unpowered=0)
    leaking.arrive(360_000)
    assert brake(leaking) == pytest.approx(NOMINAL_PSI * (1 - LOST_EACH_HOUR) ** 40, rel=1e-3)
    assert brake(leaking) < 800
