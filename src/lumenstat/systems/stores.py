"""Stores: what an exercise sets and nothing uses up, like oxygen and fuel on board."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from pydantic import Field

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Name, Number, Part, Written
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import StartField
from lumenstat.systems.unit import Host, Unit


class Store(Part):
    """A quantity that an exercise sets and nothing uses up: oxygen, fuel on board."""

    unit: str = Field(max_length=8)
    usual: Number


class StoresSection(Written):
    """The stores of an aircraft."""

    stores: tuple[Store, ...] = ()


class StoresStart(Written):
    """What is in each store; without it what is usual."""

    stores: dict[Name, Number] = {}


class Stores(System):
    """All stores."""

    SECTION = StoresSection
    START = StoresStart

    def __init__(self, stores: tuple[Store, ...]) -> None:
        self.stores = stores

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all stores."""
        yield cls(airframe.section(StoresSection).stores)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Stores that there are."""
        for name in start.section(StoresStart).stores:
            checker.refers(("start", "stores", name), "store", name)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Stores."""
        return {"store": [store.id for store in airframe.section(StoresSection).stores]}

    @classmethod
    def start_fields(cls, airframe: Sections) -> Iterator[StartField]:
        """What is in each."""
        for store in airframe.section(StoresSection).stores:
            yield StartField(f"stores.{store.id}", store.name, store.unit, usual=f"{store.usual:g}")

    def quantities(self) -> Iterator[Quantity]:
        """What is in each."""
        for store in self.stores:
            yield Quantity(f"store.{store.id}", store.unit, "number", store.name)

    def given(self) -> list[str]:
        """What is in each."""
        return [f"store.{store.id}" for store in self.stores]

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """What is in each."""
        for name in self.given():
            yield name, layout.code("given", name)

    def unit(self, host: Host, start: Sections, number: int) -> StoresUnit:
        """The stores of one aircraft."""
        held = start.section(StoresStart).stores
        return StoresUnit(host, number, [held.get(store.id, store.usual) for store in self.stores])


class StoresUnit(Unit):
    """Stores that stay as they are."""

    def __init__(self, host: Host, number: int, held: list[float]) -> None:
        super().__init__(host, number)
        self._held = held

    def outputs(self, tick: int, x: Sequence[float], volts: Sequence[float], amps: Sequence[float]) -> list[float]:
        """What is in each."""
        return self._held
