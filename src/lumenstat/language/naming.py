"""The names of quantities that are asked for outside the room they come from: each is put together here alone."""

from __future__ import annotations

from typing import Literal


def control(control_id: str) -> str:
    """Where a control stands."""
    return f"control.{control_id}"


def guard(control_id: str) -> str:
    """Whether the guard of a control is open."""
    return f"guard.{control_id}"


def reads(instrument_id: str) -> str:
    """What an instrument shows."""
    return f"instrument.{instrument_id}.reads"


def lamp(lamp_id: str) -> str:
    """Whether a lamp is lit."""
    return f"lamp.{lamp_id}"


def service(service_id: str) -> str:
    """Whether a service of the crew outside is done."""
    return f"service.{service_id}"


def service_busy(service_id: str) -> str:
    """Whether somebody is at it."""
    return f"service.{service_id}.busy"


def bus_alive(bus_id: str) -> str:
    """Whether a bus is alive."""
    return f"bus.{bus_id}.alive"


def bus_volts(bus_id: str) -> str:
    """Volts of a bus."""
    return f"bus.{bus_id}.volts"


def battery(battery_id: str, figure: Literal["volts", "amps", "charge", "celsius", "polarisation"]) -> str:
    """A figure of a battery: volts at its terminals, amperes out of it, its charge from 0 to 1, its temperature."""
    return f"battery.{battery_id}.{figure}"
