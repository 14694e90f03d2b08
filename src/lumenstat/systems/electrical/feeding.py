"""AC feeding: which source is there, which of them each AC bus takes, and what that gives in volts and hertz."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.wording import joined, phrase
from lumenstat.systems.electrical.ac_names import carts_brought, fed_by, root
from lumenstat.systems.electrical.ac_sources import AcSection, CartsStart
from lumenstat.systems.electrical.buses import BusesSection, alive, volts
from lumenstat.systems.electrical.feeding_unit import FeedingUnit
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind, RiserJoint, RiserSource, Threshold
from lumenstat.systems.unit import Host


class Feeding(System):
    """The AC side of an aircraft."""

    SECTION = AcSection
    START = CartsStart
    FAULTS = (
        FaultKind("supply_out_of_tolerance", phrase("frequency out of tolerance"), usual=421.0),
        FaultKind("supply_lost", phrase("ground power lost")),
        FaultKind("generator_failed", phrase("generator failed")),
        FaultKind("transfer_fails", phrase("source does not take its buses")),
    )
    EVENTS = ("transfer", "supply ready", "overload")

    def __init__(self, section: AcSection, buses: BusesSection) -> None:
        self.section = section
        self.ac = buses.of_kind("ac")

    @cached_property
    def order(self) -> list[str]:
        """AC buses, those that feed others before those."""
        order = [*TopologicalSorter(self.section.graph()).static_order()]
        return [*order, *(bus.id for bus in self.ac if bus.id not in order)]

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for the whole AC side."""
        yield cls(airframe.section(AcSection), airframe.section(BusesSection))

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Sources, and of these the plugs for carts."""
        section = airframe.section(AcSection)
        return {
            "ground supply": [each.id for each in section.ground_supplies],
            "source": [each.id for each in section.sources],
        }

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Plugs, generators, sources."""
        section = airframe.section(AcSection)
        supplies = {each.id: each.name for each in section.ground_supplies}
        return {
            "supply_out_of_tolerance": supplies,
            "supply_lost": supplies,
            "generator_failed": {each.id: each.name for each in section.generators},
            "transfer_fails": {each.id: each.name for each in section.sources},
        }

    # ---- checks ------------------------------------------------------------------------------------------

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Sources on buses of their kind, every bus fed by something, no circle."""
        section, buses = airframe.section(AcSection), airframe.section(BusesSection)
        for group in ("ground_supplies", "inverters", "generators"):
            checker.unique(("electrical", group), "part", [part.id for part in getattr(section, group)])
        ac = [bus.id for bus in buses.of_kind("ac")]
        sources = [source.id for source in section.sources]
        checker.unique(("electrical", "feeding"), "source or AC bus", [*sources, *ac])
        for n, supply in enumerate(section.ground_supplies):
            checker.refers(("electrical", "ground_supplies", n, "bus"), "AC bus", supply.bus)
            checker.logic(("electrical", "ground_supplies", n, "plugged_when"), supply.plugged_when)
        for n, inverter in enumerate(section.inverters):
            checker.refers(("electrical", "inverters", n, "input"), "DC bus", inverter.input)
            checker.logic(("electrical", "inverters", n, "offered_when"), inverter.offered_when)
        for n, generator in enumerate(section.generators):
            checker.logic(("electrical", "generators", n, "offered_when"), generator.offered_when)
        for bus, order in section.feeding.items():
            checker.known(("electrical", "feeding", bus), "AC bus", bus, ac)
            for n, feed in enumerate(order):
                checker.known(("electrical", "feeding", bus, n), "source or AC bus", feed.source, [*sources, *ac])
                checker.logic(("electrical", "feeding", bus, n), feed.when)
        # A circle has no source at its end, so nobody could say what feeds it.
        try:
            tuple(TopologicalSorter(section.graph()).static_order())
        except CycleError as error:
            circle = " from ".join(error.args[1])
            checker.wrong(("electrical", "feeding"), f"AC buses feed each other in a circle: {circle}; take one out")
        plugs = {supply.bus for supply in section.ground_supplies}
        for n, each in enumerate(buses.buses):
            if each.kind == "ac" and each.id not in plugs and not section.feeding.get(each.id):
                says = f"nothing can feed {each.id}; list its sources under `feeding`"
                checker.wrong(("electrical", "buses", n), says)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Carts stand at plugs."""
        for name in start.section(CartsStart).carts:
            checker.refers(("start", "carts", name), "ground supply", name)

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """The carts at each plug."""
        carts = start.section(CartsStart).carts
        for supply in airframe.section(AcSection).ground_supplies:
            each = joined(
                phrase(", then "), (f"{c.name} ({c.volts:g} V, {c.hertz:g} Hz)" for c in carts.get(supply.id, ()))
            )
            if each:
                yield phrase("{supply} brings", supply=supply.name), each

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterator[Quantity]:
        """Frequency and feeder of AC buses; state and load of sources."""
        called = tuple((each.id, each.name) for each in (*self.section.sources, *self.ac))
        for bus in self.ac:
            yield Quantity(f"bus.{bus.id}.hertz", phrase("Hz"), "number", phrase("frequency of {bus}", bus=bus.name))
            sources = ("", *(feed.source for feed in self.section.feeding.get(bus.id, ())))
            meaning = phrase("what feeds {bus}, or nothing", bus=bus.name)
            yield Quantity(fed_by(bus.id), "", "text", meaning, choices=sources, called=called)
        for supply in self.section.ground_supplies:
            at, of = f"source.{supply.id}", supply.name
            yield Quantity(f"{at}.volts", "V", "number", phrase("volts at the plug of {of}", of=of))
            yield Quantity(f"{at}.hertz", phrase("Hz"), "number", phrase("frequency at the plug of {of}", of=of))
            yield Quantity(f"{at}.ready", "", "truth", phrase("{of} is in tolerance and steady", of=of))
        for source in self.section.sources:
            yield Quantity(
                f"source.{source.id}.available",
                "",
                "truth",
                phrase("{source} is offered to the buses", source=source.name),
            )
            yield Quantity(f"source.{source.id}.load", "%", "number", phrase("load of {source}", source=source.name))
        for generator in self.section.generators:
            says = phrase("{generator} was overloaded and tripped", generator=generator.name)
            yield Quantity(f"source.{generator.id}.tripped", "", "truth", says)

    def hidden(self) -> Iterator[str]:
        """Where each AC bus hangs in the end, and how many carts the crew have brought."""
        for bus in self.ac:
            yield root(bus.id)
        for supply in self.section.ground_supplies:
            yield carts_brought(supply.id)

    def riser_sources(self) -> Iterator[RiserSource]:
        """Plugs with their buses, and generators."""
        for supply in self.section.ground_supplies:
            load = f"source.{supply.id}.load"
            yield RiserSource("ground", supply.id, supply.name, alive(supply.bus), supply.bus, load, "%")
        for generator in self.section.generators:
            at = f"source.{generator.id}"
            yield RiserSource("generator", generator.id, generator.name, f"{at}.available", None, f"{at}.load", "%")

    def riser_joints(self) -> Iterator[RiserJoint]:
        """One for each way that a bus can be fed; an inverter's has its name."""
        plugs = {supply.id: supply.bus for supply in self.section.ground_supplies}
        inverters = {inverter.id: inverter for inverter in self.section.inverters}
        for bus, order in self.section.feeding.items():
            for feed in order:
                name, inverter = f"{bus}_from_{feed.source}", inverters.get(feed.source)
                if inverter is not None:
                    ends = inverter.input, bus
                    yield RiserJoint("inverter", name, inverter.name, ends, fed_by(bus), value=feed.source)
                else:
                    # A cart stands on the bus of its plug; what feeds from it begins there.
                    ends = plugs.get(feed.source, feed.source), bus
                    yield RiserJoint("feed", name, "", ends, fed_by(bus), value=feed.source)

    def conditions(self) -> list[str]:
        """What is plugged in, offered, and may feed; in this order (`FeedingUnit.follow` takes it apart)."""
        section = self.section
        found = [supply.plugged_when for supply in section.ground_supplies]
        found += [each.offered_when for each in section.made]
        return found + [feed.when or "true" for bus in self.order for feed in section.feeding.get(bus, ())]

    def thresholds(self) -> Iterator[Threshold]:
        """Overload of generators."""
        for generator in self.section.generators:
            most = generator.overload_percent
            yield Threshold(f"source.{generator.id}.load", f"overload.{generator.id}", most, most * 0.9)

    def given(self) -> list[str]:
        """Watts, volts before droop and hertz of sources; root and hertz of buses."""
        sources = [source.id for source in self.section.sources]
        names = [f"source.{source}.{each}" for each in ("watts", "volts_before_droop", "hertz") for source in sources]
        return names + [f"bus.{bus.id}.{each}" for each in ("root", "hertz") for bus in self.ac]

    def prepared(self, layout: Layout) -> Iterator[str]:
        """Load and volts of every source. A bus that hangs on no source (-1) takes the last, which has no volts."""
        for n, source in enumerate(self.section.sources):
            watts = layout.code("given", f"source.{source.id}.watts")
            before = layout.code("given", f"source.{source.id}.volts_before_droop")
            droop = getattr(source, "droop_volts", 0.0)
            yield f"l{n} = {watts} / {source.rated_va!r}"
            yield f"s{n} = {before} and {before} - {droop!r} * l{n}"
        yield f"ac = ({''.join(f's{n}, ' for n in range(len(self.section.sources)))}0.0)"

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Volts and hertz of AC buses, load of sources, volts and hertz of carts."""
        for bus in self.ac:
            yield volts(bus.id), f"ac[{layout.code('given', f'bus.{bus.id}.root')}]"
            yield f"bus.{bus.id}.hertz", layout.code("given", f"bus.{bus.id}.hertz")
        for n, source in enumerate(self.section.sources):
            yield f"source.{source.id}.load", f"100 * l{n}"
        for n, supply in enumerate(self.section.ground_supplies):
            yield f"source.{supply.id}.volts", f"ac[{n}]"
            yield f"source.{supply.id}.hertz", layout.code("given", f"source.{supply.id}.hertz")

    def unit(self, host: Host, start: Sections, number: int) -> FeedingUnit:
        """The AC side of one aircraft."""
        return FeedingUnit(host, number, self.section, self.order, [bus.id for bus in self.ac], start)
