"""A turbine: how speed, exhaust temperature and oil pressure change. Percent, degrees Celsius, psi, seconds.

Speed gains by what turns it from outside (`push`, percent per second) and by burning, and loses by drag. Below
`burn_from_percent` burning gives nothing, and a little above it still less than drag takes: the self-sustaining speed
follows from that. A starter that turns slowly keeps the fuel burning in little air for longer, so low volts, low duct
pressure or early fuel make a hotter or a failed start; no rule says so.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Annotated

from lumenstat.language.values import NotNegative, Positive, Since, Written
from lumenstat.systems.terms import State

GOVERNOR_BAND_PERCENT = 5.0
LEAST_FUEL = 0.12
OIL_FULL_AT_PERCENT = 80.0
AIR_AT_REST = 0.1
RICHEST = 1.8
"""Fuel for air at which burning is hottest; what is more does not find any air."""
METAL_HOLDS = 10.0
"""Once nothing burns, the metal gives its heat to the air that passes: so many times slower than the gas warms."""
COLD_OIL_PER_DEGREE = 0.033
WARM_ENOUGH_CELSIUS = 15.0
SPEED_TOLERANCE = 0.05
CELSIUS_TOLERANCE = 2.0
FOLLOWING_TOLERANCE = 0.005
"""Of what only follows the speed (oil pressure, fan or propeller): as a share of its full figure."""


def turbine_states(
    speed: str,
    temperature: str,
    speed_lag: float = 0.0,
    exhaust_lag: float = 0.0,
    stiff: tuple[bool, bool] = (True, False),
) -> tuple[State, State]:
    """The states of something that turns and warms, by their names."""
    return (
        State(speed, speed_lag, SPEED_TOLERANCE, stiff=stiff[0], never_negative=True),
        State(temperature, exhaust_lag, CELSIUS_TOLERANCE, stiff=stiff[1]),
    )


class Spool(Written):
    """A turbine's one shaft. In percent per second: drag is `rest + linear N + square N^2` while it turns, burning
    gives `burn (N - from) / (100 - from)` times its fuel, which the governor takes back near the speed it holds.
    Under 15 degC drag grows by `exp(cold (15 - T))`, of oil that has become thick.
    """

    drag_rest: NotNegative = 0.0
    cold_drag_per_degree: Annotated[NotNegative, Since("0.4")] = 0.0
    drag_linear: NotNegative
    drag_square: NotNegative
    burn: Positive
    burn_from_percent: NotNegative
    governed_percent: Positive = 100.0


class Exhaust(Written):
    """Gas temperature: lags towards ambient plus `rise * flow / (N/100 + 0.1)`, flow `idle + slope N/100`.

    Flow for air never counts for more than 1.8. Without fire it cools ten times more slowly: metal holds heat.
    """

    rise_celsius: Positive
    flow_idle: Positive
    flow_slope: NotNegative
    lag_seconds: Positive


class Oil(Written):
    """Oil pressure grows with speed to `psi` at 80 percent, with a lag."""

    psi: Positive
    low_below_psi: Positive
    lag_seconds: Positive


@dataclass(frozen=True)
class Turbine:
    """A turbine at one outside temperature. `even` burning gives the same push at any speed, as in a piston engine."""

    spool: Spool
    exhaust: Exhaust
    oil: Oil
    ambient_celsius: float
    even: bool = False

    @cached_property
    def thick(self) -> float:
        """How many times more drag cold oil makes."""
        per_degree = self.spool.cold_drag_per_degree or (COLD_OIL_PER_DEGREE if self.even else 0.0)
        return math.exp(per_degree * max(0.0, WARM_ENOUGH_CELSIUS - self.ambient_celsius))

    def governor(self, speed: float, governed: float) -> float:
        """Share of its fuel that the governor lets through to hold a speed."""
        wanted = (governed + 1 - speed) / GOVERNOR_BAND_PERCENT
        # A flame needs some fuel even where the governor wants none, or an engine would go out each time it
        # is fast.
        return 1.0 if wanted > 1 else wanted if wanted > LEAST_FUEL else LEAST_FUEL

    def acceleration(self, speed: float, push: float, burning: float, let: float) -> tuple[float, float]:
        """Percent per second, and how it changes with speed per second, strongly negative where the governor holds it.

        `burning` is the share of its power that burning gives: 0 unlit, 1 well, less if hung; `let` what the governor
        lets through.
        """
        spool, gained, slope, thick = self.spool, push, 0.0, self.thick
        # Below that the turbine takes more than it gives; the starter has to carry it there.
        if burning and speed > spool.burn_from_percent:
            reach = 100 - spool.burn_from_percent
            # In a turbine the air that burns comes from the shaft itself, so push grows with speed.
            share, steeper = (1.0, 0.0) if self.even else ((speed - spool.burn_from_percent) / reach, 1 / reach)
            power = spool.burn * burning
            gained += power * share * let
            slope = power * (steeper * let - (share / GOVERNOR_BAND_PERCENT if LEAST_FUEL < let < 1 else 0.0))
        # At rest friction holds: less than it takes turns nothing, and nothing turns backwards.
        if speed <= 0:
            return (gained if gained > spool.drag_rest * thick else 0.0), 0.0
        slope -= (spool.drag_linear + 2 * spool.drag_square * speed) * thick
        lost = (spool.drag_linear * speed + spool.drag_square * speed * speed + spool.drag_rest) * thick
        # Stiff steps are stable only where the slope pulls back; a run-up that feeds itself is stepped
        # plainly.
        return gained - lost, min(0.0, slope)

    def fuel(self, speed: float, let: float) -> float:
        """Fuel that burns where the governor lets this share through, as a share of what it takes at full speed."""
        exhaust = self.exhaust
        return (exhaust.flow_idle + exhaust.flow_slope * speed / 100) * let

    def exhaust_target(self, speed: float, flow: float) -> float:
        """Where the gas temperature tends while this flow burns."""
        richness = flow / (speed / 100 + AIR_AT_REST)
        return self.ambient_celsius + self.exhaust.rise_celsius * (richness if richness < RICHEST else RICHEST)

    def oil_target(self, speed: float) -> float:
        """Where the oil pressure tends."""
        return self.oil.psi * (speed / OIL_FULL_AT_PERCENT if speed < OIL_FULL_AT_PERCENT else 1.0)
