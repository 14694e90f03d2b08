"""What the parts beside electricity mean, and what an exercise's faults are about."""

from __future__ import annotations

from collections.abc import Iterable

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checker import Checker
from lumenstat.documents.checking_machines import check_machines
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.sources import Path_


def check_systems(airframe: Airframe, checker: Checker) -> None:
    """APU, engines, navigation, fuel, air, fire, timers and latches."""
    check_machines(airframe, checker)
    dc = [bus.id for bus in airframe.electrical.buses if bus.kind == "dc"]
    _check_apu(airframe, checker, dc)
    feeds = [feed.id for feed in airframe.fuel.feeds]
    ducts = [duct.id for duct in airframe.air.ducts]
    for n, pump in enumerate(airframe.fuel.pumps):
        path: Path_ = ("fuel", "pumps", n)
        checker.known((*path, "feed"), "fuel feed", pump.feed, feeds)
        checker.known((*path, "bus"), "bus", pump.bus, airframe.buses)
        checker.truth((*path, "when"), pump.when, over_time=False, logic=True)
    for n, feed in enumerate(airframe.fuel.feeds):
        for other in feed.also_from:
            checker.known(("fuel", "feeds", n, "also_from"), "fuel feed", other, feeds)
    for group in ("sources", "takers"):
        for n, port in enumerate(getattr(airframe.air, group)):
            checker.known(("air", group, n, "duct"), "duct", port.duct, ducts)
            checker.truth(("air", group, n, "when"), port.when, over_time=False, logic=True)
    for n, valve in enumerate(airframe.air.valves):
        for duct in valve.joins:
            checker.known(("air", "valves", n, "joins"), "duct", duct, ducts)
        checker.truth(("air", "valves", n, "when"), valve.when, over_time=False, logic=True)
    for n, loop in enumerate(airframe.fire.loops):
        checker.known(("fire", "loops", n, "bus"), "bus", loop.bus, airframe.buses)
    for n, bottle in enumerate(airframe.fire.bottles):
        checker.known(("fire", "bottles", n, "bus"), "bus", bottle.bus, airframe.buses)
        checker.truth(("fire", "bottles", n, "fires_when"), bottle.fires_when, over_time=False, logic=True)
    for n, timer in enumerate(airframe.timers):
        checker.truth(("timers", n, "when"), timer.when, over_time=False, logic=True)
    for n, latch in enumerate(airframe.latches):
        checker.truth(("latches", n, "set_when"), latch.set_when, over_time=False, logic=True)
        checker.truth(("latches", n, "reset_when"), latch.reset_when, over_time=False, logic=True)


def _check_apu(airframe: Airframe, checker: Checker, dc: list[str]) -> None:
    apu = airframe.apu
    if apu is None:
        return
    checker.known(("apu", "control_bus"), "DC bus", apu.control_bus, dc)
    checker.known(("apu", "starter", "bus"), "DC bus", apu.starter.bus, dc)
    checker.known(("apu", "feed"), "fuel feed", apu.feed, [feed.id for feed in airframe.fuel.feeds])
    if apu.accumulator is not None:
        systems = [system.id for system in airframe.hydraulics.systems]
        checker.known(("apu", "accumulator", "system"), "hydraulic system", apu.accumulator.system, systems)
    checker.truth(("apu", "run_when"), apu.run_when, over_time=False, logic=True)
    checker.truth(("apu", "start_when"), apu.start_when, over_time=False, logic=True)
    if apu.starter.relay_pulls_in_volts <= apu.starter.relay_drops_out_volts:
        checker.wrong(("apu", "starter"), "the relay must pull in at more volts than it drops out at")


def fault_targets(airframe: Airframe) -> dict[str, Iterable[str]]:
    """What a fault can be about, by the first word of its kind."""
    electrical = airframe.electrical
    apu = [airframe.apu.id] if airframe.apu else []
    groups: dict[str, Iterable[str]] = {
        "battery": [b.id for b in electrical.batteries],
        "limiter": [c.id for c in electrical.contactors if c.limit is not None],
        "contactor": [c.id for c in electrical.contactors],
        "diode": [d.id for d in electrical.diodes],
        "supply": [s.id for s in electrical.ground_supplies],
        "rectifier": [r.id for r in electrical.rectifiers],
        "generator": [g.id for g in electrical.generators],
        "apu": apu,
        "loop": [loop.id for loop in airframe.fire.loops],
        "bulb": airframe.lamps,
        "fuel": [pump.id for pump in airframe.fuel.pumps],
        "display": airframe.instruments,
        "hydraulic": [pump.id for pump in airframe.hydraulics.pumps],
        "duct": [duct.id for duct in airframe.air.ducts],
        "engine": [engine.id for engine in airframe.engines],
        "inertial": [unit.id for unit in airframe.inertial],
        "aircraft": ["aircraft"],
        "transfer": [source.id for source in electrical.sources],
        "load": [load.id for load in electrical.loads],
        "service": [service.id for service in airframe.services],
    }
    return groups


def check_papers(exercise: Exercise, airframe: Airframe, checker: Checker) -> None:
    """A paper value that is to be entered names an entry that can take it."""
    for n, paper in enumerate(exercise.papers):
        for m, line in enumerate(paper.lines):
            if line.entry is None:
                continue
            path: Path_ = ("papers", n, "lines", m)
            entries = [name for name, control in airframe.controls.items() if control.kind == "entry"]
            if checker.known((*path, "entry"), "entry", line.entry, entries):
                entry = airframe.controls[line.entry]
                least, most = entry.minimum or 0.0, entry.maximum or 0.0
                if isinstance(line.value, str) or not least <= line.value <= most:
                    checker.wrong((*path, "value"), f"{entry.name} takes {least:g} to {most:g}, so not {line.value!r}")


def check_faults(exercise: Exercise, airframe: Airframe, checker: Checker) -> None:
    """Every fault is about something there is, and arms in one way."""
    targets = fault_targets(airframe)
    checker.unique(("faults",), "fault", [fault.id for fault in exercise.faults])
    for n, known in enumerate(exercise.start.out_of_service):
        where: Path_ = ("start", "out_of_service", n, "target")
        checker.known(where, f"target for {known.kind}", known.target, targets[known.kind.split("_")[0]])
    for n, fault in enumerate(exercise.faults):
        path: Path_ = ("faults", n)
        group = fault.kind.split("_")[0]
        checker.known((*path, "target"), f"target for {fault.kind}", fault.target, targets[group])
        if fault.at is not None and fault.when is not None:
            checker.wrong(path, "arms either `at` a time or `when` a state is there, not both")
        for key in ("when", "clear_when"):
            if (text := getattr(fault, key)) is not None:
                checker.truth((*path, key), text, over_time=False, logic=True)
