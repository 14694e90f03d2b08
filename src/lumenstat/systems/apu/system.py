"""The APU as the kernel asks about it; `unit` tells what it does."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.wording import phrase
from lumenstat.systems.apu.part import Apu, ApuSection
from lumenstat.systems.apu.unit import STATES, ApuUnit
from lumenstat.systems.layout import Layout
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, FaultKind, Machine, State, Threshold
from lumenstat.systems.turbine import FOLLOWING_TOLERANCE, Turbine, turbine_states
from lumenstat.systems.unit import Host

PHASES = (
    phrase("off"),
    phrase("testing"),
    phrase("ready"),
    phrase("starting"),
    phrase("running"),
    phrase("cooling"),
    phrase("stopping"),
    phrase("closing"),
)
TROUBLES = ("", "hung", "hot", "low oil pressure", "no fuel pressure", "low volts", "fire")


class ApuSystem(System):
    """The APU of an airframe."""

    SECTION = ApuSection
    FAULTS = (
        FaultKind("apu_out_of_order", phrase("APU does not start")),
        FaultKind("apu_no_light", phrase("APU does not light")),
        FaultKind("apu_hung", phrase("APU hangs while it starts"), usual=0.45),
        FaultKind("apu_door_stuck", phrase("APU intake door stuck")),
        FaultKind("apu_fire", phrase("APU fire")),
        FaultKind("apu_no_oil", phrase("APU without oil pressure")),
    )
    EVENTS = ("apu",)

    def __init__(self, apu: Apu) -> None:
        self.apu = apu

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One at most."""
        apu = airframe.section(ApuSection).apu
        if apu is not None:
            yield cls(apu)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Buses, feed and accumulator that there are."""
        apu = airframe.section(ApuSection).apu
        if apu is None:
            return
        checker.refers(("apu", "control_bus"), "DC bus", apu.control_bus)
        apu.starter.check(("apu", "starter"), checker)
        checker.refers(("apu", "feed"), "fuel feed", apu.feed)
        if apu.accumulator is not None:
            checker.refers(("apu", "accumulator", "system"), "hydraulic system", apu.accumulator.system)
        checker.logic(("apu", "run_when"), apu.run_when)
        checker.logic(("apu", "start_when"), apu.start_when)
        for n, load in enumerate(apu.shaft_loads):
            checker.logic(("apu", "shaft_loads", n, "when"), load.when)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """The APU."""
        apu = airframe.section(ApuSection).apu
        return {fault.kind: {apu.id: apu.name} if apu is not None else {} for fault in cls.FAULTS}

    def quantities(self) -> Iterator[Quantity]:
        """Figures, phase and states."""
        yield Quantity("apu.speed", "%", "number", phrase("speed of the APU"))
        yield Quantity("apu.exhaust", "degC", "number", phrase("exhaust temperature of the APU"))
        yield Quantity("apu.oil", "psi", "number", phrase("oil pressure of the APU"))
        yield Quantity("apu.starter_amps", "A", "number", phrase("current into the APU's starter"))
        yield Quantity("apu.phase", "", "text", phrase("what the APU is doing"), choices=PHASES)
        yield Quantity("apu.trouble", "", "text", phrase("why the APU shut itself down, or nothing"), choices=TROUBLES)
        yield Quantity("apu.door", "", "text", phrase("the APU's intake door"), choices=("closed", "moving", "open"))
        yield Quantity("apu.available", "", "truth", phrase("the APU may be loaded"))
        yield Quantity("apu.starter", "", "truth", phrase("the APU's starter is engaged"))
        yield Quantity("apu.lit", "", "truth", phrase("fuel burns in the APU"))
        yield Quantity("apu.oil_low", "", "truth", phrase("the APU's oil pressure is low"))

    def hidden(self) -> Iterator[str]:
        """What its comparators tell."""
        for name in STATES:
            yield f"apu.{name}"

    def machines(self) -> Iterator[Machine]:
        """Its phases."""
        yield Machine(self.apu.name, "apu.phase", PHASES)

    def conditions(self) -> list[str]:
        """Master, START, then what is taken off its shaft."""
        return [self.apu.run_when, self.apu.start_when, *(load.when for load in self.apu.shaft_loads)]

    def thresholds(self) -> Iterator[Threshold]:
        """Speeds, temperature, pressures and volts that decide a start."""
        apu = self.apu
        # The second figure of each lies below the first, so that a speed at the limit does not chatter.
        for state, on, off in (
            ("at_light", apu.lights_off_percent, apu.lights_off_percent * 0.7),
            ("at_cut_out", apu.starter.cuts_out_percent, apu.starter.cuts_out_percent * 0.9),
            ("at_available", apu.available_percent, apu.available_percent * 0.92),
            ("turning", 6.0, 4.0),
        ):
            yield Threshold("apu.speed", f"apu.{state}", on, off)
        yield Threshold("apu.exhaust", "apu.too_hot", apu.hottest_celsius, apu.hottest_celsius * 0.9)
        yield Threshold("apu.oil", "apu.oil_up", apu.oil.low_below_psi * 1.1, apu.oil.low_below_psi)
        yield Threshold(f"fuel.{apu.feed}.psi", "apu.fuelled", apu.feed_psi, apu.feed_psi * 0.7)
        yield apu.starter.relay("apu.relay_volts")
        if (charge := apu.accumulator) is not None:
            yield Threshold(f"hydraulic.{charge.system}.psi", "apu.charged", charge.needs_psi, charge.needs_psi * 0.9)

    def states(self) -> Iterator[State]:
        """Speed, exhaust temperature, oil pressure."""
        speed, exhaust = turbine_states("apu.speed", "apu.exhaust", exhaust_lag=self.apu.exhaust.lag_seconds)
        oil = self.apu.oil
        yield speed
        yield exhaust
        yield State("apu.oil", lag_seconds=oil.lag_seconds, tolerance=FOLLOWING_TOLERANCE * oil.psi)

    def branches(self) -> Iterator[BranchName]:
        """Its starter."""
        yield self.apu.starter.branch_name("apu.starter", "apu.starter", "apu.speed")

    def shafts(self) -> Mapping[str, str]:
        """It can drive something by its id."""
        return {self.apu.id: "apu.speed"}

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """States as they are, and current into the starter."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)
        yield "apu.starter_amps", layout.code("amps", "apu.starter")

    def unit(self, host: Host, start: Sections, number: int) -> ApuUnit:
        """The APU of one aircraft."""
        celsius = start.section(Surroundings).outside_celsius
        turbine = Turbine(self.apu.spool, self.apu.exhaust, self.apu.oil, celsius)
        return ApuUnit(host, number, self.apu, turbine)
