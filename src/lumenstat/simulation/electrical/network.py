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
from operator import mul, sub

GROUND = -1
BLEED_SIEMENS = 1e-5
VOLTS_SETTLED = 1e-7
ROUNDS_TOGETHER = 6
NEWTON_ROUNDS = 40
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
        if power:
            least = floor[node]
            at = volts[node]
            if at <= least:
                matrix[node][node] += power / (least * least)
            elif newton:
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


def _line_current(branch: Branch, emf: float, volts: Sequence[float]) -> float:
    start = volts[branch.a] if branch.a >= 0 else 0.0
    end = volts[branch.b] if branch.b >= 0 else 0.0
    return branch.siemens * (start - end + emf)


def _wanted_mode(branch: Branch, current: float, mode: int) -> int:
    """The mode this line current asks for: the present one or its neighbour."""
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
        if branch.low == -math.inf and branch.high == math.inf:
            continue
        mode = modes[index]
        wanted = _wanted_mode(branch, _line_current(branch, emf[index], volts), mode)
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
        _line_current(branch, emf[index], volts)
        if modes[index] == 0
        else branch.low
        if modes[index] < 0
        else branch.high
        for index, branch in enumerate(branches)
    ]


def load_amps(watts: float, volts: float, floor: float) -> float:
    """What a constant-power load takes at these volts: below its floor it behaves as a resistance."""
    return watts * volts / max(volts, floor) ** 2


@dataclass(frozen=True, slots=True)
class _Case:
    """What one set of present branches, modes and loads has in common, whatever the volts."""

    inverse: list[list[float]]
    pushed: list[float]
    sources: list[tuple[int, int, int, float]]
    loads: list[tuple[int, float, float]]


