"""Logs written by hand, and small changes to them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lumenstat.assessment.ledger import Ledger, Points
from lumenstat.documents.bundles import Bundle, shipped_exercises
from lumenstat.documents.runlog import LogEvent, RunLog
from tests.kept import making


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
        e(16, "see", control="flap_lever", position="16"),
        e(17, "see", control="fuel_pump_left", position="OFF"),
        e(17.5, "see", control="fuel_pump_right", position="OFF"),
        e(18, "see", control="wipers", position="OFF"),
        e(19, "see", control="gear_lever", position="DOWN"),
        e(20, "see", control="start_left", position="OFF"),
        e(20.5, "see", control="start_right", position="OFF"),
        e(22, "set", control="meter_selector", to="MAIN"),
        e(25, "call", instrument="battery_volts", reading=25.0, judgement="within"),
        e(27, "set", control="meter_selector", to="START"),
        e(30, "call", instrument="battery_volts", reading=24.3, judgement="below"),
        e(33, "decide", item="start-decision", branch="charge"),
        e(36, "set", control="battery_main", to="ON"),
        e(40, "call", instrument="essential_volts", reading=24.6, judgement="within"),
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
        e(990, "call", instrument="battery_volts", reading=25.4, judgement="within"),
        e(995, "set", control="battery_start", to="AUTO"),
        e(1040, "call", instrument="battery_amps", reading=46, judgement="within"),
        e(1045, "call", instrument="ac_volts", reading=116, judgement="within"),
        e(1048, "call", instrument="ac_hertz", reading=401, judgement="within"),
        e(1050, "finish"),
    ]


def held(seconds: float, control: str, for_seconds: float) -> list[LogEvent]:
    return [event(seconds, "press", control=control), event(seconds + for_seconds, "release", control=control)]


def perfect_apu(loops_whole: bool = True) -> list[LogEvent]:
    """The APU takes over from ground power; with an open loop the APU stays off."""
    e = event
    begin = [
        e(3, "confirm", item="log"),
        e(5, "confirm", item="outside"),
        e(7, "see", control="hydraulic_pump", position="OFF"),
        e(8, "see", control="flap_lever", position="0"),
        e(9, "see", control="gear_lever", position="DOWN"),
        e(10, "see", control="start_left", position="OFF"),
        e(11, "see", control="start_right", position="OFF"),
        e(14, "set", control="battery_main", to="ON"),
        e(18, "call", instrument="essential_volts", reading=24.9, judgement="within"),
        e(20, "request", service="ground_power", action="connect"),
        e(22, "set", control="battery_start", to="AUTO"),
        *held(30, "fire_test", 2.2),
        e(98, "respond", item="ready"),
        e(100, "set", control="ground_power", to="FEED"),
        e(104, "call", instrument="ac_volts", reading=115, judgement="within"),
        e(107, "call", instrument="ac_hertz", reading=400, judgement="within"),
        e(115, "decide", item="loops", branch="start" if loops_whole else "leave"),
    ]
    apu = [
        e(118, "set", control="apu_boost", to="ON"),
        e(120, "set", control="apu_master", to="ON"),
        e(129, "respond", item="door"),
        *held(131, "apu_start", 0.8),
        e(160, "respond", item="available"),
        e(163, "call", instrument="apu_oil", reading=57, judgement="within"),
        e(166, "set", control="apu_generator", to="ON"),
        e(170, "call", instrument="apu_load", reading=8, judgement="within"),
        e(173, "set", control="ground_power", to="OFF"),
        e(176, "request", service="ground_power", action="remove"),
        e(210, "respond", item="gone"),
    ]
    stays_off = [
        e(118, "see", control="apu_master", position="OFF"),
        e(120, "confirm", item="written-up"),
    ]
    end = [
        e(212, "set", control="navigation_lights", to="ON"),
        e(214, "set", control="seat_signs", to="ON"),
        e(216, "finish"),
    ]
    return [*begin, *(apu if loops_whole else stays_off), *end]


def perfect_battery() -> list[LogEvent]:
    """Battery and APU alone."""
    e = event
    return [
        e(1, "confirm", item="log"),
        e(3, "confirm", item="outside"),
        e(5, "see", control="hydraulic_pump", position="OFF"),
        e(7, "see", control="apu_generator", position="OFF"),
        e(9, "set", control="meter_selector", to="MAIN"),
        e(12, "call", instrument="battery_volts", reading=25.2, judgement="within"),
        e(14, "set", control="meter_selector", to="START"),
        e(17, "call", instrument="battery_volts", reading=25.7, judgement="within"),
        e(19, "decide", item="go", branch="power-up"),
        e(20, "set", control="battery_main", to="ON"),
        *held(24, "fire_test", 2.3),
        e(29, "set", control="apu_boost", to="ON"),
        e(31, "set", control="apu_master", to="ON"),
        *held(41, "apu_start", 0.7),
        e(75, "respond", item="available"),
        e(77, "set", control="apu_generator", to="ON"),
        e(81, "call", instrument="ac_volts", reading=116, judgement="within"),
        e(84, "set", control="battery_start", to="AUTO"),
        e(87, "set", control="meter_selector", to="OFF"),
        e(90, "finish"),
    ]


def perfect_shutdown() -> list[LogEvent]:
    """From the APU to dark."""
    e = event
    return [
        e(3, "set", control="pack_left", to="OFF"),
        e(4, "set", control="pack_right", to="OFF"),
        e(6, "set", control="seat_signs", to="OFF"),
        e(8, "set", control="fuel_pump_left", to="OFF"),
        e(9, "set", control="fuel_pump_right", to="OFF"),
        e(12, "set", control="apu_air", to="SHUT"),
        e(15, "set", control="apu_master", to="OFF"),
        e(160, "respond", item="door"),
        e(161, "set", control="apu_boost", to="OFF"),
        e(163, "set", control="apu_generator", to="OFF"),
        e(164, "set", control="battery_start", to="OFF"),
        e(166, "set", control="navigation_lights", to="OFF"),
        e(169, "set", control="battery_main", to="OFF"),
        e(172, "call", instrument="essential_volts", judgement="dead"),
        e(175, "finish"),
    ]


HAND_FLOWN: dict[str, Callable[[], list[LogEvent]]] = {
    "frost-on-the-ramp": perfect_frost,
    "apu-and-ground-power-away": perfect_apu,
    "apu-loop-open": lambda: perfect_apu(loops_whole=False),
    "battery-and-apu": perfect_battery,
    "shutdown-to-dark": perfect_shutdown,
}


def rehearsed(name: str) -> Callable[[], list[LogEvent]]:
    """Gives the model's own perfect flight of a shipped exercise, as it is kept: `tests/kept` flies it anew."""
    return lambda: list(making.log_of(name, making.PERFECT))


PERFECT: dict[str, Callable[[], list[LogEvent]]] = {
    path.stem: HAND_FLOWN.get(path.stem, rehearsed(path.stem)) for path in shipped_exercises()
}
"""A log without a slip for every shipped exercise: by hand where there is one, else the rehearsal's."""


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


EMPTY_LEDGER = Ledger(
    outcome="unfinished",
    percent=0.0,
    band=None,
    points=Points(earned=0.0, possible=0.0),
    gates=(),
    items=(),
    extras=(),
    limits=(),
    ended_at=0.0,
    digest="none",
    engine="test",
).model_dump_json()
"""A run in which nothing was done, as it is judged."""
