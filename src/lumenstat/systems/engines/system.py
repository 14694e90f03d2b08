"""Engines as the kernel asks about them; `unit` tells what their switches do, `model` how they turn and warm."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.sources import Path_
from lumenstat.language.wording import phrase
from lumenstat.systems.air import duct_psi
from lumenstat.systems.engines.part import (
    FIGURES,
    NEEDS,
    OPTIONAL_PARTS,
    PHASES,
    TAKES,
    TROUBLES,
    Engine,
    EnginesSection,
)
from lumenstat.systems.engines.unit import STATES, EngineUnit
from lumenstat.systems.layout import Layout
from lumenstat.systems.panel.part import PanelsSection
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, FaultKind, Intake, Machine, State, Threshold
from lumenstat.systems.turbine import FOLLOWING_TOLERANCE, turbine_states
from lumenstat.systems.unit import Host

UNITS = {"fan_speed": "%", "propeller_rpm": "rpm"}
NO_PART_LAG_SECONDS = 1.0
"""The lag of a state that an engine without the part for it has all the same: it stays where it is."""


class EngineSystem(System):
    """One engine."""

    SECTION = EnginesSection
    FAULTS = (
        FaultKind("engine_hung", phrase("engine hangs while it starts"), usual=0.5),
        FaultKind("engine_hot", phrase("engine starts hot"), usual=1.7),
        FaultKind("engine_no_light", phrase("engine does not light")),
        FaultKind("engine_no_oil", phrase("engine without oil pressure")),
        FaultKind("engine_no_rotation", phrase("engine does not turn")),
        FaultKind("engine_starter_stuck", phrase("engine starter stays engaged")),
    )
    EVENTS = ("engine",)

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.at, self.figures = f"engine.{engine.id}", FIGURES[engine.kind]
        self.speed, self.temperature = f"{self.at}.{self.figures.speed}", f"{self.at}.{self.figures.temperature}"

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for each engine."""
        return [cls(engine) for engine in airframe.section(EnginesSection).engines]

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Engines."""
        return {"engine": [engine.id for engine in airframe.section(EnginesSection).engines]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Engines."""
        engines = {engine.id: engine.name for engine in airframe.section(EnginesSection).engines}
        return {fault.kind: engines for fault in cls.FAULTS}

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Every part that a kind needs, and names of what there is."""
        engines = airframe.section(EnginesSection).engines
        checker.unique(("engines",), "engine", [engine.id for engine in engines])
        for n, engine in enumerate(engines):
            _check_parts(engine, ("engines", n), checker)
            _check_names(engine, airframe, ("engines", n), checker)

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterator[Quantity]:
        """Figures and states, those of burning fuel only where it does."""
        at, of, names, engine = self.at, self.engine.name, self.figures, self.engine
        yield Quantity(self.speed, "%", "number", phrase("speed of {of}", of=of))
        yield Quantity(self.temperature, "degC", "number", phrase("temperature of {of}", of=of))
        yield Quantity(f"{at}.{names.output}", UNITS[names.output], "number", phrase("what {of} turns", of=of))
        yield Quantity(f"{at}.phase", "", "text", phrase("what {of} is doing", of=of), choices=PHASES)
        yield Quantity(f"{at}.running", "", "truth", phrase("{of} runs at idle or above", of=of))
        yield Quantity(f"{at}.turning", "", "truth", phrase("{of} turns", of=of))
        # Without fuel there is none of what follows.
        if engine.motor is not None:
            return
        yield Quantity(f"{at}.{names.oil}", "psi", "number", phrase("oil pressure of {of}", of=of))
        yield Quantity(f"{at}.fuel_flow", engine.fuel_unit, "number", phrase("fuel that flows into {of}", of=of))
        yield Quantity(f"{at}.pooled_fuel", "", "number", phrase("unburnt fuel that lies in {of}, 0 to 1", of=of))
        yield Quantity(
            f"{at}.starter_heat", "%", "number", phrase("how hot the starter of {of} is; 100 is its duty limit", of=of)
        )
        yield Quantity(f"{at}.starter", "", "truth", phrase("the starter of {of} turns it", of=of))
        yield Quantity(f"{at}.fuel", "", "truth", phrase("fuel is let into {of}", of=of))
        yield Quantity(f"{at}.lit", "", "truth", phrase("fuel burns in {of}", of=of))
        yield Quantity(f"{at}.oil_up", "", "truth", phrase("oil pressure of {of} is up", of=of))
        yield Quantity(f"{at}.too_hot", "", "truth", phrase("{of} is hotter than it may be", of=of))
        yield Quantity(f"{at}.feathered", "", "truth", phrase("the propeller of {of} is feathered", of=of))
        yield Quantity(
            f"{at}.trouble", "", "text", phrase("why {of} shut itself down, or nothing", of=of), choices=TROUBLES
        )
        if engine.starter is not None:
            yield Quantity(f"{at}.starter_amps", "A", "number", phrase("current into the starter of {of}", of=of))

    def hidden(self) -> Iterator[str]:
        """What its comparators tell."""
        for name in STATES:
            yield f"{self.at}.{name}"

    def machines(self) -> Iterator[Machine]:
        """Its phases."""
        yield Machine(self.engine.name, f"{self.at}.phase", PHASES)

    # ---- what it is compiled from ------------------------------------------------------------------------

    def conditions(self) -> list[str]:
        """Cranking, fuel, ignition, feathering, motor."""
        engine, ignition, motor = self.engine, self.engine.ignition, self.engine.motor
        return [
            engine.crank_when or "false",
            ignition.fuel_when if ignition else "false",
            ignition.lit_when if ignition else "false",
            engine.output.feathered_when or "false",
            f"alive(bus.{motor.bus}) and ({motor.enabled_when})" if motor else "false",
        ]

    def thresholds(self) -> Iterator[Threshold]:
        """By the parts it has."""
        engine, at = self.engine, self.at
        # Each lets go below where it takes hold, so that a figure at the limit does not chatter.
        yield Threshold(self.speed, f"{at}.at_idle", engine.idle_percent, engine.idle_percent * 0.9)
        yield Threshold(self.speed, f"{at}.turning", 3.0, 2.0)
        yield Threshold(self.temperature, f"{at}.too_hot", engine.hottest_celsius, engine.hottest_celsius * 0.9)
        if (automatic := engine.automatic) is not None:
            yield Threshold(self.speed, f"{at}.at_fuel", automatic.fuel_at_percent, automatic.fuel_at_percent * 0.9)
        if (oil := engine.oil) is not None:
            yield Threshold(f"{at}.{self.figures.oil}", f"{at}.oil_up", oil.low_below_psi * 1.1, oil.low_below_psi)
        if (turns := engine.air_starter or engine.starter) is not None:
            yield Threshold(self.speed, f"{at}.at_cut_out", turns.cuts_out_percent, turns.cuts_out_percent * 0.95)
        if (ignition := engine.ignition) is not None:
            lights = ignition.lights_off_percent
            yield Threshold(self.speed, f"{at}.at_light", lights, lights * 0.7)
            yield Threshold(f"fuel.{ignition.feed}.psi", f"{at}.fuelled", ignition.feed_psi, ignition.feed_psi * 0.7)
        if engine.starter is not None:
            yield engine.starter.relay(f"{at}.relay_volts")

    def states(self) -> Iterator[State]:
        """Speed, temperature, oil, output, pooled fuel, starter heat."""
        engine, at, names = self.engine, self.at, self.figures
        oil_lag = engine.oil.lag_seconds if engine.oil else NO_PART_LAG_SECONDS
        oil_tolerance = FOLLOWING_TOLERANCE * engine.oil.psi if engine.oil else None
        output = engine.output
        if (motor := engine.motor) is not None:
            lags = motor.lag_seconds, motor.warms_seconds
            yield from turbine_states(self.speed, self.temperature, *lags, stiff=(False, False))
            oil_lag, pool_lag, heat_lag = (NO_PART_LAG_SECONDS,) * 3
        else:
            burns = engine.spool is not None and engine.exhaust is not None and engine.oil is not None
            yield from turbine_states(self.speed, self.temperature, stiff=(burns, burns))
            pool_lag = engine.ignition.pool_seconds if engine.ignition else NO_PART_LAG_SECONDS
            heat_lag = engine.duty.cools_seconds if engine.duty else NO_PART_LAG_SECONDS
        yield State(f"{at}.{names.oil}", oil_lag, oil_tolerance)
        yield State(f"{at}.{names.output}", output.lag_seconds, FOLLOWING_TOLERANCE * output.full)
        yield State(f"{at}.pooled_fuel", pool_lag)
        yield State(f"{at}.starter_heat", heat_lag)

    def branches(self) -> Iterator[BranchName]:
        """An electric starter."""
        if (starter := self.engine.starter) is not None:
            yield starter.branch_name(f"{self.at}.starter", f"{self.at}.starter", self.speed)

    def intakes(self) -> Iterator[Intake]:
        """An air starter takes from its duct."""
        if (starter := self.engine.air_starter) is not None:
            yield Intake(duct_psi(starter.duct), f"{self.at}.starter", starter.takes_psi)

    def shafts(self) -> Mapping[str, str]:
        """Its core."""
        return {self.engine.id: self.speed}

    def given(self) -> list[str]:
        """Fuel flow."""
        return [f"{self.at}.fuel_flow"]

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """States as they are, current into the starter, fuel flow."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)
        if self.engine.starter is not None:
            yield f"{self.at}.starter_amps", layout.code("amps", f"{self.at}.starter")
        yield f"{self.at}.fuel_flow", layout.code("given", f"{self.at}.fuel_flow")

    def unit(self, host: Host, start: Sections, number: int) -> EngineUnit:
        """The engine of one aircraft."""
        return EngineUnit(host, number, self.engine, start.section(Surroundings).outside_celsius)


