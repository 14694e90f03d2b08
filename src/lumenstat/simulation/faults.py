"""What goes wrong: faults armed at a time or with a state, and cleared likewise.

Active faults are a mapping of (kind, target) to an amount, which units ask. What a kind of fault does besides, its
system says: whether it changes the network, which state it makes true.
"""

from __future__ import annotations

from collections.abc import Callable

from lumenstat.documents.exercise import Fault
from lumenstat.errors import ActionRefused
from lumenstat.language.expressions import parse
from lumenstat.language.values import nearest
from lumenstat.language.wording import phrase
from lumenstat.simulation.plan import Plan
from lumenstat.systems.terms import Discrete, ticks
from lumenstat.systems.unit import Host


class FaultBoard:
    """The faults of an exercise on one aircraft. Event targets: 2n arms fault n, 2n + 1 clears it."""

    def __init__(self, plan: Plan, host: Host, faults: tuple[Fault, ...], rewire: Callable[[], None]) -> None:
        """`rewire` makes the network anew with the faults that there are."""
        self._plan, self._host, self._rewire = plan, host, rewire
        self.faults = faults
        self.numbers = {fault.id: n for n, fault in enumerate(faults)}
        self.active: dict[tuple[str, str], float] = {}
        self.changes = 0
        self.spent = [False] * len(faults)
        self._states = self._compile()
        priority = plan.fault_priority
        for n, fault in enumerate(faults):
            if fault.at is not None:
                host.schedule(priority, 2 * n, ticks(fault.at))
            if fault.clear_at is not None:
                host.schedule(priority, 2 * n + 1, ticks(fault.clear_at))

    def _compile(self) -> Callable[[list[Discrete]], tuple[tuple[bool, bool], ...]]:
        emitter = self._plan.emitter()
        rows = [
            f"({emitter.truth(parse(f.when or 'false'))}, {emitter.truth(parse(f.clear_when or 'false'))}),"
            for f in self.faults
        ]
        # A tuple of pairs for all of them costs one call each time logic settles.
        source = f"def states(d):\n    return ({' '.join(rows)})\n"
        found: Callable[[list[Discrete]], tuple[tuple[bool, bool], ...]] = self._plan.function(source, "states")
        return found

    def number(self, name: str) -> int:
        """The number of a fault by its id. Raises ActionRefused where there is none."""
        if name not in self.numbers:
            raise ActionRefused(
                phrase(
                    "there is no fault {name} in this exercise{numbers}",
                    name=repr(name),
                    numbers=nearest(name, list(self.numbers)),
                )
            )
        return self.numbers[name]

    def add(self, fault: Fault) -> None:
        """Know one more fault from here on, or another of the same id; it arms by its state or by hand."""
        known = self.numbers.get(fault.id)
        if known is not None and self.faults[known] == fault:
            return
        self.faults = (*self.faults, fault)
        self.numbers[fault.id] = len(self.faults) - 1
        self.spent.append(False)
        self._states = self._compile()

    def settle(self) -> None:
        """Arm and clear what states ask for; each fault arms by its state once."""
        if not self.faults:
            return
        for n, (arms, clears) in enumerate(self._states(self._host.d)):
            # A fault that waits for a state strikes once, or it would come back as soon as it was cleared.
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
        amount = fault.amount if fault.amount is not None else self._plan.fault_kinds[fault.kind].usual
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
        kind = self._plan.fault_kinds[fault.kind]
        if kind.rewires:
            self._rewire()
        if kind.flag is not None:
            slot = self._plan.d.numbers[kind.flag.format(fault.target)]
            self._host.d[slot] = self.has(fault.kind, fault.target)

    # ---- snapshot ----------------------------------------------------------------------------------------

    def snapshot(self) -> tuple[object, ...]:
        """Which are known, which are there and which have struck, to be restored."""
        return dict(self.active), list(self.spent), self.faults

    def restore(self, memory: tuple[object, ...]) -> None:
        """Go back to a memory; what was added since is not known any more."""
        active, spent, faults = memory
        self.active, self.spent = dict(active), list(spent)  # type: ignore[call-overload]
        if faults != self.faults:
            self.faults = tuple(faults)  # type: ignore[arg-type]
            self.numbers = {fault.id: n for n, fault in enumerate(self.faults)}
            self._states = self._compile()
        self.changes += 1
        self._rewire()
