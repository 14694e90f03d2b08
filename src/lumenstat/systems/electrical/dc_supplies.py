"""What gives DC to a bus by itself: an alternator with its regulator, a starter-generator, a DC cart."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, PartNumber, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.network.solving import GROUND, Branch
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, DcPath, RiserSource
from lumenstat.systems.unit import OFF_VOLTS, Host, Unit


class DcSupply(Part):
    """Gives DC to a bus while its expression is true: an alternator with its regulator, or a DC ground cart.

    Below `regulated_from_percent` of the engine that drives it, its volts fall with the speed.
    """

    bus: Name
    volts: Positive
    resistance_mohm: Positive
    limit_amps: Positive
    when: ExpressionText
    driven_by: PartNumber | None = None
    regulated_from_percent: Positive = 1.0


class DcSuppliesSection(Written):
    """The DC supplies of an aircraft."""

    dc_supplies: tuple[DcSupply, ...] = ()


class DcSupplies(System):
    """All DC supplies."""

    SECTION = DcSuppliesSection

    def __init__(self, supplies: tuple[DcSupply, ...]) -> None:
        self.supplies = supplies

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all DC supplies."""
        yield cls(airframe.section(DcSuppliesSection).dc_supplies)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """On a DC bus, driven by something that turns."""
        supplies = airframe.section(DcSuppliesSection).dc_supplies
        checker.unique(("electrical", "dc_supplies"), "part", [each.id for each in supplies])
        for n, supply in enumerate(supplies):
            checker.refers(("electrical", "dc_supplies", n, "bus"), "DC bus", supply.bus)
            if supply.driven_by is not None:
                checker.refers(("electrical", "dc_supplies", n, "driven_by"), "engine", supply.driven_by)

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterator[DcPath]:
        """Each is a source on its bus."""
        for each in airframe.section(DcSuppliesSection).dc_supplies:
            yield DcPath(None, each.bus, each.resistance_mohm / 1000)

    def riser_sources(self) -> Iterator[RiserSource]:
        """All of them, with the current that they give."""
        for each in self.supplies:
            yield RiserSource("supply", each.id, each.name, "", each.bus, f"supply.{each.id}.amps", "A")

    def quantities(self) -> Iterator[Quantity]:
        """Current out."""
        for each in self.supplies:
            yield Quantity(f"supply.{each.id}.amps", "A", "number", phrase("current out of {each}", each=each.name))

    def conditions(self) -> list[str]:
        """When each gives volts."""
        return [each.when for each in self.supplies]

    def branches(self) -> Iterator[BranchName]:
        """One each, from ground."""
        for each in self.supplies:
            yield BranchName(f"supply.{each.id}", has_emf=True)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Amps of the branches."""
        for each in self.supplies:
            yield f"supply.{each.id}.amps", layout.code("amps", f"supply.{each.id}")

    def unit(self, host: Host, start: Sections, number: int) -> DcSuppliesUnit:
        """The DC supplies of one aircraft."""
        return DcSuppliesUnit(host, number, self.supplies)


class DcSuppliesUnit(Unit):
    """DC supplies give their volts while their conditions are true, less of them below the speed that regulates."""

    def __init__(self, host: Host, number: int, supplies: tuple[DcSupply, ...]) -> None:
        super().__init__(host, number)
        layout = host.layout
        self._supplies = [
            (each, layout.branches[f"supply.{each.id}"], layout.shaft(each.driven_by)) for each in supplies
        ]
        self._on: tuple[bool, ...] = (False,) * len(supplies)
        self._driven: list[tuple[int, int, float, float]] = []

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Give volts as asked."""
        self._on = conditions

    def decides(self) -> object:
        """Which are asked to."""
        return self._on

    def wiring(self) -> list[Branch]:
        """From ground, bounded by the limit."""
        nodes = self.host.layout.nodes
        return [
            Branch(GROUND, nodes[each.bus], 1000 / each.resistance_mohm, 0.0, each.limit_amps)
            for each, _, _ in self._supplies
        ]

    def hold(self, watts: Mapping[str, float]) -> object:
        """Which give volts, and which of those follow a speed."""
        self.emf, self._driven = [], []
        for (each, branch, shaft), on in zip(self._supplies, self._on, strict=True):
            # Below every bus, so its lower bound of 0 A holds and no contactor has to part it from the
            # network.
            self.emf.append(each.volts if on else OFF_VOLTS)
            if on and shaft is not None:
                self._driven.append((branch, shaft, each.volts, each.regulated_from_percent))
        return self._on

    def moving_emf(self, x: Sequence[float], emf: list[float]) -> None:
        """Volts below the regulated speed."""
        for branch, shaft, full_volts, full_speed in self._driven:
            # Above that the regulator holds the volts, so nothing follows the speed.
            if (speed := x[shaft]) < full_speed:
                emf[branch] = full_volts * (speed / full_speed)
