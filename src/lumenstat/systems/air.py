"""Bleed air: ducts, what gives them pressure, what takes of it, and the valves that join them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind, State
from lumenstat.systems.unit import Host, Unit


class AirPort(Part):
    """Something that gives pressure to a duct, or takes some of it, while its expression is true."""

    duct: Name
    psi: Positive
    when: ExpressionText


class Duct(Part):
    """A bleed duct: lags to its highest source less what is taken from it."""

    lag_seconds: Positive = 1.5


class AirValve(Part):
    """Joins two ducts while open: both have the higher pressure of the two."""

    joins: tuple[Name, Name]
    when: ExpressionText


class AirPart(Written):
    """Bleed air."""

    ducts: tuple[Duct, ...] = ()
    sources: tuple[AirPort, ...] = ()
    takers: tuple[AirPort, ...] = ()
    valves: tuple[AirValve, ...] = ()


class AirSection(Written):
    """The bleed air of an aircraft."""

    air: AirPart = AirPart()


def duct_psi(duct: str) -> str:
    """The continuous state that is the pressure of a duct."""
    return f"duct.{duct}.psi"


class Air(System):
    """All bleed air."""

    SECTION = AirSection
    FAULTS = (FaultKind("duct_low", phrase("low duct pressure"), usual=0.55),)

    def __init__(self, part: AirPart) -> None:
        self.part = part

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all ducts."""
        yield cls(airframe.section(AirSection).air)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Everything on ducts that there are."""
        part = airframe.section(AirSection).air
        for group, ports in (("sources", part.sources), ("takers", part.takers)):
            for n, port in enumerate(ports):
                checker.refers(("air", group, n, "duct"), "duct", port.duct)
                checker.logic(("air", group, n, "when"), port.when)
        for n, valve in enumerate(part.valves):
            for duct in valve.joins:
                checker.refers(("air", "valves", n, "joins"), "duct", duct)
            checker.logic(("air", "valves", n, "when"), valve.when)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Ducts."""
        return {"duct": [duct.id for duct in airframe.section(AirSection).air.ducts]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Ducts."""
        return {"duct_low": {duct.id: duct.name for duct in airframe.section(AirSection).air.ducts}}

    def quantities(self) -> Iterator[Quantity]:
        """Pressures."""
        for duct in self.part.ducts:
            yield Quantity(duct_psi(duct.id), "psi", "number", phrase("pressure of {duct}", duct=duct.name))

    def conditions(self) -> list[str]:
        """When sources give, takers take and valves are open, in this order."""
        part = self.part
        return [port.when for port in (*part.sources, *part.takers)] + [valve.when for valve in part.valves]

    def states(self) -> Iterator[State]:
        """Pressures lag."""
        for duct in self.part.ducts:
            yield State(duct_psi(duct.id), lag_seconds=duct.lag_seconds)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Pressures as they are."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)

    def unit(self, host: Host, start: Sections, number: int) -> AirUnit:
        """The bleed air of one aircraft."""
        return AirUnit(host, number, self.part)


class AirUnit(Unit):
    """Where the ducts of one aircraft tend."""

    def __init__(self, host: Host, number: int, part: AirPart) -> None:
        super().__init__(host, number)
        self._part = part
        self._asked: tuple[bool, ...] = ()
        ducts = {duct_psi(duct.id): duct.id for duct in part.ducts}
        intakes = [each for each in host.layout.intakes if each.of in ducts]
        self._intakes = [(ducts[each.of], host.layout.d[each.state], each.psi) for each in intakes]
        self.held_by = tuple(each.state for each in intakes)

    def begin(self) -> list[float]:
        """No pressure."""
        return [0.0] * len(self._part.ducts)

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Open and shut as asked."""
        self._asked = conditions

    def decides(self) -> object:
        """What is asked."""
        return self._asked

    def hold(self, watts: Mapping[str, float]) -> object:
        """Ducts that open valves join are one: its pressure is that of its highest source, less what is taken of it."""
        part, d = self._part, self.host.d
        asked = iter(self._asked)
        given = [port for port in part.sources if next(asked)]
        taken = [(port.duct, port.psi) for port in part.takers if next(asked)]
        taken += [(duct, psi) for duct, slot, psi in self._intakes if d[slot]]
        low = self.host.faults.active
        psi: dict[str, float] = {}
        for joined in self._joined([valve for valve in part.valves if next(asked)]):
            highest = max([port.psi for port in given if port.duct in joined], default=0.0)
            left = max(0.0, highest - sum(each for duct, each in taken if duct in joined))
            psi.update(dict.fromkeys(joined, left))
        self.targets = [psi[duct.id] * low.get(("duct_low", duct.id), 1.0) for duct in part.ducts]
        return self.targets

    def _joined(self, opened: Iterable[AirValve]) -> list[set[str]]:
        """The ducts, those that are joined together."""
        groups = [{duct.id} for duct in self._part.ducts]
        for valve in opened:
            touched = [group for group in groups if group & set(valve.joins)]
            groups = [group for group in groups if group not in touched] + [set[str]().union(*touched)]
        return groups
