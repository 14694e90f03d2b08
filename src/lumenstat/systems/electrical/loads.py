"""Loads: take constant power from their buses."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Positive, Written
from lumenstat.systems.switched import SwitchedUnit
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Draw, FaultKind, SwitchedLoad
from lumenstat.systems.unit import Host


class Load(Part):
    """Takes constant power from its bus while asked to."""

    bus: Name
    watts: Positive
    when: ExpressionText | None = None


class LoadsSection(Written):
    """The loads of an aircraft."""

    loads: tuple[Load, ...] = ()


class Loads(System):
    """All loads."""

    SECTION = LoadsSection
    FAULTS = (FaultKind("load_failed"),)

    def __init__(self, loads: tuple[Load, ...]) -> None:
        self.loads = loads

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all loads."""
        yield cls(airframe.section(LoadsSection).loads)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Each on a bus."""
        loads = airframe.section(LoadsSection).loads
        checker.unique(("electrical", "loads"), "part", [each.id for each in loads])
        for n, load in enumerate(loads):
            checker.refers(("electrical", "loads", n, "bus"), "bus", load.bus)
            checker.logic(("electrical", "loads", n, "when"), load.when)

    @classmethod
    def switched_loads(cls, airframe: Sections) -> Iterator[SwitchedLoad]:
        """All of them."""
        for each in airframe.section(LoadsSection).loads:
            yield SwitchedLoad(each.id, each.bus, each.watts, each.when)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Loads."""
        return {"load_failed": [each.id for each in airframe.section(LoadsSection).loads]}

    def quantities(self) -> Iterator[Quantity]:
        """Whether it takes current."""
        for each in self.loads:
            yield Quantity(f"load.{each.id}.on", "", "truth", f"{each.name} takes current")

    def conditions(self) -> list[str]:
        """When each is asked for."""
        return [each.when or "true" for each in self.loads]

    def draws(self) -> Iterator[Draw]:
        """Their watts."""
        for each in self.loads:
            yield Draw(f"load.{each.id}.on", each.bus, each.watts)

    def unit(self, host: Host, start: Sections, number: int) -> SwitchedUnit:
        """The loads of one aircraft."""
        return SwitchedUnit(host, number, {each.id: f"load.{each.id}.on" for each in self.loads}, "load_failed")
