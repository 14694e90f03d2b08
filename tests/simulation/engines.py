"""The small test airframes with engines, and an engine started on one of them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Library
from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.batteries import BatteriesSection
from lumenstat.systems.engines.part import FIGURES, EnginesSection
from lumenstat.systems.surroundings import Place

FOLDER = Path(__file__).parents[1] / "airframes"


def stand(name: str, *faults: dict[str, Any], **start: Any) -> Aircraft:
    """One of the test airframes, cold and dark."""
    airframe = Library().load(FOLDER / f"{name}.yaml").usable()
    assert isinstance(airframe, Airframe)
    charges = {battery.id: 0.85 for battery in airframe.section(BatteriesSection).batteries}
    place = Place(name="Field", latitude_degrees=50, longitude_degrees=0)
    begun = Start.model_validate({"place": place, "battery_charge": charges, "outside_celsius": 10, **start})
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    return Aircraft(airframe, begun, made)


def now(aircraft: Aircraft) -> dict[str, Any]:
    """Every quantity at this moment."""
    return dict(aircraft.state())


def put(aircraft: Aircraft, **controls: str) -> None:
    """Set controls one after another."""
    for name, position in controls.items():
        set_control(aircraft, name, position)


@dataclass
class Started:
    """What was seen during a start."""

    peak: float
    lowest_volts: float
    idle_after: float | None
    state: dict[str, Any]


def crank(aircraft: Aircraft, start: dict[str, str], fuel: dict[str, str], fuel_at: float, seconds: float) -> Started:
    """Crank engine 1, let fuel in at a speed in percent, and watch it for some seconds."""
    engine = aircraft.plan.airframe.section(EnginesSection).engines[0]
    names, slots = FIGURES[engine.kind], aircraft.plan.a.numbers
    speed, gas = slots[f"engine.1.{names.speed}"], slots[f"engine.1.{names.temperature}"]
    volts = slots[f"bus.{engine.starter.bus if engine.starter else engine.control_bus}.volts"]
    put(aircraft, **start)
    begun, peak, lowest, idle, fed = aircraft.tick, 0.0, 99.0, None, False
    while aircraft.tick < begun + seconds * 100:
        aircraft.arrive(aircraft.tick + 10)
        if not fed and aircraft.a[speed] >= fuel_at:
            put(aircraft, **fuel)
            fed = True
        peak, lowest = max(peak, aircraft.a[gas]), min(lowest, aircraft.a[volts])
        if idle is None and aircraft.d[aircraft.plan.d["engine.1.running"]] is True:
            idle = (aircraft.tick - begun) / 100
    return Started(peak, lowest, idle, aircraft.state())


def turboprop(*faults: dict[str, Any], cart: bool = False, fuel_at: float = 12, seconds: float = 60) -> Started:
    """Engine 1 of the twin turboprop, feathered."""
    aircraft = stand("twin-turboprop", *faults)
    if cart:
        request(aircraft, "ground_power", "connect")
        aircraft.arrive(4000)
    put(aircraft, battery="ON", pumps="ON")
    aircraft.arrive(aircraft.tick + 500)
    return crank(aircraft, {"start_1": "START"}, {"condition_1": "FEATHER"}, fuel_at, seconds)


def weak(amount: float) -> dict[str, Any]:
    """A battery with so many times its resistance."""
    return {"kind": "battery_weak", "target": "main", "amount": amount}
