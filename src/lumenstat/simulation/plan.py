"""An airframe document compiled once: flat slots, and its logic as one generated function.

Discrete state lives in one list `d` (control positions, contactors, comparators, services ...), figures in one list
`a` (volts, amps, degrees ...). Logic reads `d` only; lamps, instruments and watched expressions read both.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from graphlib import TopologicalSorter
from typing import Any

from lumenstat.documents.airframe import Airframe, Instrument
from lumenstat.documents.checking import feeding_graph
from lumenstat.documents.expressions import NULL_SAFE, Emitter, Quantity, parse
from lumenstat.documents.quantities import quantities_of

Discrete = str | float | bool
Logic = Callable[[list[Discrete]], tuple[tuple[bool, ...], ...]]
TICKS_PER_SECOND = 100


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
        self.quantities: dict[str, Quantity] = quantities_of(airframe)
        self.d = Slots()
        self.a = Slots()
        self.constants: list[str] = []
        self.dc = [bus for bus in airframe.electrical.buses if bus.kind == "dc"]
        self.ac = [bus for bus in airframe.electrical.buses if bus.kind == "ac"]
        self.node = {bus.id: index for index, bus in enumerate(self.dc)}
        self.ac_order = self._ac_in_feeding_order()
        self.codes = self._codes()
        self.comparators = self._comparators()
        self.logic_source = self._logic_source()
        self.logic: Logic = self.function(self.logic_source, "logic")

    def _ac_in_feeding_order(self) -> list[str]:
        order = TopologicalSorter(feeding_graph(self.airframe)).static_order()
        return [*order, *(bus.id for bus in self.ac if bus.id not in self.airframe.electrical.feeding)]

    def emitter(self, timed: Callable[[str, str, float, bool], str] | None = None) -> Emitter:
        """An emitter of code over this plan's slots."""
        return Emitter(self.quantities, self.codes.__getitem__, self.constants, timed)

    def function(self, source: str, name: str) -> Any:
        """Run generated source and take the function of that name out of it."""
        space: dict[str, Any] = {"S": self.constants, **NULL_SAFE}
        exec(compile(source, f"<{self.airframe.id} {name}>", "exec"), space)  # noqa: S102 - our own generated slots
        return space[name]

    def _codes(self) -> dict[str, str]:
        """For every quantity the code that reads it."""
        codes: dict[str, str] = {}
        discrete = (".alive", ".ready", ".available", ".shut", ".moving", ".disagrees", ".running", ".fed_by")
        prefixes = ("control.", "comparator.", "service.", "guard.")
        for name, quantity in self.quantities.items():
            if name.startswith(("instrument.", "lamp.")):
                continue
            is_discrete = name.endswith(discrete) or name.startswith(prefixes)
            codes[name] = f"d[{self.d[name]}]" if is_discrete else f"a[{self.a[name]}]"
            assert is_discrete or quantity.kind == "number", name
        self.codes = codes
        for instrument in self.airframe.instruments.values():
            alive = f"d[{self.d[f'bus.{instrument.bus}.alive']}]" if instrument.bus else "True"
            codes[f"instrument.{instrument.id}.alive"] = alive
            codes[f"instrument.{instrument.id}.reads"] = self._reading_code(instrument, alive)
        for lamp in self.airframe.lamps.values():
            alive = f"d[{self.d[f'bus.{lamp.bus}.alive']}]"
            codes[f"lamp.{lamp.id}.alive"] = alive
            codes[f"lamp.{lamp.id}"] = f"({alive} and {self.emitter().truth(parse(lamp.when))})"
        return codes

    def _reading_code(self, instrument: Instrument, alive: str) -> str:
        shown = "None"
        if instrument.shows is not None:
            shown = self.codes[instrument.shows]
        for position, name in reversed(instrument.by_position.items()):
            self.constants.append(position)
            selected = f"d[{self.d[f'control.{instrument.selector}']}] == S[{len(self.constants) - 1}]"
            shown = f"{self.codes[name]} if {selected} else {shown}"
        visible = alive
        if instrument.dimmer is not None:
            slot = self.d[f"control.{instrument.dimmer}"]
            first = len(self.constants)
            self.constants.extend(instrument.visible_at)
            bright = " or ".join(f"d[{slot}] == S[{n}]" for n in range(first, len(self.constants)))
            visible = f"({alive} and ({bright or 'False'}))"
        return f"(({shown}) if {visible} else None)"

    def _comparators(self) -> list[Comparator]:
        found = [
            Comparator(self.a[f"bus.{b.id}.volts"], self.d[f"bus.{b.id}.alive"], b.alive_above, b.dead_below)
            for b in self.airframe.electrical.buses
        ]
        for c in self.airframe.comparators:
            found.append(Comparator(self.a[c.quantity], self.d[f"comparator.{c.id}"], c.on_above, c.off_below))
        for s in self.airframe.hydraulics.surfaces:
            found.append(
                Comparator(
                    self.a[f"hydraulic.{s.system}.psi"],
                    self.d[f"pressed.{s.id}"],
                    s.moves_above_psi,
                    s.moves_above_psi * 0.9,
                )
            )
        return found

    def _logic_source(self) -> str:
        """The generated logic: one tuple each for contactors, plugs, offers, loads and pumps."""
        electrical = self.airframe.electrical
        groups: list[tuple[str, list[str]]] = [
            ("contactors", [c.closes_when for c in electrical.contactors]),
            ("plugged", [s.plugged_when for s in electrical.ground_supplies]),
            ("offered", [i.offered_when for i in electrical.inverters]),
            (
                "feeds",
                [feed.when or "true" for bus in self.ac_order for feed in electrical.feeding.get(bus, ())],
            ),
            ("loads", [load.when or "true" for load in electrical.loads]),
            ("pumps", [f"alive(bus.{p.bus}) and ({p.when})" for p in self.airframe.hydraulics.pumps]),
        ]
        emitter = self.emitter()
        lines = ["def logic(d):", "    return ("]
        for name, texts in groups:
            lines.append(f"        (  # {name}")
            lines += [f"            {emitter.truth(parse(text))}," for text in texts]
            lines.append("        ),")
        return "\n".join([*lines, "    )", ""])


@lru_cache(maxsize=32)
def _plan_of_text(airframe_json: str) -> Plan:
    return Plan(Airframe.model_validate_json(airframe_json))


def plan_for(airframe: Airframe) -> Plan:
    """The compiled airframe, made once for each document and shared by every run on it."""
    return _plan_of_text(airframe.model_dump_json(by_alias=True))
