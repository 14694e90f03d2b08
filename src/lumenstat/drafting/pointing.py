"""An item made from something that was pointed at on the deck, with sensible words and limits."""

from __future__ import annotations

from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.errors import EditRefused
from lumenstat.language import naming
from lumenstat.language.wording import phrase

HOLD_SECONDS = 2
UNKNOWN_SHARE = 0.05


def item_for(airframe: Airframe, part: str, name: str, stands: str | None = None) -> dict[str, Any]:
    """A new item about a `control`, an `instrument`, a `lamp` or a `service` (`service.action`).

    `stands` is where a control stands on the deck now: that is what the item asks for, unless it is the usual place.
    """
    match part:
        case "control" if name in airframe.controls:
            return for_control(airframe, name, stands)
        case "instrument" if name in airframe.instruments:
            return for_instrument(airframe, name)
        case "lamp" if name in airframe.lamps:
            challenge = spoken(airframe, "lamps", name)
            item = {"kind": "wait", "challenge": challenge, "response": "Lit", "until": naming.lamp(name)}
            return item | {"who": "either"}
        case "service":
            return for_request(airframe, *name.partition(".")[::2])
        case _:
            raise EditRefused(
                phrase("there is no {part} {name} on {airframe}", part=part, name=repr(name), airframe=airframe.name)
            )


def spoken(airframe: Airframe, group: str, name: str) -> str:
    """How a part is called on a checklist: with the short name of its panel where its own is one word alone."""
    for panel in airframe.panels:
        for part in getattr(panel, group):
            if part.id == name:
                alone = " " not in part.name and panel.name.isupper()
                return f"{panel.name} {part.name.lower()}" if alone else str(part.name)
    return name


def for_control(airframe: Airframe, name: str, to: str | None = None) -> dict[str, Any]:
    """Set a control, or hold it where it is a momentary one."""
    control = airframe.controls[name]
    item: dict[str, Any] = {"challenge": spoken(airframe, "controls", name), "who": "either"}
    if control.kind == "momentary":
        return item | {"kind": "hold", "response": "Held", "control": control.id, "seconds": HOLD_SECONDS}
    others = [position for position in control.positions if position != control.usual]
    wanted = to if to is not None else others[0] if others else control.usual
    return item | {"kind": "set", "response": wanted, "control": control.id, "to": wanted}


def for_seen(airframe: Airframe, name: str, position: str) -> dict[str, Any]:
    """Look at a control and say where it stands."""
    return for_control(airframe, name, position) | {"kind": "verify"}


def for_instrument(airframe: Airframe, name: str, reading: float | None = None) -> dict[str, Any]:
    """Read an instrument: within its permitted band, or else near what it shows."""
    instrument = airframe.instruments[name]
    # Two units of the last figure that is shown: nearer nobody reads it.
    tolerance = 10.0**-instrument.decimals * 2
    if instrument.permitted is not None:
        low, high = instrument.permitted.min, instrument.permitted.max
    else:
        # Without a reading the middle of the scale: something to be changed, and in sight.
        around = reading if reading is not None else (instrument.scale.min + instrument.scale.max) / 2
        margin = max(abs(around) * UNKNOWN_SHARE, tolerance)
        low, high = round(around - margin, instrument.decimals), round(around + margin, instrument.decimals)
    words = f"{low:g} to {high:g} {instrument.unit}"
    return {
        "kind": "check", "challenge": spoken(airframe, "instruments", name), "response": words,
        "instrument": instrument.id, "expect": {"min": low, "max": high}, "read_tolerance": tolerance, "who": "either",
    }  # fmt: skip


def for_request(airframe: Airframe, service: str, action: str) -> dict[str, Any]:
    """Ask the crew outside for something."""
    found = next((each for each in airframe.services if each.id == service), None)
    done = next((each for each in found.actions if each.id == action), None) if found else None
    if found is None or done is None:
        raise EditRefused(
            phrase(
                "{airframe} has no service {service} with {action}",
                airframe=airframe.name,
                service=repr(service),
                action=repr(action),
            )
        )
    return {
        "kind": "request", "challenge": found.name, "response": "Requested", "service": service, "action": action,
        "who": "either",
    }  # fmt: skip


def for_state(airframe: Airframe, service: str, state: str) -> dict[str, Any]:
    """Wait until a service has come to a state."""
    found = next(each for each in airframe.services if each.id == service)
    until = f'service.{service} == "{state}"'
    item = {"kind": "wait", "challenge": found.name, "response": state.capitalize(), "until": until}
    return item | {"who": "either"}
