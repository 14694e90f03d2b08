"""Batteries: open-circuit volts by charge, a resistance, a polarisation that lags; `battery_model` has the laws."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Fraction, Name, Written
from lumenstat.language.wording import phrase
from lumenstat.network.solving import GROUND, Branch
from lumenstat.systems.electrical.battery_model import BatteryModel
from lumenstat.systems.electrical.battery_part import Battery
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.layout import Layout
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, DcPath, FaultKind, RiserSource, StartField, State, Threshold, UsedUp
from lumenstat.systems.unit import Host, Unit

# Far below what an instrument shows, for errors of steps add up over a turnaround.
CHARGE_TOLERANCE = 5e-5
VOLTS_TOLERANCE = 3e-3
CELSIUS_TOLERANCE = 0.2
# A lamp that goes out at the degree at which it lit would flicker.
COOL_AGAIN_DEGREES = 7.0
# Of a battery of 40 Ah some five ampere-minutes: a lamp of 9 W for a quarter of an hour.
CHARGE_THAT_MATTERS = 0.002


class BatteriesSection(Written):
    """The batteries of an aircraft."""

    batteries: tuple[Battery, ...] = ()


class BatteriesStart(Written):
    """The charge of each battery at the start of an exercise, 0 to 1."""

    battery_charge: dict[Name, Fraction]


class Batteries(System):
    """All batteries."""

    SECTION = BatteriesSection
    START = BatteriesStart
    FAULTS = (
        FaultKind("battery_weak", phrase("weak battery"), usual=4.0, rewires=True),
        # The share of its cells that have shorted.
        FaultKind("battery_hot", phrase("shorted cells"), usual=0.1, rewires=True),
    )

    def __init__(self, batteries: tuple[Battery, ...]) -> None:
        self.batteries = batteries

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all batteries."""
        yield cls(airframe.section(BatteriesSection).batteries)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Each stands on a DC bus."""
        batteries = airframe.section(BatteriesSection).batteries
        checker.unique(("electrical", "batteries"), "part", [battery.id for battery in batteries])
        for n, battery in enumerate(batteries):
            checker.refers(("electrical", "batteries", n, "bus"), "DC bus", battery.bus)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Every battery has a charge, and nothing else has."""
        charges = start.section(BatteriesStart).battery_charge
        batteries = [battery.id for battery in airframe.section(BatteriesSection).batteries]
        for name in charges:
            checker.known(("start", "battery_charge", name), "battery", name, batteries)
        for name in batteries:
            if name not in charges:
                checker.wrong(("start", "battery_charge"), f"needs a charge for battery {name!r}")

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterator[DcPath]:
        """Each is a source on its bus."""
        for battery in airframe.section(BatteriesSection).batteries:
            ohms = (battery.resistance_mohm + battery.polarisation_mohm) / 1000
            yield DcPath(None, battery.bus, ohms)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Batteries."""
        return {"battery": [battery.id for battery in airframe.section(BatteriesSection).batteries]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Batteries."""
        batteries = {battery.id: battery.name for battery in airframe.section(BatteriesSection).batteries}
        return {fault.kind: batteries for fault in cls.FAULTS}

    @classmethod
    def start_fields(cls, airframe: Sections) -> Iterator[StartField]:
        """The charge of each."""
        for battery in airframe.section(BatteriesSection).batteries:
            yield StartField(
                f"battery_charge.{battery.id}", phrase("{battery}, charge", battery=battery.name), "0 to 1"
            )

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """The charge of each, in percent."""
        charges = start.section(BatteriesStart).battery_charge
        for battery in airframe.section(BatteriesSection).batteries:
            yield battery.name, phrase("{percent:.0f} % charged", percent=charges[battery.id] * 100)

    def quantities(self) -> Iterator[Quantity]:
        """Terminal volts, current in, charge, temperature."""
        for battery in self.batteries:
            at, of = f"battery.{battery.id}", battery.name
            yield Quantity(f"{at}.volts", "V", "number", phrase("terminal volts of {of}", of=of))
            yield Quantity(f"{at}.amps", "A", "number", phrase("current into {of}", of=of))
            yield Quantity(f"{at}.charge", "", "number", phrase("charge of {of}, 0 to 1", of=of))
            yield Quantity(f"{at}.celsius", "degC", "number", phrase("temperature of {of}", of=of))
            yield Quantity(f"{at}.hot", "", "truth", phrase("{of} is too hot", of=of))

    def riser_sources(self) -> Iterator[RiserSource]:
        """One each, under its bus."""
        for battery in self.batteries:
            yield RiserSource("battery", battery.id, battery.name, alive(battery.bus), battery.bus)

    def used_up(self) -> Iterator[UsedUp]:
        """Their charge."""
        for battery in self.batteries:
            yield UsedUp(battery.name, naming.battery(battery.id, "charge"), CHARGE_THAT_MATTERS)

    def volts_of(self) -> Mapping[str, str]:
        """Terminal volts are those of the bus."""
        return {naming.battery(battery.id, "volts"): battery.bus for battery in self.batteries}

    def rest_volts(self) -> Iterator[tuple[str, str]]:
        """Terminal volts."""
        for battery in self.batteries:
            yield battery.name, naming.battery(battery.id, "volts")

    def thresholds(self) -> Iterator[Threshold]:
        """Too hot to stay on charge."""
        for battery in self.batteries:
            at, hot = f"battery.{battery.id}", battery.hot_above_celsius
            yield Threshold(f"{at}.celsius", f"{at}.hot", hot, hot - COOL_AGAIN_DEGREES)

    def states(self) -> Iterator[State]:
        """Charge, polarisation and temperature of each.

        Polarisation on a strong bus answers its own current: it is stiff.
        """
        for battery in self.batteries:
            yield State(naming.battery(battery.id, "charge"), tolerance=CHARGE_TOLERANCE, is_share=True)
            yield State(naming.battery(battery.id, "polarisation"), tolerance=VOLTS_TOLERANCE, stiff=True)
            yield State(naming.battery(battery.id, "celsius"), tolerance=CELSIUS_TOLERANCE)

    def branches(self) -> Iterator[BranchName]:
        """One each, from ground."""
        for battery in self.batteries:
            yield BranchName(f"battery.{battery.id}", has_emf=True)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Volts of its bus; amps count as positive while it takes them."""
        for battery in self.batteries:
            at = f"battery.{battery.id}"
            yield f"{at}.volts", layout.code("volts", battery.bus)
            yield f"{at}.amps", f"-{layout.code('amps', at)}"
            yield f"{at}.charge", layout.code("x", f"{at}.charge")
            yield f"{at}.celsius", layout.code("x", f"{at}.celsius")

    def unit(self, host: Host, start: Sections, number: int) -> BatteriesUnit:
        """The batteries of one aircraft."""
        charges = start.section(BatteriesStart).battery_charge
        celsius = start.section(Surroundings).outside_celsius
        return BatteriesUnit(host, number, self.batteries, celsius, [charges[each.id] for each in self.batteries])


class BatteriesUnit(Unit):
    """The batteries of one aircraft at one outside temperature."""

    def __init__(
        self, host: Host, number: int, batteries: tuple[Battery, ...], celsius: float, charges: list[float]
    ) -> None:
        super().__init__(host, number)
        self._batteries, self._celsius, self._charges = batteries, celsius, charges
        self._nodes = [host.layout.nodes[battery.bus] for battery in batteries]
        names = [f"battery.{battery.id}" for battery in batteries]
        self._branches = [host.layout.branches[name] for name in names]
        self._charge_at = [host.layout.x[f"{name}.charge"] for name in names]
        # All of it moves with the charge.
        self.emf = [0.0] * len(batteries)
        self.models: list[BatteryModel] = []
        self._places: list[tuple[int, int, BatteryModel]] = []

    def begin(self) -> list[float]:
        """Charged as the exercise says, settled, and as warm as the air."""
        return [figure for charge in self._charges for figure in (charge, 0.0, self._celsius)]

    def wiring(self) -> list[Branch]:
        """Resistances at this temperature; a weak battery has several times as much, a shorted one less volts."""
        faults = self.host.faults.active
        self.models = [
            BatteryModel.of(
                battery,
                self._celsius,
                faults.get(("battery_weak", battery.id), 1.0),
                faults.get(("battery_hot", battery.id), 0.0),
            )
            for battery in self._batteries
        ]
        self._places = list(zip(self._branches, self._charge_at, self.models, strict=True))
        return [Branch(GROUND, node, 1 / model.r0_ohm) for node, model in zip(self._nodes, self.models, strict=True)]

    def moving_emf(self, x: Sequence[float], emf: list[float]) -> None:
        """Open-circuit volts and polarisation."""
        for branch, at, model in self._places:
            emf[branch] = model.open_circuit_volts(x[at]) + x[at + 1]

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """By the laws of `battery_model`; charging counts as positive there."""
        rates: list[float] = []
        slopes: list[float] = []
        for branch, at, model in self._places:
            # The network counts current out of a branch from ground as positive; the battery laws count charging so.
            *own, slope = model.rates(x[at], x[at + 1], x[at + 2], -amps[branch], answers[branch])
            rates += own
            slopes.append(slope)
        return rates, slopes
