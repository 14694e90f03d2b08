"""Logs written by hand, and small changes to them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog


def event(seconds: float, verb: str, by: str = "trainee", **args: Any) -> LogEvent:
    return LogEvent(round(seconds * 100), by, verb, args)


def perfect_frost() -> list[LogEvent]:
    """'Frost on the ramp' flown without a slip."""
    e = event
    return [
        e(5, "confirm", item="log"),
        e(8, "confirm", item="outside"),
        e(12, "set", control="hydraulic_pump", to="OFF"),
        e(13, "see", control="hydraulic_pump", position="OFF"),
        e(15, "set", control="flap_lever", to="16"),
        e(17, "see", control="fuel_pump_left", position="OFF"),
        e(17.5, "see", control="fuel_pump_right", position="OFF"),
        e(18, "see", control="wipers", position="OFF"),
        e(19, "see", control="gear_lever", position="DOWN"),
        e(20, "see", control="start_left", position="OFF"),
        e(20.5, "see", control="start_right", position="OFF"),
        e(22, "set", control="meter_selector", to="MAIN"),
        e(25, "call", instrument="battery_volts", reading=25.0, judgement="within"),
        e(27, "set", control="meter_selector", to="START"),
        e(30, "call", instrument="battery_volts", reading=24.0, judgement="below"),
        e(33, "decide", item="start-decision", branch="charge"),
        e(36, "set", control="battery_main", to="ON"),
        e(40, "call", instrument="essential_volts", reading=24.8, judgement="within"),
        e(43, "call", instrument="left_volts", judgement="dead"),
        e(45, "set", control="battery_start", to="AUTO"),
        e(48, "request", service="ground_power", action="connect"),
        e(130, "call", instrument="plug_hertz", reading=417, judgement="above"),
        e(133, "request", service="ground_power", action="change"),
        e(225, "respond", item="ready"),
        e(228, "set", control="ground_power", to="FEED"),
        e(240, "set", control="navigation_lights", to="ON"),
        e(245, "set", control="seat_signs", to="ON"),
        e(250, "set", control="display_brightness", to="FULL"),
        e(260, "set", control="altimeter_setting", to=1026),
        e(950, "respond", item="charged"),
        e(955, "set", control="battery_start", to="OFF"),
        e(990, "call", instrument="battery_volts", reading=25.6, judgement="within"),
        e(995, "set", control="battery_start", to="AUTO"),
        e(1040, "call", instrument="battery_amps", reading=54, judgement="within"),
        e(1045, "call", instrument="ac_volts", reading=116, judgement="within"),
        e(1048, "call", instrument="ac_hertz", reading=401, judgement="within"),
        e(1050, "finish"),
    ]


def without(events: list[LogEvent], wanted: Callable[[LogEvent], bool]) -> list[LogEvent]:
    """The events but those that are wanted away; at least one must go."""
    left = [each for each in events if not wanted(each)]
    assert len(left) < len(events)
    return left


def about(verb: str, **args: Any) -> Callable[[LogEvent], bool]:
    return lambda e: e.verb == verb and all(e.args.get(k) == v for k, v in args.items())


def inserted(events: list[LogEvent], *more: LogEvent) -> list[LogEvent]:
    return sorted([*events, *more], key=lambda e: e.tick)


def log_of(bundle: Bundle, events: list[LogEvent]) -> RunLog:
    return RunLog(bundle.exercise.id, bundle.digest, "test", tuple(events))
