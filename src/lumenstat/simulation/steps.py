"""One step of the continuous half: figures that lag, figures with a plain rate, and stiff ones.

`x` lags towards a target where its lag is not 0. Stiff figures (the polarisation of a battery on a strong bus, which
answers its own current; the speed of a governed engine) come with their own slope per second, never above 0, and take
exponential steps of second order (ETD2RK), which are exact for a straight line and so may be of any length.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field


def phi_1(z: float) -> float:
    """(e^z - 1) / z, 1 at 0."""
    return math.expm1(z) / z if z < -1e-8 or z > 1e-8 else 1.0


def phi_2(z: float) -> float:
    """(e^z - 1 - z) / z^2, 1/2 at 0."""
    return (math.expm1(z) - z) / (z * z) if z < -1e-4 or z > 1e-4 else 0.5 + z / 6


@dataclass
class Steps:
    """How the figures of one aircraft step: lags in seconds, which are stiff, which are shares or never negative."""

    lags: list[float]
    stiff: list[int]
    shares: list[int]
    not_negative: list[int]
    tolerances: list[tuple[int, float]]
    _kept: dict[int, list[float]] = field(default_factory=dict)

    def advance(self, x: list[float], rates: list[float], ticks: int) -> list[float]:
        """The figures after some ticks at these rates (the slopes of the stiff ones follow behind)."""
        lagged = self._kept.get(ticks)
        seconds = ticks / 100
        if lagged is None:
            lagged = self._kept[ticks] = [1 - math.exp(-seconds / lag) if lag else 0.0 for lag in self.lags]
        after = [
            at + (rate - at) * share if share else at + rate * seconds
            for at, rate, share in zip(x, rates, lagged, strict=False)
        ]
        for n in self.shares:
            after[n] = 1.0 if after[n] > 1 else 0.0 if after[n] < 0 else after[n]  # what is no figure stays none
        at = len(x)
        for n in self.stiff:
            if rate := rates[n]:
                z = rates[at] * seconds
                after[n] = x[n] + rate * seconds * (math.expm1(z) / z if z < -1e-8 or z > 1e-8 else 1.0)
            at += 1
        self._bound(after)
        return after

    def correct(
        self, x: list[float], rough: list[float], start: list[float], end: list[float], ticks: int
    ) -> list[float]:
        """A better estimate from the rates at both ends of the step."""
        after = self.advance(x, [(one + other) / 2 for one, other in zip(start, end, strict=True)], ticks)
        seconds = ticks / 100
        at = len(x)
        for n in self.stiff:
            slope = start[at]
            at += 1
            bend = (end[n] - slope * rough[n]) - (start[n] - slope * x[n])
            after[n] = rough[n] + bend * seconds * phi_2(slope * seconds) if bend else rough[n]
        self._bound(after)
        return after

    def _bound(self, after: list[float]) -> None:
        for n in self.not_negative:
            if after[n] < 0:
                after[n] = 0.0

    def error(self, rough: list[float], fine: list[float]) -> float:
        """How far two estimates of a step lie apart, 1 being just tolerable."""
        worst = 0.0
        for n, tolerance in self.tolerances:
            apart = abs(rough[n] - fine[n]) / tolerance
            worst = max(worst, apart)
        return worst
