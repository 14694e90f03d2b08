"""The DC network of one aircraft, solved again and again: what does not change between solutions is cached.

For each set of present branches, modes and loads the inverse of the conductance matrix is kept, with every load as the
resistance it is at its floor; what it takes less above its floor is put right by iteration, which shrinks the error by
orders of magnitude a round. Where that does not settle, `solving.solve` does.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from lumenstat.network.inner_loop import Shape, kernel, settled_below
from lumenstat.network.solving import (
    BLEED_SIEMENS,
    ROUNDS_TOGETHER,
    Branch,
    currents,
    line_current,
    solve,
    wanted_mode,
)

# A startup passes through some dozens of cases; one of 24 buses takes some 40 kB.
CACHED_AT_MOST = 400
# More than ever needed where the guess is the last solution; what does not settle by then is solved slowly.
MODE_ROUNDS = 14


@dataclass(frozen=True, slots=True)
class _Case:
    """What one set of present branches, modes and loads has in common, whatever the volts."""

    inverse: list[list[float]]
    pushed: list[float]
    figures: tuple[float, ...]
    answers: list[float]


@lru_cache(maxsize=16)
def network_of(branches: tuple[Branch, ...], floor: tuple[float, ...], with_emf: int) -> Network:
    """The network of these branches, shared by all that fly with them, and with it what it has kept."""
    return Network(branches, floor, with_emf)


class Network:
    """The branches of one aircraft. Only the first `with_emf` branches may have an EMF."""

    def __init__(self, branches: Sequence[Branch], floor: Sequence[float], with_emf: int) -> None:
        self.branches = tuple(branches)
        self.floor = tuple(floor)
        self.size = len(floor)
        self._bounded = tuple(n for n, b in enumerate(branches) if b.low > -math.inf or b.high < math.inf)
        self.shape = Shape(tuple((b.a, b.b) for b in branches), self._bounded, with_emf, self.floor)
        self._settled = kernel(self.shape)
        self._padding = [0.0] * (len(branches) - with_emf)
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
        first = volts, modes
        for round_ in range(MODE_ROUNDS):
            case = self._case(present, watts, modes)
            found = self._settled(case.figures, emf, volts)
            if found is None:
                # In modes that are far off, loads run away; as resistances they show which branches have to move.
                volts, shown = first[0], self._with_resistances(case, present, emf, modes)
            else:
                volts, amps = found
                if amps is not None:
                    return volts, modes, amps
                shown = volts
            flipped = self._flip_present(present, emf, shown, modes, one=round_ >= ROUNDS_TOGETHER)
            if flipped == modes:
                break
            modes = flipped
        # From the first guess again: which of two equilibria of a load is found must not depend on this
        # detour.
        return self._solve_slowly(present, emf, watts, *first)

    def _with_resistances(
        self, case: _Case, present: tuple[bool, ...], emf: Sequence[float], modes: tuple[int, ...]
    ) -> list[float]:
        """The volts if every load were the resistance it is at its floor: there is always just one such solution."""
        amps = list(case.pushed)
        for n, volts in enumerate(emf):
            if present[n] and modes[n] == 0:
                branch = self.branches[n]
                for node, sign in ((branch.a, -1.0), (branch.b, 1.0)):
                    if node >= 0:
                        amps[node] += sign * branch.siemens * volts
        return [sum(m * i for m, i in zip(row, amps, strict=True)) for row in case.inverse]

    def _solve_slowly(
        self,
        present: tuple[bool, ...],
        emf: Sequence[float],
        watts: tuple[float, ...],
        volts: list[float],
        modes: tuple[int, ...],
    ) -> tuple[list[float], tuple[int, ...], list[float]]:
        whole_emf = [*emf, *self._padding]
        numbers = [n for n, there in enumerate(present) if there]
        branches = [self.branches[n] for n in numbers]
        part_emf = [whole_emf[n] for n in numbers]
        solved, part = solve(branches, part_emf, watts, self.floor, volts, [modes[n] for n in numbers])
        whole, amps = [0] * len(self.branches), [0.0] * len(self.branches)
        part_amps = currents(branches, part_emf, solved, part)
        for n, mode, through in zip(numbers, part, part_amps, strict=True):
            whole[n], amps[n] = mode, through
        return solved, tuple(whole), amps

    def answers(self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...]) -> list[float]:
        """By branch how many amperes more it gives for a volt more of its EMF, everything else held; 0 if not from
        ground."""
        return self._case(present, watts, modes).answers

    def _case(self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...]) -> _Case:
        last = self._last
        # Identity first: it is the same object until logic changes it, and comparing tuples costs more than
        # the hit saves.
        if last is not None and last[0] is present and last[1] is watts and last[2] is modes:
            return last[3]
        key = (present, watts, modes)
        found = self._cases.get(key)
        if found is None:
            # Thrown away whole: what is needed comes back in a few rounds, and nothing has to be counted
            # on every hit.
            if len(self._cases) >= CACHED_AT_MOST:
                self._cases.clear()
            found = self._cases[key] = self._new_case(present, watts, modes)
        self._last = (present, watts, modes, found)
        return found

    def _new_case(self, present: tuple[bool, ...], watts: tuple[float, ...], modes: tuple[int, ...]) -> _Case:
        matrix = [[0.0] * self.size for _ in range(self.size)]
        pushed = [0.0] * self.size
        slopes, fixed = [0.0] * len(self.branches), [0.0] * len(self.branches)
        for node in range(self.size):
            matrix[node][node] = BLEED_SIEMENS + watts[node] / self.floor[node] ** 2
        for n, branch in enumerate(self.branches):
            if not present[n]:
                continue
            if modes[n] == 0:
                slopes[n] = branch.siemens
                for p, q in ((branch.a, branch.b), (branch.b, branch.a)):
                    if p >= 0:
                        matrix[p][p] += branch.siemens
                        if q >= 0:
                            matrix[p][q] -= branch.siemens
            else:
                current = fixed[n] = branch.low if modes[n] < 0 else branch.high
                if branch.a >= 0:
                    pushed[branch.a] -= current
                if branch.b >= 0:
                    pushed[branch.b] += current
        inverse = invert(matrix)
        figures = [settled_below(inverse, watts, self.floor), *(each for row in inverse for each in row)]
        figures += pushed + list(watts) + slopes + fixed
        for n in self._bounded:
            figures += self._allowed(n, modes[n]) if present[n] else (0.0, -math.inf, math.inf)
        # Thevenin: a volt more behind a branch raises its own bus by g * m, so only the rest drives amps.
        answers = [b.siemens * (1 - b.siemens * inverse[b.b][b.b]) if b.a < 0 else 0.0 for b in self.branches]
        return _Case(inverse, pushed, tuple(figures), answers)

    def _allowed(self, n: int, mode: int) -> tuple[float, float, float]:
        """Slope of a branch, and between which line currents it stays in its mode: the rule of `wanted_mode`."""
        branch = self.branches[n]
        slack = 1e-9 * branch.siemens
        if mode == 0:
            return branch.siemens, branch.low - slack, branch.high + slack
        if mode < 0:
            return branch.siemens, -math.inf, branch.low + slack
        return branch.siemens, branch.high - slack, math.inf

    def _flip_present(
        self, present: tuple[bool, ...], emf: Sequence[float], volts: Sequence[float], modes: tuple[int, ...], one: bool
    ) -> tuple[int, ...]:
        """The modes with every branch outside its own moved to the neighbour; only the first one if `one`."""
        flipped, whole_emf = list(modes), [*emf, *self._padding]
        for n in self._bounded:
            if present[n]:
                branch, mode = self.branches[n], modes[n]
                wanted = wanted_mode(branch, line_current(branch, whole_emf[n], volts), mode)
                if wanted != mode:
                    flipped[n] = wanted
                    if one:
                        break
        return tuple(flipped)


def invert(matrix: list[list[float]]) -> list[list[float]]:
    """The inverse of a small square matrix with a strong diagonal, by Gauss and Jordan."""
    size = len(matrix)
    rows = [[*row, *(float(i == j) for j in range(size))] for i, row in enumerate(matrix)]
    for pivot in range(size):
        lead = rows[pivot][pivot]
        row = rows[pivot] = [each / lead for each in rows[pivot]]
        for n, other in enumerate(rows):
            if n != pivot and (factor := other[pivot]):
                rows[n] = [one - factor * two for one, two in zip(other, row, strict=True)]
    return [row[size:] for row in rows]
