"""The shipped airframe on ground power, its inertial units switched on."""

from __future__ import annotations

from typing import Any

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import press, request, set_control
from lumenstat.simulation.aircraft import Aircraft

BUNDLE = Library().bundle(next(path for path in shipped_exercises() if path.stem == "full-cold-start"))


def on_power(latitude: float = 58.41, *faults: dict[str, Any], **start: Any) -> Aircraft:
    """On ground power, units off."""
    given = BUNDLE.exercise.start.model_dump()
    given["place"] = {"name": "Somewhere", "latitude_degrees": latitude, "longitude_degrees": -6.93}
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    aircraft = Aircraft(BUNDLE.airframe, Start.model_validate(given | start), made)
    set_control(aircraft, "battery_main", "ON")
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(8000)
    set_control(aircraft, "ground_power", "FEED")
    aircraft.arrive(aircraft.tick + 500)
    return aircraft


def switch_on(aircraft: Aircraft, latitude: float, longitude: float = -6.93, mode: str = "FULL") -> None:
    """Cooling, mode, both units to ALIGN, and a position entered."""
    for control, position in (
        ("avionics_fan", "ON"),
        ("align_mode", mode),
        ("inertial_1", "ALIGN"),
        ("inertial_2", "ALIGN"),
    ):
        set_control(aircraft, control, position)
    enter(aircraft, latitude, longitude)


def enter(aircraft: Aircraft, latitude: float, longitude: float) -> None:
    """Enter a position."""
    set_control(aircraft, "latitude", latitude)
    set_control(aircraft, "longitude", longitude)
    press(aircraft, "enter_position", True)
    press(aircraft, "enter_position", False)


def of(aircraft: Aircraft, name: str, unit: int = 1) -> Any:
    """A quantity of a unit."""
    return aircraft.state()[f"inertial.{unit}.{name}"]


def wait_for(aircraft: Aircraft, phase: str, seconds: float) -> float | None:
    """Seconds until unit 1 is in a phase, or None if it is not within so many."""
    begun = aircraft.tick
    while aircraft.tick < begun + seconds * 100:
        if of(aircraft, "phase") == phase:
            return (aircraft.tick - begun) / 100
        aircraft.arrive(aircraft.tick + 50)
    return None


def aligned_after(latitude: float, **start: Any) -> float | None:
    """Seconds from levelling to aligned."""
    aircraft = on_power(latitude, **start)
    switch_on(aircraft, latitude)
    assert wait_for(aircraft, "levelling", 20) is not None
    return wait_for(aircraft, "aligned", 3600)