class Network:
    """The branches of one aircraft, solved again and again: what stays the same between solutions is kept.

    For each set of present branches, modes and loads the inverse of the conductance matrix is kept, with every load
    as the resistance it is at its floor; what it takes less above its floor is put right by iteration, which shrinks
    the error by orders of magnitude a round. Where that does not settle, `solve` does. Only the first `with_emf`
    branches may have an EMF.
    """

    KEPT_AT_MOST = 400
    ROUNDS = 14
    SETTLED_VOLTS = 1e-5

    def __init__(self, branches: Sequence[Branch], floor: Sequence[float], with_emf: int) -> None:
        self.branches = tuple(branches)
        self.floor = tuple(floor)
        self.size = len(floor)
        self.with_emf = with_emf
        self._bounded = [n for n, b in enumerate(branches) if b.low > -math.inf or b.high < math.inf]
        self._cases: dict[tuple[object, ...], _Case] = {}
        self._last: tuple[tuple[bool, ...], tuple[float, ...], tuple[int, ...], _Case] | None = None

    def solve(
        self,
        present: tuple[bool, ...],
        emf: Sequence[float],
        watts: tuple[float, ...],
        volts: list[float],
        modes: tuple[int, ...],
    ) -> tuple[list[float], tuple[int, ...], list[float]]:
        """Volts of nodes, modes and amps of branches (0 for absent ones). Raises NotSettled."""
        for round_ in range(self.ROUNDS):
            found = self._iterate(self._case(present, watts, modes), emf, volts)
            if found is None:
                break
            volts = found
            flipped = self._flip_present(present, emf, volts, modes, one=round_ >= ROUNDS_TOGETHER)
            if flipped is None:
                return volts, modes, self._amps(present, emf, volts, modes)
            modes = flipped
        numbers = [n for n, there in enumerate(present) if there]
        solved, part = solve(
            [self.branches[n] for n in numbers],
            [emf[n] for n in numbers],
            watts,
            self.floor,
            volts if all(abs(v) < 1e3 for v in volts) else [0.0] * self.size,
            [modes[n] for n in numbers],
        )
        whole = [0] * len(self.branches)
        for n, mode in zip(numbers, part, strict=True):
            whole[n] = mode
        return solved, tuple(whole), self._amps(present, emf, solved, tuple(whole))

    def answering_siemens(
        self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...], number: int
    ) -> float:
        """How many amperes more a branch from ground gives for a volt more of its EMF, everything else held."""
        branch = self.branches[number]
        inverse = self._case(present, watts, modes).inverse
        return branch.siemens * (1 - branch.siemens * inverse[branch.b][branch.b])

    def _case(self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...]) -> _Case:
        last = self._last
        if last is not None and last[0] is present and last[1] is watts and last[2] is modes:
            return last[3]
        key = (present, watts, modes)
        found = self._cases.get(key)
        if found is None:
            if len(self._cases) >= self.KEPT_AT_MOST:
                self._cases.clear()
            found = self._cases[key] = self._new_case(present, watts, modes)
        self._last = (present, watts, modes, found)
        return found

    def _new_case(self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...]) -> _Case:
        matrix = [[0.0] * self.size for _ in range(self.size)]
        pushed = [0.0] * self.size
        sources: list[tuple[int, int, int, float]] = []
        for node in range(self.size):
            matrix[node][node] = BLEED_SIEMENS + watts[node] / self.floor[node] ** 2
        for n, branch in enumerate(self.branches):
            if not present[n]:
                continue
            if modes[n] == 0:
                for p, q in ((branch.a, branch.b), (branch.b, branch.a)):
                    if p >= 0:
                        matrix[p][p] += branch.siemens
                        if q >= 0:
                            matrix[p][q] -= branch.siemens
                if n < self.with_emf:
                    sources.append((n, branch.a, branch.b, branch.siemens))
            else:
                current = branch.low if modes[n] < 0 else branch.high
                if branch.a >= 0:
                    pushed[branch.a] -= current
                if branch.b >= 0:
                    pushed[branch.b] += current
        units = [[float(i == j) for i in range(self.size)] for j in range(self.size)]
        columns = [eliminate([list(row) for row in matrix], unit) for unit in units]
        inverse = [[column[row] for column in columns] for row in range(self.size)]
        loads = [(node, power, self.floor[node] ** 2) for node, power in enumerate(watts) if power]
        return _Case(inverse, pushed, sources, loads)

    def _iterate(self, case: _Case, emf: Sequence[float], volts: list[float]) -> list[float] | None:
        right = case.pushed[:]
        for n, a, b, siemens in case.sources:
            push = siemens * emf[n]
            if a >= 0:
                right[a] -= push
            if b >= 0:
                right[b] += push
        for _ in range(self.ROUNDS):
            given = right[:]
            for node, power, square in case.loads:
                at = volts[node]
                if at * at > square and at > 0:
                    given[node] += power * (at / square - 1 / at)
            solved = [sum(map(mul, row, given)) for row in case.inverse]
            change = max(map(abs, map(sub, solved, volts)))
            volts = solved
            if change < self.SETTLED_VOLTS:
                return volts
            if change > 1e3:
                return None
        return None

    def _flip_present(
        self, present: tuple[bool, ...], emf: Sequence[float], volts: Sequence[float], modes: tuple[int, ...], one: bool
    ) -> tuple[int, ...] | None:
        """The modes with every branch outside its own moved to the neighbour; None where none is."""
        flipped: list[int] | None = None
        for n in self._bounded:
            if present[n]:
                branch, mode = self.branches[n], modes[n]
                wanted = _wanted_mode(branch, _line_current(branch, emf[n], volts), mode)
                if wanted != mode:
                    flipped = flipped or list(modes)
                    flipped[n] = wanted
                    if one:
                        break
        return None if flipped is None else tuple(flipped)

    def _amps(
        self, present: tuple[bool, ...], emf: Sequence[float], volts: Sequence[float], modes: tuple[int, ...]
    ) -> list[float]:
        return [
            0.0 if not there else _line_current(branch, e, volts) if m == 0 else branch.low if m < 0 else branch.high
            for branch, there, e, m in zip(self.branches, present, emf, modes, strict=True)
        ]