def _check_parts(engine: Engine, path: Path_, checker: Checker) -> None:
    needs = NEEDS[engine.kind]
    for part in needs:
        if getattr(engine, part) is None:
            checker.wrong(path, f"a {engine.kind} engine needs `{part}`; docs/authoring.md shows one of each kind")
    for part in OPTIONAL_PARTS:
        if getattr(engine, part) is not None and part not in (*needs, *TAKES[engine.kind]):
            checker.wrong((*path, part), f"a {engine.kind} engine has no `{part}`; leave it out or change the kind")
    # Without a power lever the governor alone holds its speed.
    if engine.spool and engine.power is None and engine.idle_percent > engine.spool.governed_percent:
        holds = f"the governor holds {engine.spool.governed_percent:g} %"
        checker.wrong((*path, "idle_percent"), f"{holds}, so it never reaches {engine.idle_percent:g} %")


def _check_names(engine: Engine, airframe: Sections, path: Path_, checker: Checker) -> None:
    checker.refers((*path, "control_bus"), "DC bus", engine.control_bus)
    if engine.starter is not None:
        engine.starter.check((*path, "starter"), checker)
    if engine.air_starter is not None:
        checker.refers((*path, "air_starter", "duct"), "duct", engine.air_starter.duct)
    if (ignition := engine.ignition) is not None:
        checker.refers((*path, "ignition", "feed"), "fuel feed", ignition.feed)
        checker.logic((*path, "ignition"), ignition.fuel_when)
        checker.logic((*path, "ignition"), ignition.lit_when)
    if engine.motor is not None:
        checker.refers((*path, "motor", "bus"), "DC bus", engine.motor.bus)
        checker.logic((*path, "motor"), engine.motor.enabled_when)
    if (power := engine.power) is not None and checker.refers((*path, "power", "lever"), "control", power.lever):
        for position in airframe.section(PanelsSection).controls[power.lever].positions:
            checker.known((*path, "power", "percent"), "percent for lever position", position, power.percent)
    checker.logic((*path, "crank_when"), engine.crank_when)
    checker.logic((*path, "output"), engine.output.feathered_when)
