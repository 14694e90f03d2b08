"""Fire detector loops and bottles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind
from lumenstat.systems.unit import Host, Unit


class FireLoop(Part):
    """A detector loop; whole unless a fault opens it."""

    bus: Name


class Bottle(Part):
    """A fire bottle: full until it is fired with its squib's bus alive."""

    bus: Name
    fires_when: ExpressionText


class FirePart(Written):
    """Detectors and bottles."""

    loops: tuple[FireLoop, ...] = ()
    bottles: tuple[Bottle, ...] = ()


class FireSection(Written):
    """The fire protection of an aircraft."""

    fire: FirePart = FirePart()


class Fire(System):
    """All fire protection."""

    SECTION = FireSection
    FAULTS = (FaultKind("loop_open", phrase("open fire loop")),)

    def __init__(self, part: FirePart) -> None:
        self.part = part

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all loops and bottles."""
        yield cls(airframe.section(FireSection).fire)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Everything on a bus."""
        part = airframe.section(FireSection).fire
        for n, loop in enumerate(part.loops):
            checker.refers(("fire", "loops", n, "bus"), "bus", loop.bus)
        for n, bottle in enumerate(part.bottles):
            checker.refers(("fire", "bottles", n, "bus"), "bus", bottle.bus)
            checker.logic(("fire", "bottles", n, "fires_when"), bottle.fires_when)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Loops."""
        return {"loop_open": {loop.id: loop.name for loop in airframe.section(FireSection).fire.loops}}

    def quantities(self) -> Iterator[Quantity]:
        """Whole loops, full bottles."""
        for loop in self.part.loops:
            yield Quantity(f"loop.{loop.id}.intact", "", "truth", phrase("{loop} is whole and powered", loop=loop.name))
        for bottle in self.part.bottles:
            yield Quantity(f"bottle.{bottle.id}.full", "", "truth", phrase("{bottle} is full", bottle=bottle.name))

    def conditions(self) -> list[str]:
        """When each bottle is fired."""
        return [f"alive(bus.{bottle.bus}) and ({bottle.fires_when})" for bottle in self.part.bottles]

    def unit(self, host: Host, start: Sections, number: int) -> FireUnit:
        """The fire protection of one aircraft."""
        return FireUnit(host, number, self.part)


class FireUnit(Unit):
    """Loops and bottles of one aircraft."""

    def __init__(self, host: Host, number: int, part: FirePart) -> None:
        super().__init__(host, number)
        d = host.layout.d
        self._loops = [(d[f"loop.{loop.id}.intact"], d[alive(loop.bus)], loop.id) for loop in part.loops]
        self._bottles = [d[f"bottle.{bottle.id}.full"] for bottle in part.bottles]
        for slot in self._bottles:
            host.d[slot] = True

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Loops are whole while powered; a bottle that was fired stays empty."""
        d, faults = self.host.d, self.host.faults
        for slot, bus, name in self._loops:
            d[slot] = d[bus] is True and not faults.has("loop_open", name)
        for slot, fired in zip(self._bottles, conditions, strict=True):
            # A squib fires once; what was in the bottle does not come back with the switch.
            if fired:
                d[slot] = False
