"""One step of the continuous half: figures that lag, figures with a plain rate, and stiff ones.

`x` lags towards a target where its lag is not 0. Stiff figures (the polarisation of a battery on a strong bus, which
answers its own current; the speed of a governed engine) come with their own slope per second, never above 0, and take
exponential steps of second order (ETD2RK), which are exact for a straight line and so may be of any length.

A step follows one formula from its start: `advance` with the rates there and with their `bends`, by how much each rate
changes per second. It is taken twice: with the bends of the step before (0 after a switch), which is the rough one,
and with those found from the rates at the rough end. Their difference is the error; the same formula at any moment
between gives the figures there.

The formulas are written out for each set of figures as generated functions: half the time of loops over lists.
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
KEPT_AT_MOST = 5000
NEARLY_STRAIGHT = 1e-4
"""Slope times step below which (e^z - 1) / z and (e^z - 1 - z) / z^2 are taken as 1 + z/2 and (1 + z/3) / 2."""


@dataclass(frozen=True)
class StateKinds:
    """How the figures of one aircraft step: lags in seconds, which are stiff, which are shares or never negative, and
    what error of which is just tolerable."""

    lags: tuple[float, ...]
    stiff: tuple[int, ...]
    shares: tuple[int, ...]
    not_negative: tuple[int, ...]
    tolerances: tuple[tuple[int, float], ...]


class Steps:
    """Steps of the figures of one layout; `steps_of` gives the one that all aircraft of a kind share."""

    def __init__(self, kinds: StateKinds) -> None:
        self.kinds = kinds
        self.straight = [0.0] * len(kinds.lags)
        self._advance, self._correct = _written_out(kinds)
        self._kept: dict[int, list[float]] = {}

    def _lagged(self, ticks: int) -> list[float]:
        """For every lagging figure what share of its way it goes in so many ticks."""
        lagged = self._kept.get(ticks)
        if lagged is None:
            if len(self._kept) >= KEPT_AT_MOST:
                self._kept.clear()
            lagged = self._kept[ticks] = [1 - math.exp(-ticks / 100 / lag) for lag in self.kinds.lags if lag]
        return lagged

    def advance(self, x: list[float], rates: list[float], bends: list[float], ticks: int) -> list[float]:
        """The figures after some ticks at these rates (the slopes of the stiff ones follow behind) and bends."""
        return self._advance(x, rates, bends, self._lagged(ticks), ticks / 100)

    def correct(
        self, x: list[float], rough: list[float], start: list[float], end: list[float], ticks: int
    ) -> tuple[list[float], list[float], float]:
        """The bends that the rates at the rough end show, the figures with them, and the worst error of the rough ones.

        A bend is by how much a rate (of a stiff figure what its slope leaves of it) changed per second; an error is a
        share of what is tolerable.
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

    given = [unpack("x", names, "x"), unpack("share", lagging, "g"), "    h = s / 2"]
    stepped = [line for n in figures for line in _stepped(kinds, n)]
    reached = f"[{', '.join(f'y{n}' for n in figures)}]"
    bends = [
        f"    b{n} = (e{n} - r{n} - rs{n} * (o{n} - x{n})) / s" if n in kinds.stiff else f"    b{n} = (e{n} - r{n}) / s"
        for n in figures
    ]
    errors = [f"abs(o{n} - y{n}) / {tolerance!r}" for n, tolerance in kinds.tolerances]
    lines = [
        "def advance(x, rates, bends, share, s):",
        *given,
        unpack("rates", rates, "r"),
        unpack("bends", names, "b"),
        *stepped,
        f"    return {reached}",
        "def correct(x, rough, start, end, share, s):",
        *given,
        unpack("rough", names, "o"),
        unpack("start", rates, "r"),
        unpack("end", rates, "e"),
        *bends,
        *stepped,
        f"    worst = max({', '.join([*errors, '0.0', '0.0'])})",
        f"    return [{', '.join(f'b{n}' for n in figures)}], {reached}, worst",
    ]
    return "\n".join([*lines, ""])


def _stepped(kinds: StateKinds, n: int) -> list[str]:
    """Figure n at the end of the step, `y`: from `x` by its rate `r` and bend `b`, with its share `g` if it lags."""
    if n in kinds.stiff:
        lines = [
            f"    if r{n} or b{n}:",
            f"        z = rs{n} * s",
            f"        if z < {-NEARLY_STRAIGHT!r}:",
            "            p = expm1(z)",
            f"            y{n} = x{n} + (r{n} * p + b{n} * (p - z) / rs{n}) / rs{n}",
            "        else:",
            f"            y{n} = x{n} + (r{n} * (1 + z / 2) + b{n} * h * (1 + z / 3)) * s",
            f"    else: y{n} = x{n}",
        ]
    elif kinds.lags[n]:
        lines = [f"    y{n} = x{n} + (r{n} + b{n} * h - x{n}) * g{n}"]
    else:
        lines = [f"    y{n} = x{n} + (r{n} + b{n} * h) * s"]
    if n in kinds.shares:
        lines += [f"    if y{n} > 1: y{n} = 1.0", f"    elif y{n} < 0: y{n} = 0.0"]
    elif n in kinds.not_negative:
        lines.append(f"    if y{n} < 0: y{n} = 0.0")
    return lines
