"""Diodes: let current pass one way."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Name, NotNegative, Part, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.network.solving import Branch
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, DcPath, FaultKind, RiserJoint
from lumenstat.systems.unit import Host, Unit

LEAK_VOLTS = 1.0
"""From so much reverse voltage on a leaking diode passes all of its leak; below, in proportion."""


class Diode(Part):
    """Lets current pass one way, from `anode` to `cathode`."""

    anode: Name
    cathode: Name
    drop_volts: NotNegative = 0.7
    resistance_mohm: Positive = 2.0


class DiodesSection(Written):
    """The diodes of an aircraft."""

    diodes: tuple[Diode, ...] = ()


class Diodes(System):
    """All diodes."""

    SECTION = DiodesSection
    FAULTS = (
        FaultKind("diode_leaks", phrase("diode leaks backwards"), usual=6.0, rewires=True, flag="diode.{}.leaking"),
    )

    def __init__(self, diodes: tuple[Diode, ...]) -> None:
        self.diodes = diodes

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all diodes."""
        yield cls(airframe.section(DiodesSection).diodes)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Between two DC buses."""
        diodes = airframe.section(DiodesSection).diodes
        checker.unique(("electrical", "diodes"), "part", [each.id for each in diodes])
        for n, diode in enumerate(diodes):
            checker.refers(("electrical", "diodes", n, "anode"), "DC bus", diode.anode)
            checker.refers(("electrical", "diodes", n, "cathode"), "DC bus", diode.cathode)
            if diode.anode == diode.cathode:
                checker.wrong(
                    ("electrical", "diodes", n), f"both ends are {diode.anode}; a diode stands between two buses"
                )

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterator[DcPath]:
        """From anode to cathode."""
        for each in airframe.section(DiodesSection).diodes:
            yield DcPath(each.anode, each.cathode)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Diodes."""
        return {"diode_leaks": {each.id: each.name for each in airframe.section(DiodesSection).diodes}}

    def quantities(self) -> Iterator[Quantity]:
        """Current through."""
        for each in self.diodes:
            yield Quantity(f"diode.{each.id}.amps", "A", "number", phrase("current through {each}", each=each.name))

    def riser_joints(self) -> Iterator[RiserJoint]:
        """One each."""
        for each in self.diodes:
            ends = each.anode, each.cathode
            amps = f"diode.{each.id}.amps"
            yield RiserJoint("diode", each.id, each.name, ends, amps, amps)

    def hidden(self) -> Iterator[str]:
        """Whether each leaks."""
        yield from (f"diode.{each.id}.leaking" for each in self.diodes)

    def branches(self) -> Iterator[BranchName]:
        """One each, whose drop is its EMF, and a leak beside it, which gives no EMF: a leak makes no energy."""
        for each in self.diodes:
            yield BranchName(f"diode.{each.id}", has_emf=True)
        for each in self.diodes:
            yield BranchName(f"diode.{each.id}.leak", has_emf=False, present=f"diode.{each.id}.leaking")

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Amps of the branches."""
        for each in self.diodes:
            forward, leak = (layout.code("amps", f"diode.{each.id}{path}") for path in ("", ".leak"))
            yield f"diode.{each.id}.amps", f"{forward} - {leak}"

    def unit(self, host: Host, start: Sections, number: int) -> DiodesUnit:
        """The diodes of one aircraft."""
        return DiodesUnit(host, number, self.diodes)


class DiodesUnit(Unit):
    """Diodes, of which one with a fault leaks backwards."""

    def __init__(self, host: Host, number: int, diodes: tuple[Diode, ...]) -> None:
        super().__init__(host, number)
        self._diodes = diodes
        self.emf = [-each.drop_volts for each in diodes]

    def wiring(self) -> list[Branch]:
        """Forward through each, and backwards where one leaks."""
        nodes, leaks = self.host.layout.nodes, self.host.faults.active
        forward = [Branch(nodes[d.anode], nodes[d.cathode], 1000 / d.resistance_mohm, low=0.0) for d in self._diodes]
        amps = [leaks.get(("diode_leaks", each.id), 0.0) for each in self._diodes]
        backwards = [
            Branch(nodes[d.cathode], nodes[d.anode], leak / LEAK_VOLTS, low=0.0, high=leak)
            for d, leak in zip(self._diodes, amps, strict=True)
        ]
        return [*forward, *backwards]
