"""An airframe document compiled once: flat slots, and its logic as one generated function.

Discrete state lives in one list `d` (control positions, contactors, comparators, services ...), figures in one list
`a` (volts, amps, degrees ...). Logic reads `d` only; lamps, instruments and watched expressions read both.
"""

from __future__ import annotations

import linecache
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from graphlib import TopologicalSorter
from itertools import count
from typing import Any, NamedTuple
from weakref import ReferenceType, finalize, ref

from lumenstat.documents.airframe import Airframe, Instrument
from lumenstat.documents.checking import feeding_graph
from lumenstat.documents.engines import Engine
from lumenstat.documents.expressions import NULL_SAFE, Constants, Emitter, Quantity, parse
from lumenstat.documents.quantities import quantities_of
from lumenstat.simulation.comparing import ENGINE_STATES, apu_comparators, engine_comparators
from lumenstat.simulation.figures import Figures, figure_table, figures_source

Discrete = str | float | bool
Logic = Callable[[list[Discrete]], "Answers"]
Reader = Callable[[list[Discrete], list[float]], Discrete | None]
Flipped = Callable[[list[Discrete], list[float]], list[tuple[int, bool]]]


class Answers(NamedTuple):
    """What the generated logic answers: a yes or no for each part of a group, in document order."""

    contactors: tuple[bool, ...]
    plugged: tuple[bool, ...]
    offered: tuple[bool, ...]
    supplies: tuple[bool, ...]
    feeds: tuple[bool, ...]
    loads: tuple[bool, ...]
    pumps: tuple[bool, ...]
    fuel_pumps: tuple[bool, ...]
    air_sources: tuple[bool, ...]
    air_takers: tuple[bool, ...]
    air_valves: tuple[bool, ...]
    bottles: tuple[bool, ...]
    timers: tuple[bool, ...]
    latch_sets: tuple[bool, ...]
    latch_resets: tuple[bool, ...]
    apu: tuple[bool, ...]
    engines: tuple[tuple[bool, ...], ...]
    inertial: tuple[tuple[bool, ...], ...]
    inertial_modes: tuple[tuple[bool, ...], ...]
    motion: tuple[bool, ...]
    heard: tuple[bool, ...]
    needs: tuple[tuple[bool, ...], ...]


class EngineAnswers(NamedTuple):
    """What is asked of one engine."""

    crank: bool
    fuel: bool
    ignition: bool
    feathered: bool
    motor: bool


class InertialAnswers(NamedTuple):
    """What is asked of one inertial unit."""

    on: bool
    navigate: bool
    entered: bool
    cooled: bool


TICKS_PER_SECOND = 100
_generated = count(1)


def ticks(seconds: float) -> int:
    """Seconds as whole ticks of 10 ms, at least one for anything above zero."""
    return max(round(seconds * TICKS_PER_SECOND), 1) if seconds > 0 else 0


@dataclass(frozen=True, slots=True)
class Comparator:
    """Reads the figure in slot `a`, writes yes or no to slot `d`."""

    a: int
    d: int
    on_above: float
    off_below: float


@dataclass
class Slots:
    """Names given numbers, in the order they are asked for."""

    numbers: dict[str, int] = field(default_factory=dict)

    def __getitem__(self, name: str) -> int:
        return self.numbers.setdefault(name, len(self.numbers))

    def __len__(self) -> int:
        return len(self.numbers)


