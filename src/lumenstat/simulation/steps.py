"""Integrates the continuous states over one step: states that lag, states with a plain rate, and stiff ones.

A state `x` with a lag tends to a target. A stiff state (the polarisation of a battery on a strong bus, the speed of a
governed engine) brings the slope of its own rate, never above 0, and takes exponential steps of second order (ETD2RK),
which are exact where the rate is a straight line.

A step follows one formula from its start, from the rates there and their `curvatures`: by how much each rate changes
per second. It is taken twice. The rough one takes the curvatures of the step before (0 after a switch); the second one
those that the rates at the rough end show. Their difference is the error. The same formula gives the states at any
moment of the step.

The formulas are written out as generated functions for each set of states: half the time of loops over lists.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from lumenstat.systems.system import System

Advance = Callable[[list[float], list[float], list[float], list[float], float], list[float]]
Correct = Callable[
    [list[float], list[float], list[float], list[float], list[float], float], tuple[list[float], list[float], float]
]
CACHED_AT_MOST = 5000
NEARLY_STRAIGHT = 1e-4
"""Slope times step below which (e^z - 1) / z and (e^z - 1 - z) / z^2 are taken as 1 + z/2 and (1 + z/3) / 2."""


@dataclass(frozen=True)
class StateKinds:
    """How the states of an aircraft step: lags in seconds, which are stiff, which are shares or never negative, and
    what error of which is just tolerable."""

    lags: tuple[float, ...]
    stiff: tuple[int, ...]
    shares: tuple[int, ...]
    not_negative: tuple[int, ...]
    tolerances: tuple[tuple[int, float], ...]


class Steps:
    """Steps of one set of states; `steps_of` gives the one that all aircraft with such states share."""

    def __init__(self, kinds: StateKinds) -> None:
        self.kinds = kinds
        self.straight = [0.0] * len(kinds.lags)
        self._advance, self._correct = _written_out(kinds)
        self._kept: dict[int, list[float]] = {}

    def _lagged(self, ticks: int) -> list[float]:
        """For every lagging figure what share of its way it goes in so many ticks."""
        lagged = self._kept.get(ticks)
        if lagged is None:
            if len(self._kept) >= CACHED_AT_MOST:
                self._kept.clear()
            lagged = self._kept[ticks] = [1 - math.exp(-ticks / 100 / lag) for lag in self.kinds.lags if lag]
        return lagged

    def advance(self, x: list[float], rates: list[float], curvatures: list[float], ticks: int) -> list[float]:
        """The states after some ticks at these rates (slopes of stiff states follow behind) and curvatures."""
        return self._advance(x, rates, curvatures, self._lagged(ticks), ticks / 100)

    def correct(
        self, x: list[float], rough: list[float], start: list[float], end: list[float], ticks: int
    ) -> tuple[list[float], list[float], float]:
        """The curvatures that the rates at the rough end show, the states with them, and the worst error.

        Of a stiff state the curvature is of what its slope leaves of its rate. An error counts as a share of what is
        tolerable.
        """
        return self._correct(x, rough, start, end, self._lagged(ticks), ticks / 100)


@lru_cache(maxsize=32)
def steps_of(kinds: StateKinds) -> Steps:
    """The steps of this kinds."""
    return Steps(kinds)


def kinds_of(systems: Sequence[System]) -> StateKinds:
    """The kinds of all states of these systems, in the order of their layout."""
    states = [state for system in systems for state in system.states()]
    numbered = list(enumerate(states))
    return StateKinds(
        lags=tuple(state.lag_seconds for state in states),
        stiff=tuple(n for n, state in numbered if state.stiff),
        shares=tuple(n for n, state in numbered if state.is_share),
        not_negative=tuple(n for n, state in numbered if state.never_negative),
        tolerances=tuple((n, state.tolerance) for n, state in numbered if state.tolerance is not None),
    )


def _written_out(kinds: StateKinds) -> tuple[Advance, Correct]:
    space: dict[str, Any] = {"expm1": math.expm1}
    exec(compile(source_of(kinds), "<steps>", "exec"), space)  # noqa: S102 - our own text, numbers only
    return space["advance"], space["correct"]


def source_of(kinds: StateKinds) -> str:
    """The text of the functions, printable for debugging."""
    figures = range(len(kinds.lags))
    names = [f"{n}" for n in figures]
    rates = [*names, *(f"s{n}" for n in kinds.stiff)]
    lagging = [f"{n}" for n in figures if kinds.lags[n]]

    def unpack(name: str, parts: list[str], prefix: str) -> str:
        return f"    {''.join(f'{prefix}{part}, ' for part in parts)}= {name}" if parts else "    pass"

    # Names, not lists: local variables are the fastest thing that Python has.
    given = [unpack("x", names, "x"), unpack("share", lagging, "g"), "    h = s / 2"]
    stepped = [line for n in figures for line in _stepped(kinds, n)]
    reached = f"[{', '.join(f'y{n}' for n in figures)}]"
    curvatures = [
        f"    b{n} = (e{n} - r{n} - rs{n} * (o{n} - x{n})) / s" if n in kinds.stiff else f"    b{n} = (e{n} - r{n}) / s"
        for n in figures
    ]
    # Only states with a tolerance have a say in the length of a step.
    errors = [f"abs(o{n} - y{n}) / {tolerance!r}" for n, tolerance in kinds.tolerances]
    lines = [
        "def advance(x, rates, curvatures, share, s):",
        *given,
        unpack("rates", rates, "r"),
        unpack("curvatures", names, "b"),
        *stepped,
        f"    return {reached}",
        "def correct(x, rough, start, end, share, s):",
        *given,
        unpack("rough", names, "o"),
        unpack("start", rates, "r"),
        unpack("end", rates, "e"),
        *curvatures,
        *stepped,
        f"    worst = max({', '.join([*errors, '0.0', '0.0'])})",
        f"    return [{', '.join(f'b{n}' for n in figures)}], {reached}, worst",
    ]
    return "\n".join([*lines, ""])


def _stepped(kinds: StateKinds, n: int) -> list[str]:
    """Code of state n at the end of a step, `y`: from `x`, its rate `r`, its curvature `b`, and `g` if it lags."""
    if n in kinds.stiff:
        lines = [
            f"    if r{n} or b{n}:",
            f"        z = rs{n} * s",
            f"        if z < {-NEARLY_STRAIGHT!r}:",
            # e^z - 1 by itself loses its digits where z is small.
            "            p = expm1(z)",
            # x
            f"            y{n} = x{n} + (r{n} * p + b{n} * (p - z) / rs{n}) / rs{n}",
            "        else:",
            f"            y{n} = x{n} + (r{n} * (1 + z / 2) + b{n} * h * (1 + z / 3)) * s",
            f"    else: y{n} = x{n}",
        ]
    elif kinds.lags[n]:
        lines = [f"    y{n} = x{n} + (r{n} + b{n} * h - x{n}) * g{n}"]
    else:
        lines = [f"    y{n} = x{n} + (r{n} + b{n} * h) * s"]
    # A charge or an open share that a long step carries over its end stands at its end.
    if n in kinds.shares:
        lines += [f"    if y{n} > 1: y{n} = 1.0", f"    elif y{n} < 0: y{n} = 0.0"]
    elif n in kinds.not_negative:
        lines.append(f"    if y{n} < 0: y{n} = 0.0")
    return lines
