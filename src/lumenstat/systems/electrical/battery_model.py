"""One battery: open-circuit volts by charge, resistances, and how its charge and polarisation change.

Terminal volts = open_circuit(charge) + polarisation + amps * R0, with amps positive while charging.
Polarisation lags towards amps * R1; while charging, R1 grows steeply as the plates fill, so the current tapers.
Valid from -30 to 50 degC and 0 to 1 charge; every figure is a stand-in for training, not a maker's data.
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
        (0.1, 1.220),
        (0.2, 1.245),
        (0.5, 1.275),
        (0.8, 1.300),
        (0.95, 1.335),
        (1.0, 1.360),
    ),
}
"""Open-circuit volts of one cell against charge, joined by straight lines; an empty cell gives next to nothing."""

REFERENCE_CELSIUS = 25.0
TAPER = 0.4
TAPER_END = 1.03
GASSING_FROM = 0.95
EMPTY_BELOW = 0.005


@dataclass(frozen=True, slots=True)
class BatteryModel:
    """A battery at one temperature. Ohms, volts, ampere-hours, seconds.

    `lines` are the open-circuit volts between the inner `knots` of the curve: volts at no charge, volts per charge.
    """

    cells: int
    curve: tuple[tuple[float, float], ...]
    knots: tuple[float, ...]
    lines: tuple[tuple[float, float], ...]
    capacity_ah: float
    r0_ohm: float
    r1_ohm: float
    charging_r1_ohm: float
    tau_seconds: float
    efficiency: float
    peukert: float

    @staticmethod
    def of(battery: Battery, celsius: float, weakness: float = 1.0) -> BatteryModel:
        """The model of a document's battery at the outside temperature; `weakness` multiplies its resistances."""
        cold = weakness * math.exp(battery.cold_per_degree * (REFERENCE_CELSIUS - celsius))
        curve = CELL_CURVES[battery.chemistry]
        return BatteryModel(
            cells=battery.cells,
            curve=curve,
            knots=tuple(charge for charge, _ in curve[1:-1]),
            lines=tuple(_line(battery.cells, *ends) for ends in pairwise(curve)),
            capacity_ah=battery.capacity_ah,
            r0_ohm=battery.resistance_mohm / 1000 * cold,
            r1_ohm=battery.polarisation_mohm / 1000 * cold,
            charging_r1_ohm=(battery.charging_polarisation_mohm or battery.polarisation_mohm) / 1000 * cold,
            tau_seconds=battery.polarisation_seconds,
            efficiency=battery.charge_efficiency,
            peukert=battery.peukert,
        )

    def open_circuit_volts(self, charge: float) -> float:
        """Volts at rest, settled, with nothing connected."""
        at_nothing, per_charge = self.lines[bisect_right(self.knots, charge)]
        return at_nothing + per_charge * charge

    def polarisation_ohm(self, charge: float, charging: bool) -> float:
        """R1: small while giving current, and growing steeply with charge while taking it."""
        if not charging:
            return self.r1_ohm
        # Never divides by zero: the taper ends a little above full.
        filled = charge / (TAPER_END - min(charge, 1.0))
        return self.charging_r1_ohm * (1 + TAPER * filled * filled)

    def rates(self, charge: float, polarisation: float, amps: float, answer: float) -> tuple[float, float, float]:
        """Change of charge and of polarisation per second, and the slope of the latter (never above 0), where amps
        change by `answer` for a volt of it."""
        ohm, tau = self.polarisation_ohm(charge, amps > 0), self.tau_seconds
        slope = -(1 + ohm * answer) / tau if answer > 0 else -1 / tau
        return self.charge_per_second(charge, amps), (amps * ohm - polarisation) / tau, slope

    def charge_per_second(self, charge: float, amps: float) -> float:
        """Change of charge per second; near full most current goes into gas, near empty none comes out."""
        if amps >= 0:
            efficiency = self.efficiency
            if charge > GASSING_FROM:
                efficiency *= max(0.0, (1 - charge) / (1 - GASSING_FROM))
            return amps * efficiency / (3600 * self.capacity_ah)
        drawn = -amps
        rated = self.capacity_ah / 5
        if self.peukert > 1 and drawn > rated:
            drawn *= (drawn / rated) ** (self.peukert - 1)
        return -drawn * min(1.0, max(0.0, charge) / EMPTY_BELOW) / (3600 * self.capacity_ah)


def _line(cells: int, begin: tuple[float, float], end: tuple[float, float]) -> tuple[float, float]:
    per_charge = cells * (end[1] - begin[1]) / (end[0] - begin[0])
    return cells * begin[1] - per_charge * begin[0], per_charge
