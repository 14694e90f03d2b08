"""The APU as a turbine: how speed, exhaust temperature and oil pressure change. Percent, degrees Celsius, psi, seconds.

Speed gains by the starter's current and by burning, and loses by drag. Below `burn_from_percent` burning gives nothing,
and a little above it still less than drag takes: the self-sustaining speed follows from that. A starter that turns
slowly keeps the fuel burning in little air for longer, so low volts make a hotter or a failed start; no rule says so.
"""

from __future__ import annotations

from dataclasses import dataclass

from lumenstat.documents.systems import Apu

GOVERNOR_BAND_PERCENT = 5.0
LEAST_FUEL = 0.12
OIL_FULL_AT_PERCENT = 80.0
AIR_AT_REST = 0.1
STIFFNESS_REACH = 0.02


@dataclass(frozen=True, slots=True)
class Turbine:
    """A turbine at one outside temperature."""

    apu: Apu
    ambient_celsius: float

    def governor(self, speed: float) -> float:
        """Share of its fuel that the governor lets through."""
        wanted = (self.apu.spool.governed_percent + 1 - speed) / GOVERNOR_BAND_PERCENT
        return min(1.0, max(LEAST_FUEL, wanted))

    def acceleration(self, speed: float, amps: float, lit: bool, strength: float) -> float:
        """Percent per second; `strength` is the share of its power that burning gives (1 unless hung)."""
        spool, starter = self.apu.spool, self.apu.starter
        gained = starter.percent_per_second_per_kiloamp * amps / 1000
        if lit and speed > spool.burn_from_percent:
            share = (speed - spool.burn_from_percent) / (100 - spool.burn_from_percent)
            gained += spool.burn * share * self.governor(speed) * strength
        lost = spool.drag_linear * speed + spool.drag_square * speed * speed
        return gained - lost if speed > 0 or gained > lost else 0.0

    def stiffness(self, speed: float, amps: float, lit: bool, strength: float) -> float:
        """How the acceleration changes with speed, per second; strongly negative where the governor holds it."""
        low, high = max(0.0, speed - STIFFNESS_REACH), speed + STIFFNESS_REACH
        change = self.acceleration(high, amps, lit, strength) - self.acceleration(low, amps, lit, strength)
        return min(0.0, change / (high - low))

    def exhaust_target(self, speed: float, lit: bool) -> float:
        """Where the exhaust temperature tends."""
        if not lit:
            return self.ambient_celsius
        exhaust = self.apu.exhaust
        flow = (exhaust.flow_idle + exhaust.flow_slope * speed / 100) * self.governor(speed)
        return self.ambient_celsius + exhaust.rise_celsius * flow / (speed / 100 + AIR_AT_REST)

    def oil_target(self, speed: float) -> float:
        """Where the oil pressure tends."""
        return self.apu.oil.psi * min(1.0, max(0.0, speed) / OIL_FULL_AT_PERCENT)
