"""What goes wrong: faults armed at a time or with a state, and cleared likewise.

Active faults are a mapping of (kind, target) to an amount; the rest of the model asks it, or is told by `changed`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from lumenstat.documents.exercise import Fault
from lumenstat.documents.expressions import parse
from lumenstat.simulation.calendar import Priority
from lumenstat.simulation.plan import Discrete, ticks

if TYPE_CHECKING:
    from lumenstat.simulation.aircraft import Aircraft

USUAL_AMOUNT = {
    "battery_weak": 4.0,
    "diode_leaks": 6.0,
    "supply_out_of_tolerance": 421.0,
    "apu_hung": 0.45,
    "engine_hung": 0.5,
    "engine_hot": 1.7,
    "duct_low": 0.55,
}
REBUILDS = ("battery_weak", "diode_leaks", "limiter_failed")


class FaultBoard:
    """The faults of an exercise on one aircraft. Event targets: 2n arms fault n, 2n + 1 clears it."""

    def __init__(self, aircraft: Aircraft, faults: tuple[Fault, ...]) -> None:
        self.aircraft = aircraft
        self.faults = faults
        self.numbers = {fault.id: n for n, fault in enumerate(faults)}
        self.active: dict[tuple[str, str], float] = {}
        self.changes = 0
        self.spent = [False] * len(faults)
        self._states = self._compile()
        for n, fault in enumerate(faults):
            if fault.at is not None:
                aircraft.calendar.add(ticks(fault.at), Priority.FAULT, 2 * n)
            if fault.clear_at is not None:
                aircraft.calendar.add(ticks(fault.clear_at), Priority.FAULT, 2 * n + 1)

    def _compile(self) -> Callable[[list[Discrete]], tuple[tuple[bool, bool], ...]]:
        emitter = self.aircraft.plan.emitter()
        rows = [
            f"({emitter.truth(parse(f.when or 'false'))}, {emitter.truth(parse(f.clear_when or 'false'))}),"
            for f in self.faults
        ]
        source = f"def states(d):\n    return ({' '.join(rows)})\n"
        found: Callable[[list[Discrete]], tuple[tuple[bool, bool], ...]] = self.aircraft.plan.function(source, "states")
        return found

    def settle(self) -> None:
        """Arm and clear what states ask for; each fault arms by its state once."""
        if not self.faults:
            return
        for n, (arms, clears) in enumerate(self._states(self.aircraft.d)):
            if arms and not self.spent[n]:
                self.spent[n] = True
                self.arm(n)
            if clears and self.is_active(n):
                self.clear(n)

    def is_active(self, n: int) -> bool:
        """Whether fault n is there now."""
        return (self.faults[n].kind, self.faults[n].target) in self.active

    def arm(self, n: int) -> None:
        """Fault n begins."""
        fault = self.faults[n]
        amount = fault.amount if fault.amount is not None else USUAL_AMOUNT.get(fault.kind, 1.0)
        self.active[fault.kind, fault.target] = amount
        self._changed(fault)

    def clear(self, n: int) -> None:
        """Fault n is gone."""
        fault = self.faults[n]
        if self.active.pop((fault.kind, fault.target), None) is not None:
            self._changed(fault)

    def fire(self, target: int) -> None:
        """The time of a fault has come."""
        if target % 2:
            self.clear(target // 2)
        else:
            self.arm(target // 2)

    def has(self, kind: str, target: str) -> bool:
        """Whether such a fault is there now."""
        return (kind, target) in self.active

    def use_up(self, kind: str, target: str) -> bool:
        """Whether such a fault is there; it strikes once and is gone."""
        self.changes += 1
        return self.active.pop((kind, target), None) is not None

    def _changed(self, fault: Fault) -> None:
        self.changes += 1
        if fault.kind in REBUILDS:
            self.aircraft.flows.rebuild(self.active)
        there = self.has(fault.kind, fault.target)
        slots = self.aircraft.plan.d.numbers
        flags = {
            "bulb_dead": f"bulb.{fault.target}",
            "display_dead": f"dead.{fault.target}",
            "battery_hot": f"battery.{fault.target}.hot",
        }
        if fault.kind in flags:
            self.aircraft.d[slots[flags[fault.kind]]] = there
