"""Steady DC network: nodes joined by branches whose current is a clamped straight line, with constant-power loads.

Branch law, current from `a` to `b` in amps: I = clamp(g * (Va - Vb + emf), low, high).
    contactor        emf 0,      low -inf, high +inf (or its charge limit)
    diode            emf -drop,  low 0,    high +inf
    rectifier        from ground, emf = its volts, low 0, high = its limit
    battery          from ground, emf = its internal volts, no limits
Node 0 .. n-1 are buses; GROUND is -1 and stands at 0 V. A load takes watts P as I = P * V / max(V, floor)^2.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

GROUND = -1
# A bus that nothing feeds would leave a row of noughts in the matrix. 0.3 mA at 28 V is less than any ammeter shows.
BLEED_SIEMENS = 1e-5
VOLTS_SETTLED = 1e-7
# Moved all at once, two branches can throw each other out of their modes for ever; that shows within a few rounds.
ROUNDS_TOGETHER = 6
NEWTON_ROUNDS = 40
# Near the most power that a source can give, the volts creep towards their solution by less and less a round.
RESISTANCE_ROUNDS = 600


@dataclass(frozen=True, slots=True)
class Branch:
    """One branch; `siemens` is its slope, `low` and `high` bound its current in amps."""

    a: int
    b: int
    siemens: float
    low: float = -math.inf
    high: float = math.inf


class NotSettled(ArithmeticError):  # noqa: N818 - says what happened
    """The network has no settled solution within the rounds allowed."""


def solve(
    branches: Sequence[Branch],
    emf: Sequence[float],
    watts: Sequence[float],
    floor: Sequence[float],
    volts: list[float],
    modes: list[int],
) -> tuple[list[float], list[int]]:
    """Volts of every node and the mode (-1 at low, 0 on the line, +1 at high) of every branch.

    `volts` and `modes` are the first guess and are not changed; the guess decides between two equilibria of a
    constant-power load, so it is part of the state. Modes move to a neighbour only, all together for a few rounds,
    then one at a time by least index, which cannot chatter. Raises NotSettled.
    """
    found = _by_newton(branches, emf, watts, floor, list(volts), list(modes))
    return found if found is not None else _by_resistances(branches, emf, watts, floor, list(volts), list(modes))


def _by_newton(
    branches: Sequence[Branch],
    emf: Sequence[float],
    watts: Sequence[float],
    floor: Sequence[float],
    volts: list[float],
    modes: list[int],
) -> tuple[list[float], list[int]] | None:
    """Loads by their tangent, modes on the way: fast wherever it settles, which is nearly always."""
    for round_ in range(NEWTON_ROUNDS):
        matrix, right = _assemble(branches, emf, watts, floor, volts, modes, newton=True)
        try:
            solved = eliminate(matrix, right)
        except ZeroDivisionError:
            return None
        change = max(abs(new - old) for new, old in zip(solved, volts, strict=True))
        volts = solved
        flipped = _flip(branches, emf, volts, modes, one=round_ >= ROUNDS_TOGETHER)
        if not flipped and change < VOLTS_SETTLED:
            return volts, modes
    return None


def _by_resistances(
    branches: Sequence[Branch],
    emf: Sequence[float],
    watts: Sequence[float],
    floor: Sequence[float],
    volts: list[float],
    modes: list[int],
) -> tuple[list[float], list[int]]:
    """Loads held as resistances, solved, and set anew: less volts, less resistance, so it creeps to a true solution."""
    for _ in range(RESISTANCE_ROUNDS):
        before = volts
        for round_ in range(RESISTANCE_ROUNDS):
            matrix, right = _assemble(branches, emf, watts, floor, before, modes, newton=False)
            volts = eliminate(matrix, right)
            if not _flip(branches, emf, volts, modes, one=round_ >= ROUNDS_TOGETHER):
                break
        else:
            raise NotSettled("the DC network does not settle")
        if max(abs(new - old) for new, old in zip(volts, before, strict=True)) < VOLTS_SETTLED:
            return volts, modes
    raise NotSettled("the DC network does not settle")


def _assemble(
    branches: Sequence[Branch],
    emf: Sequence[float],
    watts: Sequence[float],
    floor: Sequence[float],
    volts: Sequence[float],
    modes: Sequence[int],
    newton: bool,
) -> tuple[list[list[float]], list[float]]:
    size = len(watts)
    matrix = [[0.0] * size for _ in range(size)]
    right = [0.0] * size
    for node in range(size):
        power = watts[node]
        matrix[node][node] = BLEED_SIEMENS
        # Below its floor a load is a resistance, so that a sagging bus can always be solved.
        if power:
            least = floor[node]
            at = volts[node]
            if at <= least:
                matrix[node][node] += power / (least * least)
            elif newton:
                # P / V by its tangent at V0: 2 P / V0 - P V / V0^2, a resistance below zero with amps
                # beside it.
                matrix[node][node] -= power / (at * at)
                right[node] -= 2 * power / at
            else:
                matrix[node][node] += power / (at * at)
    for index, branch in enumerate(branches):
        a, b, mode = branch.a, branch.b, modes[index]
        if mode == 0:
            g = branch.siemens
            source = g * emf[index]
            if a >= 0:
                matrix[a][a] += g
                right[a] -= source
                if b >= 0:
                    matrix[a][b] -= g
                    matrix[b][a] -= g
            if b >= 0:
                matrix[b][b] += g
                right[b] += source
        else:
            current = branch.low if mode < 0 else branch.high
            if a >= 0:
                right[a] -= current
            if b >= 0:
                right[b] += current
    return matrix, right


def eliminate(matrix: list[list[float]], right: list[float]) -> list[float]:
    """Gauss elimination in place, pivots on the diagonal; the matrix must be square and not singular."""
    size = len(right)
    for pivot in range(size):
        row = matrix[pivot]
        lead = row[pivot]
        for below in range(pivot + 1, size):
            # Most pairs of buses have no branch between them.
            factor = matrix[below][pivot]
            if factor:
                factor /= lead
                target = matrix[below]
                for column in range(pivot + 1, size):
                    if row[column]:
                        target[column] -= factor * row[column]
                right[below] -= factor * right[pivot]
    for pivot in range(size - 1, -1, -1):
        row = matrix[pivot]
        total = right[pivot]
        for column in range(pivot + 1, size):
            if row[column]:
                total -= row[column] * right[column]
        right[pivot] = total / row[pivot]
    return right


def line_current(branch: Branch, emf: float, volts: Sequence[float]) -> float:
    """Amps through a branch that is on its straight line."""
    start = volts[branch.a] if branch.a >= 0 else 0.0
    end = volts[branch.b] if branch.b >= 0 else 0.0
    return branch.siemens * (start - end + emf)


def wanted_mode(branch: Branch, current: float, mode: int) -> int:
    """The mode this line current asks for: the present one or its neighbour."""
    # A nanovolt: what is nearer to the edge than rounding stays where it is.
    slack = 1e-9 * branch.siemens
    if mode == 0:
        return -1 if current < branch.low - slack else 1 if current > branch.high + slack else 0
    if mode < 0:
        return 0 if current > branch.low + slack else -1
    return 0 if current < branch.high - slack else 1


def _flip(
    branches: Sequence[Branch], emf: Sequence[float], volts: Sequence[float], modes: list[int], one: bool
) -> bool:
    """Move every branch that is outside its mode to the neighbouring mode; only the first one if `one`."""
    flipped = False
    for index, branch in enumerate(branches):
        # Closed contactors and batteries have no other mode.
        if branch.low == -math.inf and branch.high == math.inf:
            continue
        mode = modes[index]
        wanted = wanted_mode(branch, line_current(branch, emf[index], volts), mode)
        if wanted != mode:
            modes[index] = wanted
            flipped = True
            if one:
                return True
    return flipped


def currents(
    branches: Sequence[Branch], emf: Sequence[float], volts: Sequence[float], modes: Sequence[int]
) -> list[float]:
    """Amps through every branch, from `a` to `b`."""
    return [
        line_current(branch, emf[index], volts)
        if modes[index] == 0
        else branch.low
        if modes[index] < 0
        else branch.high
        for index, branch in enumerate(branches)
    ]


def load_amps(watts: float, volts: float, floor: float) -> float:
    """What a constant-power load takes at these volts: below its floor it behaves as a resistance."""
    return watts * volts / max(volts, floor) ** 2
