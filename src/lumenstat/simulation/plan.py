"""An airframe compiled once: every place laid out, its logic and outputs as generated functions.

Discrete states live in one list `d` (control positions, contactors, comparators, services ...), outputs in one list `a`
(volts, amps, degrees ...). Logic reads `d` only; lamps, instruments and watched expressions read both.
"""

from __future__ import annotations

import linecache
import re
from collections.abc import Callable, Iterator
from functools import cached_property, lru_cache
from itertools import count
from typing import Any
from weakref import ReferenceType, finalize, ref

from lumenstat.documents.airframe import Airframe
from lumenstat.language.expressions import NULL_SAFE, Constants, Emitter, Quantity
from lumenstat.simulation.compiling import PlacedThreshold, flipped_source, logic_source, outputs_source
from lumenstat.simulation.laying_out import lay_out
from lumenstat.simulation.steps import Steps, kinds_of, steps_of
from lumenstat.systems.layout import Layout, Places
from lumenstat.systems.registry import fault_kinds, systems_of
from lumenstat.systems.terms import Discrete, UsedUp

Logic = Callable[[list[Discrete]], tuple[tuple[bool, ...], ...]]
Reader = Callable[[list[Discrete], list[float]], Discrete | None]
ReaderOfAll = Callable[[list[Discrete], list[float]], tuple[Discrete | None, ...]]
Flipped = Callable[[list[Discrete], list[float]], list[tuple[int, bool]]]
Outputs = Callable[[int, list[float], list[float], list[float], list[float]], list[float]]

_generated = count(1)


ONCE = re.compile(r'"(?:start_when|entered_when)":"((?:[^"\\]|\\.)*)"')
CONTROL = re.compile(r"\bcontrol\.(\w+)")
"""What begins with an edge: a start, an entry; and the controls that it names."""


class Plan:
    """A compiled airframe, shared by every run on it."""

    def __init__(self, airframe: Airframe) -> None:
        self.airframe = airframe
        self.controls, self.instruments = airframe.controls, airframe.instruments
        self.quantities: dict[str, Quantity] = airframe.quantities
        self.systems = systems_of(airframe)
        self.layout: Layout = lay_out(airframe, self.systems, self.quantities)
        self.fault_kinds = fault_kinds()
        self.constants = Constants()
        self._readers: dict[str, Reader] = {}
        self.compiled: dict[object, Any] = {}
        self.dc = [bus for bus in airframe.electrical.buses if bus.kind == "dc"]
        self.codes = self._codes()
        self.thresholds = [
            PlacedThreshold(self.a.numbers[each.output], self.d[each.state], each.on_above, each.off_below)
            for system in self.systems
            for each in system.thresholds()
        ]
        self.threshold_of = {threshold.d: threshold for threshold in self.thresholds}
        self.logic_source = logic_source(self.systems, self.emitter())
        self.logic: Logic = self.function(self.logic_source, "logic")
        self.flipped: Flipped = self.function(flipped_source(self.thresholds), "flipped")
        self.outputs: Outputs = self.function(outputs_source(self.systems, self.layout), "outputs")
        self.read_all: ReaderOfAll = self.function(self._read_all_source(), "read")
        self.steps: Steps = steps_of(kinds_of(self.systems))

    @property
    def d(self) -> Places:
        """The places of discrete states."""
        return self.layout.d

    @property
    def a(self) -> Places:
        """The places of outputs."""
        return self.layout.a

    @cached_property
    def volts_of(self) -> dict[str, str]:
        """Quantities that are the volts of a bus under another name, with that bus."""
        return {name: bus for system in self.systems for name, bus in system.volts_of().items()}

    @cached_property
    def pressed_once(self) -> frozenset[str]:
        """Buttons of which the press alone counts: one that comes too soon is lost, however long it is held."""
        written = self.airframe.model_dump_json(by_alias=True)
        return frozenset(name for text in ONCE.findall(written) for name in CONTROL.findall(text))

    @property
    def rest_volts(self) -> Iterator[tuple[str, str]]:
        """What can be looked at before anything is done: names, and quantities in volts."""
        for system in self.systems:
            yield from system.rest_volts()

    @property
    def used_up(self) -> Iterator[UsedUp]:
        """Everything that is used up."""
        for system in self.systems:
            yield from system.used_up()

    @property
    def fault_priority(self) -> int:
        """The priority of faults in the calendar: after every event of a system."""
        return sum(len(kind.EVENTS) for kind in dict.fromkeys(type(system) for system in self.systems))

    @property
    def answers_count(self) -> int:
        """How many expressions the generated logic evaluates in one pass."""
        return sum(len(system.conditions()) for system in self.systems)

    def emitter(self, timed: Callable[[str, str, float, bool], str] | None = None) -> Emitter:
        """An emitter of code over this plan's places."""
        return Emitter(self.quantities, self.codes.__getitem__, self.constants, timed)

    def function(self, source: str, name: str) -> Any:
        """Run generated source and take the function of that name out of it; a traceback through it shows its lines."""
        space: dict[str, Any] = {"S": self.constants, **NULL_SAFE}
        file = f"<{self.airframe.id} {name} {next(_generated)}>"
        linecache.cache[file] = (len(source), None, source.splitlines(keepends=True), file)
        exec(compile(source, file, "exec"), space)  # noqa: S102 - our own generated places
        # Without it every airframe that a draft ever was would stay in the cache of lines.
        finalize(space[name], linecache.cache.pop, file, None)
        return space[name]

    def reader(self, name: str) -> Reader:
        """A generated function of `d` and `a` that gives one quantity."""
        if name not in self._readers:
            self._readers[name] = self.function(f"def read(d, a):\n    return {self.codes[name]}\n", "read")
        return self._readers[name]

    def _read_all_source(self) -> str:
        lines = ["def read(d, a):", "    return (", *(f"        {self.codes[name]}," for name in self.quantities)]
        return "\n".join([*lines, "    )", ""])

    def _codes(self) -> dict[str, str]:
        """For every quantity the code that reads it: outputs, then states, then what is worked out of them."""
        codes: dict[str, str] = {}
        # Formulas are emitted while the table fills: a later one may use an earlier one.
        self.codes = codes
        for name in self.quantities:
            place = self.a.numbers.get(name)
            if place is not None:
                codes[name] = f"a[{place}]"
            elif name in self.d.numbers:
                codes[name] = f"d[{self.d[name]}]"
        for name, code in self._formulas(codes):
            codes[name] = code
        return codes

    def _formulas(self, codes: dict[str, str]) -> Iterator[tuple[str, str]]:
        for system in self.systems:
            yield from system.formulas(codes, self.layout, self.emitter())


@lru_cache(maxsize=32)
def _plan_of_text(airframe_json: str) -> Plan:
    return Plan(Airframe.model_validate_json(airframe_json))


# By identity, and weakly: a document that nobody holds any more takes its entry with it.
_plans: dict[int, tuple[ReferenceType[Airframe], Plan]] = {}


def plan_for(airframe: Airframe) -> Plan:
    """The compiled airframe, made once for each document and shared by every run on it."""
    number = id(airframe)
    # Found by identity first: writing a document out takes longer than many a short flight.
    known = _plans.get(number)
    if known is not None and known[0]() is airframe:
        return known[1]
    plan = _plan_of_text(airframe.model_dump_json(by_alias=True))
    _plans[number] = ref(airframe, lambda _: _plans.pop(number, None)), plan
    return plan
