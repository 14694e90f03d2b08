"""One step of the continuous half: figures that lag, figures with a plain rate, and stiff ones.

`x` lags towards a target where its lag is not 0. Stiff figures (the polarisation of a battery on a strong bus, which
answers its own current; the speed of a governed engine) come with their own slope per second, never above 0, and take
exponential steps of second order (ETD2RK), which are exact for a straight line and so may be of any length.

The three formulas are written out for each set of figures as generated functions: half the time of loops over lists.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

Advance = Callable[[list[float], list[float], list[float], float], list[float]]
Correct = Callable[[list[float], list[float], list[float], list[float], list[float], float], list[float]]
Error = Callable[[list[float], list[float]], float]


def phi_1(z: float) -> float:
    """(e^z - 1) / z, 1 at 0."""
    return math.expm1(z) / z if z < -1e-8 or z > 1e-8 else 1.0


def phi_2(z: float) -> float:
    """(e^z - 1 - z) / z^2, 1/2 at 0."""
    return (math.expm1(z) - z) / (z * z) if z < -1e-4 or z > 1e-4 else 0.5 + z / 6


@dataclass(frozen=True)
class Layout:
    """How the figures of one aircraft step: lags in seconds, which are stiff, which are shares or never negative, and
    what error of which is just tolerable."""

    lags: tuple[float, ...]
    stiff: tuple[int, ...]
    shares: tuple[int, ...]
    not_negative: tuple[int, ...]
    tolerances: tuple[tuple[int, float], ...]


class Steps:
    """Steps of the figures of one layout."""

    def __init__(self, layout: Layout) -> None:
        self.layout = layout
        self._advance, self._correct, self.error = _written_out(layout)
        self._kept: dict[int, list[float]] = {}

    def _lagged(self, ticks: int) -> list[float]:
        """For every lagging figure what share of its way it goes in so many ticks."""
        lagged = self._kept.get(ticks)
        if lagged is None:
            lagged = self._kept[ticks] = [1 - math.exp(-ticks / 100 / lag) for lag in self.layout.lags if lag]
        return lagged

    def advance(self, x: list[float], rates: list[float], ticks: int) -> list[float]:
        """The figures after some ticks at these rates (the slopes of the stiff ones follow behind)."""
        return self._advance(x, rates, self._lagged(ticks), ticks / 100)

    def correct(
        self, x: list[float], rough: list[float], start: list[float], end: list[float], ticks: int
    ) -> list[float]:
        """A better estimate from the rates at both ends of the step."""
        return self._correct(x, rough, start, end, self._lagged(ticks), ticks / 100)


@lru_cache(maxsize=32)
def _written_out(layout: Layout) -> tuple[Advance, Correct, Error]:
    space: dict[str, object] = {"phi_1": phi_1, "phi_2": phi_2}
    exec(compile(source_of(layout), "<steps>", "exec"), space)  # noqa: S102 - our own text, numbers only
    return space["advance"], space["correct"], space["error"]  # type: ignore[return-value]


def source_of(layout: Layout) -> str:
    """The text of the three functions, printable for debugging."""
    figures = range(len(layout.lags))
    lagging = [n for n in figures if layout.lags[n]]
    rates = [*(f"{n}" for n in figures), *(f"s{n}" for n in layout.stiff)]

    def unpack(name: str, parts: list[str], prefix: str) -> str:
        return f"    {''.join(f'{prefix}{part}, ' for part in parts)}= {name}" if parts else "    pass"

    def bounded(n: int) -> list[str]:
        if n in layout.shares:
            return [f"    if y{n} > 1: y{n} = 1.0", f"    elif y{n} < 0: y{n} = 0.0"]
        return [f"    if y{n} < 0: y{n} = 0.0"] if n in layout.not_negative else []

    names = [f"{n}" for n in figures]
    back = f"    return [{', '.join(f'y{n}' for n in figures)}]"
    shares = unpack("share", [f"{n}" for n in lagging], "g")
    lines = ["def advance(x, rates, share, s):", unpack("x", names, "x"), unpack("rates", rates, "r"), shares]
    for n in figures:
        if n in layout.stiff:
            lines.append(f"    y{n} = x{n} + r{n} * s * phi_1(rs{n} * s) if r{n} else x{n}")
        else:
            lines.append(f"    y{n} = x{n} + {f'(r{n} - x{n}) * g{n}' if layout.lags[n] else f'r{n} * s'}")
        lines += bounded(n)
    lines += [back, "def correct(x, rough, start, end, share, s):", unpack("x", names, "x"), shares]
    lines += [unpack("rough", names, "y"), unpack("start", rates, "r"), unpack("end", rates, "e")]
    for n in figures:
        if n in layout.stiff:
            lines.append(f"    bend = e{n} - r{n} - rs{n} * (y{n} - x{n})")
            lines.append(f"    if bend: y{n} += bend * s * phi_2(rs{n} * s)")
        else:
            mean = f"(r{n} + e{n}) / 2"
            lines.append(f"    y{n} = x{n} + {f'({mean} - x{n}) * g{n}' if layout.lags[n] else f'{mean} * s'}")
        lines += bounded(n)
    worst = [f"abs(rough[{n}] - fine[{n}]) / {tolerance!r}" for n, tolerance in layout.tolerances]
    lines += [back, "def error(rough, fine):", f"    return max({', '.join([*worst, '0.0', '0.0'])})"]
    return "\n".join([*lines, ""])
