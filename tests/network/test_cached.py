"""The network that keeps its inverse gives what the general solver gives, which ngspice checks."""

from __future__ import annotations

import random

import pytest

from lumenstat.network.cached import Network
from lumenstat.network.solving import solve
from tests.reference.test_dc_network import FLOOR, Circuit


@pytest.mark.parametrize("seed", range(0, 400, 4))
def test_as_the_general_solver(seed: int) -> None:
    r = random.Random(seed)
    c = Circuit(seed)
    network = Network(c.branches, [FLOOR] * c.size, with_emf=len(c.branches))
    volts, modes = [26.0] * c.size, tuple(c.modes_at([26.0] * c.size))
    for _ in range(6):
        present = tuple(r.random() < 0.85 for _ in c.branches)
        here = [n for n, there in enumerate(present) if there]
        branches, emf = [c.branches[n] for n in here], [c.emf[n] for n in here]
        volts, modes, amps = network.solve(present, c.emf, tuple(c.watts), volts, modes)
        # Limits and constant-power loads can have two equilibria: the general one is asked from the one that was found.
        expected, _ = solve(branches, emf, c.watts, [FLOOR] * c.size, volts, [modes[n] for n in here])
        assert volts == pytest.approx(expected, abs=1e-3)
        assert all(flow == 0 for flow, there in zip(amps, present, strict=True) if not there)
        assert all(b.low - 1e-3 <= i <= b.high + 1e-3 for b, i in zip(c.branches, amps, strict=True))
