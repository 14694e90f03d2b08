"""Buses: points that volts are shared at."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Annotated, Literal, Self

from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Band, Flag, Name, Part, Positive, Since, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Threshold, Whole


class Bus(Part):
    """A point that volts are shared at. It is alive from `alive_above` until it falls under `dead_below`."""

    kind: Literal["dc", "ac"]
    nominal_volts: Positive
    permitted: Band
    alive_above: Positive
    dead_below: Positive
    hot: Flag = False


class BusesSection(Written):
    """The buses of an aircraft.

    `rails` is the order of the riser's rails from top to bottom, where the one that is found for it is not wanted.
    """

    buses: tuple[Bus, ...]
    rails: Annotated[tuple[Name, ...], Since("0.6")] = ()

    def of_kind(self, kind: Literal["dc", "ac"]) -> tuple[Bus, ...]:
        """Those for direct or for alternating current."""
        return tuple(bus for bus in self.buses if bus.kind == kind)


def alive(bus: str) -> str:
    """The state that tells whether a bus is alive."""
    return naming.bus_alive(bus)


def volts(bus: str) -> str:
    """The output that gives the volts of a bus."""
    return naming.bus_volts(bus)


class Buses(System):
    """All buses. Volts of the DC ones come from the network, those of the AC ones from what feeds them."""

    SECTION = BusesSection

    def __init__(self, section: BusesSection) -> None:
        self.buses, self.dc = section.buses, section.of_kind("dc")

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all buses."""
        yield cls(airframe.section(BusesSection))

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Thresholds in order, ids once."""
        section = airframe.section(BusesSection)
        checker.unique(("electrical", "buses"), "part", [bus.id for bus in section.buses])
        for n, bus in enumerate(section.buses):
            if bus.alive_above <= bus.dead_below:
                checker.wrong(("electrical", "buses", n), "`alive_above` must be higher than `dead_below`")
        for n, rail in enumerate(section.rails):
            checker.refers(("electrical", "rails", n), "bus", rail)
        # A hand order of the riser that forgets a bus would not show it.
        if section.rails and sorted(section.rails) != sorted(bus.id for bus in section.buses):
            checker.wrong(("electrical", "rails"), "name every bus once, from the riser's top to its foot, or none")

    @classmethod
    def check_whole(cls, airframe: Sections, whole: Whole, checker: Checker) -> None:
        """Something can bring current to every DC bus."""
        found = {path.end for path in whole.dc_paths if path.start is None}
        while more := {path.end for path in whole.dc_paths if path.start in found} - found:
            found |= more
        for n, bus in enumerate(airframe.section(BusesSection).buses):
            if bus.kind == "dc" and bus.id not in found:
                says = f"nothing can feed {bus.id}; join it by a contactor, diode or rectifier"
                checker.wrong(("electrical", "buses", n), says)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Buses, and those of each kind."""
        section = airframe.section(BusesSection)
        return {
            "bus": [bus.id for bus in section.buses],
            "DC bus": [bus.id for bus in section.of_kind("dc")],
            "AC bus": [bus.id for bus in section.of_kind("ac")],
        }

    def quantities(self) -> Iterator[Quantity]:
        """Volts, and whether it is alive."""
        for bus in self.buses:
            yield Quantity(volts(bus.id), "V", "number", phrase("volts of {bus}", bus=bus.name))
            yield Quantity(alive(bus.id), "", "truth", phrase("{bus} is alive", bus=bus.name))

    def thresholds(self) -> Iterator[Threshold]:
        """Alive with hysteresis."""
        for bus in self.buses:
            yield Threshold(volts(bus.id), alive(bus.id), bus.alive_above, bus.dead_below)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Volts of the DC nodes."""
        for bus in self.dc:
            yield volts(bus.id), layout.code("volts", bus.id)
