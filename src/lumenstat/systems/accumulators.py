"""Hydraulic accumulators: charged by their system, they hold pressure for a while without it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Annotated, Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Fraction, Name, Part, Positive, Since, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.hydraulics import HydraulicsSection
from lumenstat.systems.layout import Layout
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind, State
from lumenstat.systems.unit import Host, Unit

SECONDS_AN_HOUR = 3600.0
AS_USUAL = 1.0


class AccumulatorPart(Part):
    """Takes the pressure of its system within `charges_seconds` and loses a share of its own every hour."""

    system: Name
    charges_seconds: Positive = 3.0
    loses_each_hour: Fraction = 0.05


class AccumulatorsSection(Written):
    """The accumulators of an aircraft."""

    accumulators: Annotated[tuple[AccumulatorPart, ...], Since("0.4")] = ()


class Accumulators(System):
    """All accumulators."""

    SECTION = AccumulatorsSection
    # How many times faster than usual it loses its pressure.
    FAULTS = (FaultKind("accumulator_leaks", phrase("accumulator leaks"), usual=40.0),)

    def __init__(self, accumulators: tuple[AccumulatorPart, ...], nominal_psi: Mapping[str, float]) -> None:
        self.accumulators, self.nominal_psi = accumulators, nominal_psi

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all accumulators."""
        accumulators = airframe.section(AccumulatorsSection).accumulators
        if accumulators:
            systems = airframe.section(HydraulicsSection).hydraulics.systems
            yield cls(accumulators, {system.id: system.nominal_psi for system in systems})

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Each on a hydraulic system."""
        accumulators = airframe.section(AccumulatorsSection).accumulators
        checker.unique(("accumulators",), "part", [each.id for each in accumulators])
        for n, each in enumerate(accumulators):
            checker.refers(("accumulators", n, "system"), "hydraulic system", each.system)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Accumulators."""
        return {
            "accumulator_leaks": {each.id: each.name for each in airframe.section(AccumulatorsSection).accumulators}
        }

    def quantities(self) -> Iterator[Quantity]:
        """Pressures."""
        for each in self.accumulators:
            yield Quantity(f"accumulator.{each.id}.psi", "psi", "number", phrase("pressure of {each}", each=each.name))

    def states(self) -> Iterator[State]:
        """Pressures."""
        for each in self.accumulators:
            yield State(f"accumulator.{each.id}.psi", tolerance=2.0, never_negative=True)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Pressures as they are."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)

    def unit(self, host: Host, start: Sections, number: int) -> AccumulatorsUnit:
        """The accumulators of one aircraft, as full as the hours it stood have left them."""
        hours = start.section(Surroundings).hours_unpowered
        left = [self.nominal_psi[a.system] * (1 - a.loses_each_hour) ** hours for a in self.accumulators]
        return AccumulatorsUnit(host, number, self.accumulators, left)


class AccumulatorsUnit(Unit):
    """The accumulators of one aircraft."""

    def __init__(self, host: Host, number: int, accumulators: Sequence[AccumulatorPart], left: list[float]) -> None:
        super().__init__(host, number)
        self._left, self._accumulators = left, accumulators
        x = host.layout.x
        self._places = [
            (
                x[f"accumulator.{each.id}.psi"],
                x[f"hydraulic.{each.system}.psi"],
                each.charges_seconds,
                -math.log1p(-each.loses_each_hour) / SECONDS_AN_HOUR,
            )
            for each in accumulators
        ]
        self._faster = [AS_USUAL] * len(accumulators)

    def begin(self) -> list[float]:
        """What standing has left of them."""
        return list(self._left)

    def hold(self, watts: Mapping[str, float]) -> object:
        """How fast each loses its pressure."""
        leaks = self.host.faults.active
        self._faster = [leaks.get(("accumulator_leaks", each.id), AS_USUAL) for each in self._accumulators]
        return self._faster

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """A system with more pressure fills it through its check valve; else it only loses."""
        rates = []
        for (own, system, seconds, loses), faster in zip(self._places, self._faster, strict=True):
            gain = (x[system] - x[own]) / seconds if x[system] > x[own] else 0.0
            rates.append(gain - x[own] * loses * faster)
        return rates, []