class Plan:
    """A compiled airframe, shared by every run on it."""

    def __init__(self, airframe: Airframe) -> None:
        self.airframe = airframe
        self.controls, self.instruments = airframe.controls, airframe.instruments
        self.quantities: dict[str, Quantity] = quantities_of(airframe)
        self.d = Slots()
        self.a = Slots()
        self.constants = Constants()
        self._readers: dict[str, Reader] = {}
        self.compiled: dict[object, Any] = {}
        self.dc = [bus for bus in airframe.electrical.buses if bus.kind == "dc"]
        self.ac = [bus for bus in airframe.electrical.buses if bus.kind == "ac"]
        self.node = {bus.id: index for index, bus in enumerate(self.dc)}
        self.ac_order = self._ac_in_feeding_order()
        self.starters = [engine.id for engine in airframe.engines if engine.starter is not None]
        if airframe.apu is not None:
            self.starters.insert(0, airframe.apu.id)
        self.codes = self._codes()
        self.comparators = self._comparators()
        self.comparator_of = {comparator.d: comparator for comparator in self.comparators}
        self.logic_source = self._logic_source()
        self.logic: Logic = self.function(self.logic_source, "logic")
        self.flipped: Flipped = self.function(self._flipped_source(), "flipped")
        self.figures: Figures = self.function(figures_source(airframe), "figures")

    def _ac_in_feeding_order(self) -> list[str]:
        order = TopologicalSorter(feeding_graph(self.airframe)).static_order()
        return [*order, *(bus.id for bus in self.ac if bus.id not in self.airframe.electrical.feeding)]

    def emitter(self, timed: Callable[[str, str, float, bool], str] | None = None) -> Emitter:
        """An emitter of code over this plan's slots."""
        return Emitter(self.quantities, self.codes.__getitem__, self.constants, timed)

    def function(self, source: str, name: str) -> Any:
        """Run generated source and take the function of that name out of it; a traceback through it shows its lines."""
        space: dict[str, Any] = {"S": self.constants, "answers": Answers._make, **NULL_SAFE}
        file = f"<{self.airframe.id} {name} {next(_generated)}>"
        linecache.cache[file] = (len(source), None, source.splitlines(keepends=True), file)
        exec(compile(source, file, "exec"), space)  # noqa: S102 - our own generated slots
        finalize(space[name], linecache.cache.pop, file, None)
        return space[name]

    def reader(self, name: str) -> Reader:
        """A generated function of `d` and `a` that gives one quantity."""
        if name not in self._readers:
            self._readers[name] = self.function(f"def read(d, a):\n    return {self.codes[name]}\n", "read")
        return self._readers[name]

    def _codes(self) -> dict[str, str]:
        """For every quantity the code that reads it."""
        codes: dict[str, str] = {}
        for name, _ in figure_table(self.airframe):
            _ = self.a[name]
        for name, quantity in self.quantities.items():
            if name.startswith(("instrument.", "lamp.")):
                continue
            is_figure = quantity.kind == "number" and not name.startswith(("control.", "start."))
            codes[name] = f"a[{self.a.numbers[name]}]" if is_figure else f"d[{self.d[name]}]"
        self.codes = codes
        for instrument in self.airframe.instruments.values():
            alive = f"d[{self.d[f'bus.{instrument.bus}.alive']}]" if instrument.bus else "True"
            alive = f"({alive} and not d[{self.d[f'dead.{instrument.id}']}])"
            if instrument.boot_seconds:
                alive = f"({alive} and d[{self.d[f'boot.{instrument.id}']}])"
            codes[f"instrument.{instrument.id}.alive"] = alive
            codes[f"instrument.{instrument.id}.reads"] = self._reading_code(instrument, alive)
        for lamp in self.airframe.lamps.values():
            alive = f"d[{self.d[f'bus.{lamp.bus}.alive']}]"
            codes[f"lamp.{lamp.id}.alive"] = alive
            lit = f"{alive} and not d[{self.d[f'bulb.{lamp.id}']}]"
            if lamp.quiet_seconds:
                lit += f" and d[{self.d[f'quiet.{lamp.id}']}]"
            codes[f"lamp.{lamp.id}"] = f"({lit} and {self.emitter().truth(parse(lamp.when))})"
        return codes

    def _reading_code(self, instrument: Instrument, alive: str) -> str:
        shown = "None"
        if instrument.shows is not None:
            shown = self.codes[instrument.shows]
        for position, name in reversed(instrument.by_position.items()):
            number = self.constants.number(position)
            selected = f"d[{self.d[f'control.{instrument.selector}']}] == S[{number}]"
            shown = f"{self.codes[name]} if {selected} else {shown}"
        if instrument.test_control is not None and instrument.test_reads is not None:
            control = self.airframe.controls[instrument.test_control]
            number = self.constants.number(control.positions[1])
            held = f"d[{self.d[f'control.{control.id}']}] == S[{number}]"
            shown = f"{float(instrument.test_reads)!r} if {held} else ({shown})"
        visible = alive
        if instrument.dimmer is not None:
            slot = self.d[f"control.{instrument.dimmer}"]
            numbers = [self.constants.number(position) for position in instrument.visible_at]
            bright = " or ".join(f"d[{slot}] == S[{n}]" for n in numbers)
            visible = f"({alive} and ({bright or 'False'}))"
        return f"(({shown}) if {visible} else None)"

    def _comparators(self) -> list[Comparator]:
        found = [
            Comparator(self.a[f"bus.{b.id}.volts"], self.d[f"bus.{b.id}.alive"], b.alive_above, b.dead_below)
            for b in self.airframe.electrical.buses
        ]
        for c in self.airframe.comparators:
            found.append(Comparator(self.a.numbers[c.quantity], self.d[f"comparator.{c.id}"], c.on_above, c.off_below))
        for s in self.airframe.hydraulics.surfaces:
            found.append(
                Comparator(
                    self.a[f"hydraulic.{s.system}.psi"],
                    self.d[f"pressed.{s.id}"],
                    s.moves_above_psi,
                    s.moves_above_psi * 0.9,
                )
            )
        for generator in self.airframe.electrical.generators:
            most = generator.overload_percent
            load = self.a.numbers[f"source.{generator.id}.load"]
            found.append(Comparator(load, self.d[f"overload.{generator.id}"], most, most * 0.9))
        rows = apu_comparators(self.airframe)
        _ = self.d["apu.charged"]
        for engine in self.airframe.engines:
            for name in ENGINE_STATES:
                _ = self.d[f"engine.{engine.id}.{name}"]
            rows += engine_comparators(engine)
        return found + [Comparator(self.a.numbers[name], self.d[slot], on, off) for name, slot, on, off in rows]

    def _flipped_source(self) -> str:
        """Generated: which comparators have to change at these figures, as (slot, new value)."""
        lines = ["def flipped(d, a):", "    found = []"]
        for c in self.comparators:
            lines.append(
                f"    if a[{c.a}] < {float(c.off_below)!r} if d[{c.d}] else a[{c.a}] >= {float(c.on_above)!r}:"
            )
            lines.append(f"        found.append(({c.d}, not d[{c.d}]))")
        return "\n".join([*lines, "    return found", ""])

    @property
    def answers_count(self) -> int:
        """How many expressions the generated logic evaluates in one pass."""
        return self.logic_source.count("            ") - 1

    @property
    def timers(self) -> list[tuple[str, str, float]]:
        """Name of the slot, expression and seconds of every timer, those of lamps and displays included."""
        airframe = self.airframe
        found = [(f"timer.{t.id}", t.when, t.seconds) for t in airframe.timers]
        found += [(f"gyro.{g.id}.erect", f"alive(bus.{g.bus})", g.erect_seconds) for g in airframe.gyros]
        for lamp in airframe.lamps.values():
            if lamp.quiet_seconds:
                found.append((f"quiet.{lamp.id}", f"alive(bus.{lamp.bus})", lamp.quiet_seconds))
        for each in airframe.instruments.values():
            if each.boot_seconds and each.bus:
                found.append((f"boot.{each.id}", f"alive(bus.{each.bus})", each.boot_seconds))
        return found

    def _logic_source(self) -> str:
        """The generated logic: one tuple of answers for each group, in the order of `Answers`."""
        airframe = self.airframe
        electrical, apu = airframe.electrical, airframe.apu
        groups: dict[str, list[str]] = {
            "contactors": [c.closes_when for c in electrical.contactors],
            "plugged": [s.plugged_when for s in electrical.ground_supplies],
            "offered": [i.offered_when for i in electrical.inverters] + [g.offered_when for g in electrical.generators],
            "supplies": [s.when for s in electrical.dc_supplies],
            "feeds": [feed.when or "true" for bus in self.ac_order for feed in electrical.feeding.get(bus, ())],
            "loads": [load.when or "true" for load in electrical.loads],
            "pumps": [f"alive(bus.{p.bus}) and ({p.when})" if p.bus else p.when for p in airframe.hydraulics.pumps],
            "fuel_pumps": [f"alive(bus.{p.bus}) and ({p.when})" for p in airframe.fuel.pumps],
            "air_sources": [port.when for port in airframe.air.sources],
            "air_takers": [port.when for port in airframe.air.takers],
            "air_valves": [valve.when for valve in airframe.air.valves],
            "bottles": [f"alive(bus.{b.bus}) and ({b.fires_when})" for b in airframe.fire.bottles],
            "timers": [when for _, when, _ in self.timers],
            "latch_sets": [latch.set_when for latch in airframe.latches],
            "latch_resets": [latch.reset_when for latch in airframe.latches],
            "apu": [apu.run_when, apu.start_when] if apu else [],
        }
        nested: dict[str, list[list[str]]] = {
            "engines": [_asked_of_engine(engine) for engine in airframe.engines],
            "inertial": [
                [unit.on_when, unit.navigate_when, unit.entered_when, unit.cooled_when or "true"]
                for unit in airframe.inertial
            ],
            "inertial_modes": [[mode.when for mode in unit.modes] for unit in airframe.inertial],
        }
        last: dict[str, list[str]] = {
            "motion": [airframe.moves_when or "false"],
            "heard": [service.heard_when or "true" for service in airframe.services],
        }
        needs = {"needs": [[action.needs or "true" for action in s.actions] for s in airframe.services]}
        assert (*groups, *nested, *last, *needs) == Answers._fields
        emitter = self.emitter()

        def written(texts: list[str]) -> list[str]:
            return [f"            {emitter.truth(parse(text))}," for text in texts]

        lines = ["def logic(d):", "    return answers(("]
        for each in (groups, nested, last, needs):
            for name, rows in each.items():
                lines.append(f"        (  # {name}")
                for row in rows:
                    lines += (
                        written([row]) if isinstance(row, str) else ["            (", *written(row), "            ),"]
                    )
                lines.append("        ),")
        return "\n".join([*lines, "    ))", ""])


def _asked_of_engine(engine: Engine) -> list[str]:
    ignition, motor = engine.ignition, engine.motor
    return [
        engine.crank_when or "false",
        ignition.fuel_when if ignition else "false",
        ignition.lit_when if ignition else "false",
        engine.output.feathered_when or "false",
        f"alive(bus.{motor.bus}) and ({motor.enabled_when})" if motor else "false",
    ]


@lru_cache(maxsize=32)
def _plan_of_text(airframe_json: str) -> Plan:
    return Plan(Airframe.model_validate_json(airframe_json))


_plans: dict[int, tuple[ReferenceType[Airframe], Plan]] = {}


def plan_for(airframe: Airframe) -> Plan:
    """The compiled airframe, made once for each document and shared by every run on it."""
    number = id(airframe)
    known = _plans.get(number)
    if known is not None and known[0]() is airframe:
        return known[1]
    plan = _plan_of_text(airframe.model_dump_json(by_alias=True))
    _plans[number] = ref(airframe, lambda _: _plans.pop(number, None)), plan
    return plan
