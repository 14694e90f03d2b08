"""Fuel pumps and the feed lines that they put pressure on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, NotNegative, Part, Positive, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.layout import Layout
from lumenstat.systems.switched import SwitchedUnit
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Draw, FaultKind, State
from lumenstat.systems.unit import Host


class FuelPump(Part):
    """An electric pump that puts pressure on a feed while its bus lives and it is asked to."""

    bus: Name
    feed: Name
    psi: Positive
    watts: Positive
    when: ExpressionText


class FuelFeed(Part):
    """A feed line: lags to the highest pressure of its running pumps and of other feeds, or to what gravity gives."""

    also_from: tuple[Name, ...] = ()
    gravity_psi: NotNegative = 0.0
    lag_seconds: Positive = 0.8


class FuelPart(Written):
    """Pumps and the lines they feed."""

    pumps: tuple[FuelPump, ...] = ()
    feeds: tuple[FuelFeed, ...] = ()


class FuelSection(Written):
    """The fuel system of an aircraft."""

    fuel: FuelPart = FuelPart()


class Fuel(System):
    """The whole fuel system."""

    SECTION = FuelSection
    FAULTS = (FaultKind("fuel_pump_failed", phrase("fuel pump failed")),)

    def __init__(self, part: FuelPart) -> None:
        self.part = part

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all pumps and feeds."""
        yield cls(airframe.section(FuelSection).fuel)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Pumps on a bus and a feed."""
        part = airframe.section(FuelSection).fuel
        for n, pump in enumerate(part.pumps):
            checker.refers(("fuel", "pumps", n, "feed"), "fuel feed", pump.feed)
            checker.refers(("fuel", "pumps", n, "bus"), "bus", pump.bus)
            checker.logic(("fuel", "pumps", n, "when"), pump.when)
        for n, feed in enumerate(part.feeds):
            for other in feed.also_from:
                checker.refers(("fuel", "feeds", n, "also_from"), "fuel feed", other)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Feeds."""
        return {"fuel feed": [feed.id for feed in airframe.section(FuelSection).fuel.feeds]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Pumps."""
        return {"fuel_pump_failed": {pump.id: pump.name for pump in airframe.section(FuelSection).fuel.pumps}}

    def quantities(self) -> Iterator[Quantity]:
        """Running pumps, pressures."""
        for pump in self.part.pumps:
            yield Quantity(f"pump.{pump.id}.running", "", "truth", phrase("{of} runs", of=pump.name))
        for feed in self.part.feeds:
            yield Quantity(f"fuel.{feed.id}.psi", "psi", "number", phrase("pressure of {feed}", feed=feed.name))

    def conditions(self) -> list[str]:
        """When each pump runs."""
        return [f"alive(bus.{pump.bus}) and ({pump.when})" for pump in self.part.pumps]

    def states(self) -> Iterator[State]:
        """Pressures lag."""
        for feed in self.part.feeds:
            yield State(f"fuel.{feed.id}.psi", lag_seconds=feed.lag_seconds)

    def draws(self) -> Iterator[Draw]:
        """Pumps."""
        for pump in self.part.pumps:
            yield Draw(f"pump.{pump.id}.running", pump.bus, pump.watts)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Pressures as they are."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)

    def unit(self, host: Host, start: Sections, number: int) -> FuelUnit:
        """The fuel system of one aircraft."""
        return FuelUnit(host, number, self.part)


class FuelUnit(SwitchedUnit):
    """Pumps that are on, and where feeds tend by them."""

    def __init__(self, host: Host, number: int, part: FuelPart) -> None:
        states = {pump.id: f"pump.{pump.id}.running" for pump in part.pumps}
        super().__init__(host, number, states, "fuel_pump_failed")
        self.held_by = tuple(states.values())
        self._feeds = [
            (
                feed.gravity_psi,
                [
                    (host.layout.d[states[pump.id]], max(pump.psi, feed.gravity_psi))
                    for pump in part.pumps
                    if pump.feed in (feed.id, *feed.also_from)
                ],
            )
            for feed in part.feeds
        ]

    def begin(self) -> list[float]:
        """Gravity alone."""
        return [gravity_psi for gravity_psi, _ in self._feeds]

    def hold(self, watts: Mapping[str, float]) -> object:
        """The highest pressure that reaches each feed."""
        d = self.host.d
        # Feeds share pumps, so each takes the highest pressure that reaches it, not a sum.
        self.targets = [
            max((psi for slot, psi in pumps if d[slot]), default=gravity_psi) for gravity_psi, pumps in self._feeds
        ]
        return self.targets
