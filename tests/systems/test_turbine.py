"""The law of a turbine's speed: its slope is the slope of its rate, whatever it is told about fuel and governor."""

from __future__ import annotations

import pytest

from lumenstat.systems.turbine import Exhaust, Oil, Spool, Turbine

STEP = 1e-4


def turbine(even: bool = False) -> Turbine:
    spool = Spool(drag_linear=0.035, drag_square=0.0008, burn=15, burn_from_percent=13, governed_percent=66)
    exhaust = Exhaust(rise_celsius=640, flow_idle=0.3, flow_slope=0.4, lag_seconds=2.4)
    return Turbine(spool, exhaust, Oil(psi=90, low_below_psi=38, lag_seconds=3), 5.0, even=even)


@pytest.mark.parametrize("even", [False, True])
@pytest.mark.parametrize(("speed", "burning"), [(8.0, 0.0), (30.0, 0.0), (30.0, 1.0), (55.0, 0.45), (70.0, 1.0)])
def test_slope_is_that_of_the_rate(speed: float, burning: float, even: bool) -> None:
    """Where burning pushes harder than drag holds, the slope is told as 0: nothing there answers itself."""
    law = turbine(even)

    def rate(at: float) -> float:
        return law.acceleration(at, 0.0, burning, 1.0)[0]

    by_difference = (rate(speed + STEP) - rate(speed - STEP)) / (2 * STEP)
    assert law.acceleration(speed, 0.0, burning, 1.0)[1] == pytest.approx(min(0.0, by_difference), abs=1e-6)


@pytest.mark.parametrize("speed", [63.0, 64.5, 66.0])
def test_the_governor_s_share_is_in_the_slope(speed: float) -> None:
    law = turbine()

    def rate(at: float) -> float:
        return law.acceleration(at, 0.0, 1.0, law.governor(at, 66))[0]

    by_difference = (rate(speed + STEP) - rate(speed - STEP)) / (2 * STEP)
    assert law.acceleration(speed, 0.0, 1.0, law.governor(speed, 66))[1] == pytest.approx(
        min(0.0, by_difference), abs=1e-4
    )
