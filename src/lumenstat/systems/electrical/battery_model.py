"""One battery: open-circuit volts by charge, resistances, and how its charge, polarisation and temperature change.

Terminal volts = open_circuit(charge) + polarisation + amps * R0, with amps positive while charging.
Polarisation lags towards amps * R1, and while giving current also towards what the plates themselves cost: they give
their first ampere dearly and the next ones cheaply. While charging, R1 grows steeply as the plates fill, so the current
tapers. Cold takes capacity and makes charging harder; losses and charge that is not kept warm it.
Valid from -30 to 60 degC and 0 to 1 charge; every figure is a stand-in for training, not a maker's data.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from dataclasses import dataclass
from itertools import pairwise

from lumenstat.systems.electrical.battery_part import Battery

CELL_CURVES: dict[str, tuple[tuple[float, float], ...]] = {
    "lead-acid": ((0.0, 0.25), (0.006, 1.60), (0.02, 1.88), (0.1, 1.950), (0.5, 2.045), (0.9, 2.120), (1.0, 2.140)),
    "nickel-cadmium": (
        (0.0, 0.15),
        (0.006, 0.90),
        (0.02, 1.15),
        (0.1, 1.235),
        (0.2, 1.262),
        (0.5, 1.275),
        (0.8, 1.288),
        (0.95, 1.335),
        (1.0, 1.360),
    ),
}
"""Open-circuit volts of one cell against charge, joined by straight lines; an empty cell gives next to nothing."""

REFERENCE_CELSIUS = 25.0
TAPER = 0.4
TAPER_END = 1.03
GASSING_FROM = 0.95
# What can be taken fades out over the last half percent, so that charge ends at 0 and never below.
EMPTY_BELOW = 0.005
COLD_TAKES = {"lead-acid": 0.5 / 45, "nickel-cadmium": 0.25 / 45}
"""Share of its capacity that a battery loses for each degree under 25: at -20 degC half, or a quarter."""
LEAST_CAPACITY = 0.25
CELL_VOLTS_GIVING = {"lead-acid": 0.012, "nickel-cadmium": 0.007}
"""What the plates of a cell cost while they give: volts for each unit of asinh(amps / exchange current)."""
EXCHANGE_HOURS = 50.0
"""The exchange current empties the battery in so many hours."""
GAS_WARMS = {"lead-acid": 0.5, "nickel-cadmium": 1.0}
"""Share of the charge not kept that stays as heat; the rest leaves as gas. Sealed cells join it again inside."""
JOULES_PER_KELVIN_AH = 850.0
SHORTED_HEATS = 5.0
"""Shorted cells are a part of the battery only, and so warm the faster."""
SHORTED_TAKES_AT = 0.8
EMPTYING = 0.1
"""R1 while giving grows by this over the charge: an empty battery gives its current from ever deeper in the plates."""


@dataclass(frozen=True, slots=True)
class BatteryModel:
    """A battery at one temperature. Ohms, volts, ampere-hours, seconds.

    `lines` are the open-circuit volts between the inner `knots` of the curve: volts at no charge, volts per charge.
    """

    cells: int
    curve: tuple[tuple[float, float], ...]
    knots: tuple[float, ...]
    lines: tuple[tuple[float, float], ...]
    chemistry: str
    capacity_ah: float
    r0_ohm: float
    r1_ohm: float
    charging_r1_ohm: float
    tau_seconds: float
    efficiency: float
    peukert: float
    cold_per_degree: float
    outside_celsius: float
    cooling_seconds: float
    shorted: float
    plates_volts: float
    exchange_amps: float

    @staticmethod
    def of(battery: Battery, celsius: float, weakness: float = 1.0, shorted: float = 0.0) -> BatteryModel:
        """The model of a document's battery at the outside temperature; `weakness` multiplies its resistances,
        `shorted` is the share of its cells that give nothing any more and only warm."""
        # Ions move the more slowly the colder it is; a worn battery has more of every resistance.
        cold = weakness * math.exp(battery.cold_per_degree * (REFERENCE_CELSIUS - celsius))
        curve = CELL_CURVES[battery.chemistry]
        return BatteryModel(
            cells=battery.cells,
            curve=curve,
            knots=tuple(charge for charge, _ in curve[1:-1]),
            lines=tuple(_line(battery.cells, *ends) for ends in pairwise(curve)),
            chemistry=battery.chemistry,
            capacity_ah=battery.capacity_ah,
            r0_ohm=battery.resistance_mohm / 1000 * cold,
            r1_ohm=battery.polarisation_mohm / 1000 * weakness,
            charging_r1_ohm=(battery.charging_polarisation_mohm or battery.polarisation_mohm) / 1000 * weakness,
            tau_seconds=battery.polarisation_seconds,
            efficiency=battery.charge_efficiency,
            peukert=battery.peukert,
            cold_per_degree=battery.cold_per_degree,
            outside_celsius=celsius,
            cooling_seconds=battery.cooling_seconds / (SHORTED_HEATS if shorted else 1.0),
            shorted=shorted,
            plates_volts=battery.cells * CELL_VOLTS_GIVING[battery.chemistry],
            exchange_amps=battery.capacity_ah / EXCHANGE_HOURS,
        )

    def open_circuit_volts(self, charge: float) -> float:
        """Volts at rest, settled, with nothing connected."""
        at_nothing, per_charge = self.lines[bisect_right(self.knots, charge)]
        return (at_nothing + per_charge * charge) * (1 - self.shorted)

    def share_of_capacity(self, celsius: float) -> float:
        """What cold leaves of the capacity."""
        colder = REFERENCE_CELSIUS - celsius
        return 1.0 if colder <= 0 else max(LEAST_CAPACITY, 1 - COLD_TAKES[self.chemistry] * colder)

    def _warm(self, celsius: float) -> float:
        return math.exp(self.cold_per_degree * (REFERENCE_CELSIUS - celsius))

    def _ohm(self, charge: float, charging: bool, warm: float, share: float) -> float:
        """R1: small while giving current, and growing steeply with charge while taking it; more of both in the cold."""
        if not charging:
            return self.r1_ohm * warm * (1 + EMPTYING / (charge if charge > EMPTYING / 5 else EMPTYING / 5))
        # Shorted cells never fill, so the current does not taper.
        full = min(charge, SHORTED_TAKES_AT if self.shorted else 1.0)
        # Never divides by zero: the taper ends a little above full.
        filled = full / (TAPER_END - full)
        return self.charging_r1_ohm * warm / share * (1 + TAPER * filled * filled)

    def rates(
        self, charge: float, polarisation: float, celsius: float, amps: float, answer: float
    ) -> tuple[float, float, float, float]:
        """Change of charge, of polarisation and of temperature per second, and the slope of the second (never above 0),
        where amps change by `answer` for a volt of it."""
        tau, share = self.tau_seconds, self.share_of_capacity(celsius)
        ohm = self._ohm(charge, amps > 0, self._warm(celsius), share)
        target = amps * ohm
        if amps < 0:
            # Butler and Volmer's law with equal shares for both directions, solved for volts: asinh of
            # the current.
            target += self.plates_volts * math.asinh(amps / self.exchange_amps)
            # Its slope at this current, as a resistance beside R1.
            ohm += self.plates_volts / math.hypot(amps, self.exchange_amps)
        # A volt of polarisation changes the current, and the current its target: on a strong bus it comes
        # back at once.
        slope = -(1 + ohm * answer) / tau if answer > 0 else -1 / tau
        warming = self.warming(charge, polarisation, celsius, amps)
        return self._charge_rate(charge, amps, share), (target - polarisation) / tau, warming, slope

    def kept(self, charge: float) -> float:
        """The share of what goes in that is kept; near full most of it becomes gas or heat."""
        if self.shorted:
            return self.efficiency * (1 - charge)
        if charge > GASSING_FROM:
            return self.efficiency * max(0.0, (1 - charge) / (1 - GASSING_FROM))
        return self.efficiency

    def warming(self, charge: float, polarisation: float, celsius: float, amps: float) -> float:
        """Kelvin per second: what resistance, polarisation and charge that is not kept give, less what goes outside."""
        # Polarisation warms where it works against the current, on charge as on discharge.
        watts = amps * amps * self.r0_ohm + max(0.0, amps * polarisation)
        if amps > 0:
            not_kept = amps * self.open_circuit_volts(charge) * (1 - self.kept(charge))
            watts += not_kept * GAS_WARMS[self.chemistry]
        heat = self.capacity_ah * JOULES_PER_KELVIN_AH / (SHORTED_HEATS if self.shorted else 1.0)
        return watts / heat - (celsius - self.outside_celsius) / self.cooling_seconds

    def charge_per_second(self, charge: float, amps: float, celsius: float = REFERENCE_CELSIUS) -> float:
        """Change of charge per second; near full most current goes into gas, near empty none comes out."""
        return self._charge_rate(charge, amps, self.share_of_capacity(celsius))

    def _charge_rate(self, charge: float, amps: float, share: float) -> float:
        capacity = self.capacity_ah * share
        if amps >= 0:
            return amps * self.kept(charge) / (3600 * capacity)
        drawn = -amps
        rated = self.capacity_ah / 5
        # Rated at five hours: what is drawn faster than that takes more out than it gives.
        if self.peukert > 1 and drawn > rated:
            drawn *= (drawn / rated) ** (self.peukert - 1)
        return -drawn * min(1.0, max(0.0, charge) / EMPTY_BELOW) / (3600 * capacity)


def _line(cells: int, begin: tuple[float, float], end: tuple[float, float]) -> tuple[float, float]:
    per_charge = cells * (end[1] - begin[1]) / (end[0] - begin[0])
    return cells * begin[1] - per_charge * begin[0], per_charge
