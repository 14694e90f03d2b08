"""Rectifiers: AC in, DC out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Fraction, Name, Part, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.network.solving import GROUND, Branch
from lumenstat.systems.electrical.ac_names import NO_SOURCE, root
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, DcPath, FaultKind, RectifiedDraw, RiserJoint
from lumenstat.systems.unit import OFF_VOLTS, Host, Unit


class Rectifier(Part):
    """AC in, DC out: never takes current back, and holds its current at the limit."""

    input: Name
    output: Name
    volts: Positive
    resistance_mohm: Positive
    limit_amps: Positive
    efficiency: Fraction = 0.88


class RectifiersSection(Written):
    """The rectifiers of an aircraft."""

    rectifiers: tuple[Rectifier, ...] = ()


class Rectifiers(System):
    """All rectifiers."""

    SECTION = RectifiersSection
    FAULTS = (FaultKind("rectifier_failed", phrase("rectifier failed")),)

    def __init__(self, rectifiers: tuple[Rectifier, ...]) -> None:
        self.rectifiers = rectifiers

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all rectifiers."""
        yield cls(airframe.section(RectifiersSection).rectifiers)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """From an AC bus to a DC bus."""
        rectifiers = airframe.section(RectifiersSection).rectifiers
        checker.unique(("electrical", "rectifiers"), "part", [each.id for each in rectifiers])
        for n, rectifier in enumerate(rectifiers):
            checker.refers(("electrical", "rectifiers", n, "input"), "AC bus", rectifier.input)
            checker.refers(("electrical", "rectifiers", n, "output"), "DC bus", rectifier.output)

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterator[DcPath]:
        """Each is a source on its output."""
        for each in airframe.section(RectifiersSection).rectifiers:
            yield DcPath(None, each.output, each.resistance_mohm / 1000)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Rectifiers."""
        return {"rectifier_failed": {each.id: each.name for each in airframe.section(RectifiersSection).rectifiers}}

    def quantities(self) -> Iterator[Quantity]:
        """Current out."""
        for each in self.rectifiers:
            yield Quantity(f"rectifier.{each.id}.amps", "A", "number", phrase("current out of {each}", each=each.name))

    def riser_joints(self) -> Iterator[RiserJoint]:
        """One each."""
        for each in self.rectifiers:
            ends = each.input, each.output
            amps = f"rectifier.{each.id}.amps"
            yield RiserJoint("rectifier", each.id, each.name, ends, amps, amps)

    def branches(self) -> Iterator[BranchName]:
        """One each, from ground."""
        for each in self.rectifiers:
            yield BranchName(f"rectifier.{each.id}", has_emf=True)

    def rectified(self) -> Iterator[RectifiedDraw]:
        """What each takes from its AC bus for what it gives."""
        for each in self.rectifiers:
            yield RectifiedDraw(f"rectifier.{each.id}", each.input, each.output, each.efficiency)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Amps of the branches."""
        for each in self.rectifiers:
            yield f"rectifier.{each.id}.amps", layout.code("amps", f"rectifier.{each.id}")

    def unit(self, host: Host, start: Sections, number: int) -> RectifiersUnit:
        """The rectifiers of one aircraft."""
        return RectifiersUnit(host, number, self.rectifiers)


class RectifiersUnit(Unit):
    """Rectifiers give their volts while their bus is alive and fed."""

    def __init__(self, host: Host, number: int, rectifiers: tuple[Rectifier, ...]) -> None:
        super().__init__(host, number)
        self._rectifiers = rectifiers
        d = host.layout.d
        self._inputs_at = [(each, d[alive(each.input)], d[root(each.input)]) for each in rectifiers]
        self.held_by = tuple(name for each in rectifiers for name in (alive(each.input), root(each.input)))

    def wiring(self) -> list[Branch]:
        """From ground, bounded by the limit."""
        nodes = self.host.layout.nodes
        # At its limit it becomes a source of current: the bus sags, as it does when a battery too empty hangs
        # on it.
        return [Branch(GROUND, nodes[r.output], 1000 / r.resistance_mohm, 0.0, r.limit_amps) for r in self._rectifiers]

    def hold(self, watts: Mapping[str, float]) -> object:
        """Which of them give volts."""
        d, failed = self.host.d, self.host.faults.has
        on = tuple(
            # A bus can still be alive by hysteresis for the moment in which its source has gone.
            d[bus] is True and d[fed] != NO_SOURCE and not failed("rectifier_failed", each.id)
            for each, bus, fed in self._inputs_at
        )
        self.emf = [each.volts if each_on else OFF_VOLTS for each, each_on in zip(self._rectifiers, on, strict=True)]
        return on
