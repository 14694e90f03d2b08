"""Loads: take constant power from their buses."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.switched import SwitchedUnit
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Draw, FaultKind, RiserLoad, SwitchedLoad
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
    FAULTS = (FaultKind("load_failed", phrase("consumer failed")),)

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
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Loads."""
        return {"load_failed": {each.id: each.name for each in airframe.section(LoadsSection).loads}}

    def riser_loads(self) -> Iterator[RiserLoad]:
        """All of them."""
        for each in self.loads:
            yield RiserLoad(f"load.{each.id}.on", each.name, each.bus, each.watts)

    def quantities(self) -> Iterator[Quantity]:
        """Whether it is asked for, and whether it takes current: its bus lives and it is whole."""
        for each in self.loads:
            yield Quantity(
                f"load.{each.id}.asked", "", "truth", phrase("{each} is switched to its bus", each=each.name)
            )
            yield Quantity(f"load.{each.id}.on", "", "truth", phrase("{each} takes current", each=each.name))

    def conditions(self) -> list[str]:
        """When each is asked for, then whether its bus lives."""
        asked = [each.when or "true" for each in self.loads]
        return asked + [f"alive(bus.{each.bus})" for each in self.loads]

    def draws(self) -> Iterator[Draw]:
        """Their watts."""
        for each in self.loads:
            yield Draw(f"load.{each.id}.asked", each.bus, each.watts)

    def unit(self, host: Host, start: Sections, number: int) -> LoadsUnit:
        """The loads of one aircraft."""
        return LoadsUnit(host, number, self.loads)


class LoadsUnit(SwitchedUnit):
    """The loads of one aircraft: switched as asked, and on where their bus lives as well."""

    def __init__(self, host: Host, number: int, loads: Sequence[Load]) -> None:
        super().__init__(host, number, {each.id: f"load.{each.id}.asked" for each in loads}, "load_failed")
        places = host.layout.d
        self._on = [(places[f"load.{each.id}.asked"], places[f"load.{each.id}.on"]) for each in loads]

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Switch as asked, then follow the buses."""
        super().settle(conditions[: len(self._on)])
        d = self.host.d
        for (asked, on), alive in zip(self._on, conditions[len(self._on) :], strict=True):
            d[on] = d[asked] and alive
