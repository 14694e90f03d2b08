"""What engines, inertial units and gyros mean: every part that a kind needs is there, and names what exists."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checker import Checker
from lumenstat.documents.engines import NEEDS, OPTIONAL_PARTS, TAKES, Engine
from lumenstat.documents.navigation import AlignMode, Inertial
from lumenstat.documents.sources import Path_

ENTRY = "entry"
MOMENTS = {"gyrocompass": "best_degrees", "gyro": "seconds and best_degrees", "stored": "seconds and best_degrees"}


def check_machines(airframe: Airframe, checker: Checker) -> None:
    """Engines, inertial units, gyros, and what the crew outside need."""
    buses, dc = list(airframe.buses), [bus.id for bus in airframe.electrical.buses if bus.kind == "dc"]
    checker.unique(("engines",), "engine", [engine.id for engine in airframe.engines])
    for n, engine in enumerate(airframe.engines):
        _check_engine(airframe, engine, ("engines", n), checker, dc)
    checker.unique(("inertial",), "inertial unit", [unit.id for unit in airframe.inertial])
    for n, unit in enumerate(airframe.inertial):
        _check_unit(airframe, unit, ("inertial", n), checker)
    for n, gyro in enumerate(airframe.gyros):
        checker.known(("gyros", n, "bus"), "bus", gyro.bus, buses)
    if airframe.moves_when is not None:
        checker.truth(("moves_when",), airframe.moves_when, over_time=False, logic=True)
    engines = [engine.id for engine in airframe.engines]
    for n, supply in enumerate(airframe.electrical.dc_supplies):
        if supply.driven_by is not None:
            checker.known(("electrical", "dc_supplies", n, "driven_by"), "engine", supply.driven_by, engines)
    for n, service in enumerate(airframe.services):
        if service.heard_when is not None:
            checker.truth(("services", n, "heard_when"), service.heard_when, over_time=False, logic=True)
        for m, action in enumerate(service.actions):
            path: Path_ = ("services", n, "actions", m)
            if action.needs is not None:
                checker.truth((*path, "needs"), action.needs, over_time=False, logic=True)
            if action.meanwhile is not None:
                checker.known((*path, "meanwhile"), "state of the service", action.meanwhile, service.states)


def _check_engine(airframe: Airframe, engine: Engine, path: Path_, checker: Checker, dc: list[str]) -> None:
    for part in NEEDS[engine.kind]:
        if getattr(engine, part) is None:
            checker.wrong(path, f"a {engine.kind} engine needs `{part}`; docs/authoring.md shows one of each kind")
    for part in OPTIONAL_PARTS:
        if getattr(engine, part) is not None and part not in (*NEEDS[engine.kind], *TAKES[engine.kind]):
            checker.wrong((*path, part), f"a {engine.kind} engine has no `{part}`; leave it out or change the kind")
    checker.known((*path, "control_bus"), "DC bus", engine.control_bus, dc)
    if engine.starter is not None:
        checker.known((*path, "starter", "bus"), "DC bus", engine.starter.bus, dc)
        if engine.starter.relay_pulls_in_volts <= engine.starter.relay_drops_out_volts:
            checker.wrong((*path, "starter"), "the relay must pull in at more volts than it drops out at")
    if engine.air_starter is not None:
        checker.known(
            (*path, "air_starter", "duct"), "duct", engine.air_starter.duct, [d.id for d in airframe.air.ducts]
        )
    if engine.ignition is not None:
        feeds = [feed.id for feed in airframe.fuel.feeds]
        checker.known((*path, "ignition", "feed"), "fuel feed", engine.ignition.feed, feeds)
    if engine.motor is not None:
        checker.known((*path, "motor", "bus"), "DC bus", engine.motor.bus, dc)
    if engine.power is not None and checker.known(
        (*path, "power", "lever"), "control", engine.power.lever, airframe.controls
    ):
        for position in airframe.controls[engine.power.lever].positions:
            checker.known((*path, "power", "percent"), "percent for lever position", position, engine.power.percent)
    if engine.spool and engine.power is None and engine.idle_percent > engine.spool.governed_percent:
        checker.wrong(
            (*path, "idle_percent"),
            f"the governor holds {engine.spool.governed_percent:g} %, so it never reaches {engine.idle_percent:g} %",
        )
    expressions = [("crank_when", engine.crank_when), ("output", engine.output.feathered_when)]
    if engine.ignition is not None:
        expressions += [("ignition", engine.ignition.fuel_when), ("ignition", engine.ignition.lit_when)]
    if engine.motor is not None:
        expressions.append(("motor", engine.motor.enabled_when))
    for key, text in expressions:
        if text is not None:
            checker.truth((*path, key), text, over_time=False, logic=True)


def _check_unit(airframe: Airframe, unit: Inertial, path: Path_, checker: Checker) -> None:
    checker.known((*path, "bus"), "bus", unit.bus, airframe.buses)
    if unit.backup_bus is not None:
        checker.known((*path, "backup_bus"), "bus", unit.backup_bus, airframe.buses)
        if not unit.backup_seconds:
            checker.wrong((*path, "backup_seconds"), "say for how many seconds its backup bus may carry it")
    for key in ("latitude_entry", "longitude_entry"):
        name = getattr(unit, key)
        if checker.known((*path, key), "control", name, airframe.controls) and airframe.controls[name].kind != ENTRY:
            checker.wrong((*path, key), f"{name} is a {airframe.controls[name].kind}; a position needs an `entry`")
    for key in ("on_when", "navigate_when", "entered_when", "cooled_when"):
        if (text := getattr(unit, key)) is not None:
            checker.truth((*path, key), text, over_time=False, logic=True)
    if not unit.modes:
        checker.wrong((*path, "modes"), "needs at least one mode: how else would it find north")
    for n, mode in enumerate(unit.modes):
        _check_mode(airframe, mode, (*path, "modes", n), checker)


def _check_mode(airframe: Airframe, mode: AlignMode, path: Path_, checker: Checker) -> None:
    checker.truth((*path, "when"), mode.when, over_time=False, logic=True)
    if mode.best_degrees is None or (mode.finds != "gyrocompass" and mode.seconds is None):
        checker.wrong(path, f"mode {mode.id!r} has no duration or accuracy: `{mode.finds}` needs {MOMENTS[mode.finds]}")
    if mode.finds == "gyro":
        if mode.gyro is None:
            checker.wrong(path, f"mode {mode.id!r} takes its heading from a gyro; name it with `gyro`")
        else:
            checker.known((*path, "gyro"), "gyro", mode.gyro, [gyro.id for gyro in airframe.gyros])
