"""The DC network against an independent circuit simulator.

Source: ngspice (Debian package `ngspice`, batch mode, `.op`), the same network written as a netlist: contactors as
resistors, diodes, rectifiers, current limits and constant-power loads as behavioural current sources.
"""

from __future__ import annotations

import math
import random
import re
import subprocess
from collections.abc import Iterator, Sequence
from pathlib import Path

import pytest

from lumenstat.network.solving import BLEED_SIEMENS, GROUND, Branch, currents, load_amps, solve

SEEDS = 460
TWO_EQUILIBRIA_AT_MOST = 6
AGREEMENT_VOLTS = 0.010
FLOOR = 18.0


class Circuit:
    """A random network: some batteries, rectifiers, diodes, contactors, charge limits and loads."""

    def __init__(self, seed: int) -> None:
        r = random.Random(seed)
        self.size = r.randint(3, 9)
        self.branches: list[Branch] = []
        self.emf: list[float] = []
        for node in r.sample(range(self.size), r.randint(1, 2)):
            self.add(Branch(GROUND, node, 1000 / r.uniform(5, 25)), r.uniform(21.0, 27.0))
        for node in r.sample(range(self.size), r.randint(0, 2)):
            self.add(Branch(GROUND, node, 1000 / r.uniform(2, 8), 0.0, r.uniform(30, 200)), r.uniform(27.5, 29.0))
        for node in range(1, self.size):
            other = r.randrange(node)
            kind = r.choice(["contactor", "contactor", "diode", "limit"])
            ends = (node, other) if r.random() < 0.5 else (other, node)
            if kind == "contactor":
                self.add(Branch(*ends, 1000 / r.uniform(0.8, 3)), 0.0)
            elif kind == "diode":
                self.add(Branch(*ends, 1000 / r.uniform(2, 5), low=0.0), -0.7)
            else:
                self.add(Branch(*ends, 1000 / r.uniform(0.8, 3), high=r.uniform(10, 60)), 0.0)
        self.watts = [r.choice([0.0, r.uniform(20, 900)]) for _ in range(self.size)]

    def add(self, branch: Branch, emf: float) -> None:
        self.branches.append(branch)
        self.emf.append(emf)

    def solved(self, guess: list[float] | None = None) -> list[float]:
        first = guess or [26.0] * self.size
        volts, modes = solve(self.branches, self.emf, self.watts, [FLOOR] * self.size, first, self.modes_at(first))
        self.amps = currents(self.branches, self.emf, volts, modes)
        return volts

    def modes_at(self, volts: list[float]) -> list[int]:
        """The mode that each branch has at these volts."""
        modes = []
        for branch, emf in zip(self.branches, self.emf, strict=True):
            start = volts[branch.a] if branch.a >= 0 else 0.0
            line = branch.siemens * (start - volts[branch.b] + emf)
            modes.append(-1 if line < branch.low else 1 if line > branch.high else 0)
        return modes

    def imbalance(self, volts: list[float]) -> float:
        """The largest current left over at a node, by the branch laws alone."""
        left = [-load_amps(w, v, FLOOR) - BLEED_SIEMENS * v for w, v in zip(self.watts, volts, strict=True)]
        for branch, emf in zip(self.branches, self.emf, strict=True):
            start = volts[branch.a] if branch.a >= 0 else 0.0
            amps = min(branch.high, max(branch.low, branch.siemens * (start - volts[branch.b] + emf)))
            left[branch.b] += amps
            if branch.a >= 0:
                left[branch.a] -= amps
        return max(abs(each) for each in left)

    def netlist(self) -> str:
        lines = []
        for index, (branch, emf) in enumerate(zip(self.branches, self.emf, strict=True)):
            a, b = _node(branch.a), _node(branch.b)
            across = f"V({a},{b})" if branch.a != GROUND else f"(-V({b}))"
            law = f"{branch.siemens:.9g}*({across}+({emf:.9g}))"
            if branch.high != math.inf:
                law = f"min({law},{branch.high:.9g})"
            if branch.low != -math.inf:
                law = f"max({law},{branch.low:.9g})"
            if branch.low == -math.inf and branch.high == math.inf:
                mid = f"m{index}"
                lines += [f"V{index} {mid} {a} DC {emf:.9g}", f"R{index} {mid} {b} {1 / branch.siemens:.9g}"]
            else:
                lines.append(f"B{index} {a} {b} I={law}")
        for node, watts in enumerate(self.watts):
            lines.append(f"Rb{node} n{node} 0 {1 / BLEED_SIEMENS:.9g}")
            if watts:
                lines.append(f"Bl{node} n{node} 0 I={watts:.9g}*V(n{node})/(max(V(n{node}),{FLOOR})^2)")
        lines.append(".nodeset " + " ".join(f"V(n{n})=26" for n in range(self.size)))
        return "\n".join(lines)


def _node(number: int) -> str:
    return "0" if number == GROUND else f"n{number}"


def spice_volts(circuits: Sequence[Circuit], folder: Path) -> Iterator[list[float] | None]:
    """Node volts from one run of ngspice for several circuits; None where it finds no operating point itself."""
    commands = []
    for number, circuit in enumerate(circuits):
        deck = folder / f"{number}.cir"
        deck.write_text(f"network\n{circuit.netlist()}\n.options reltol=1e-6 itl1=2000\n.end\n")
        prints = [f"print v(n{n})" for n in range(circuit.size)]
        commands += [f"echo begins {number}", f"source {deck}", "op", *prints, "destroy all"]
    main = folder / "all.cir"
    main.write_text("all\nR1 a 0 1\n.control\n" + "\n".join(commands) + "\n.endc\n.end\n")
    # What goes wrong is told on the error stream; put into the other one it stands beside its circuit.
    command = ["ngspice", "-b", str(main)]
    said = subprocess.run(
        command, check=False, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, timeout=300
    ).stdout
    parts = re.split(r"^begins (\d+)$", said, flags=re.MULTILINE)
    told = dict(zip(map(int, parts[1::2]), parts[2::2], strict=True))
    for number, circuit in enumerate(circuits):
        text = told.get(number, "")
        found = dict(re.findall(r"v\(n(\d+)\) = (\S+)", text))
        if len(found) != circuit.size or "singular" in text.lower() or "failed" in text.lower():
            yield None
        else:
            yield [float(found[str(n)]) for n in range(circuit.size)]


def test_volts_agree_with_ngspice(tmp_path: Path) -> None:
    compared, worst, two = 0, 0.0, 0
    circuits = [Circuit(seed) for seed in range(1, SEEDS + 1)]
    for seed, (circuit, theirs) in enumerate(zip(circuits, spice_volts(circuits, tmp_path), strict=True), 1):
        ours = circuit.solved()
        if theirs is None or min(theirs) < FLOOR + 0.5 or min(ours) < FLOOR + 0.5:
            # Below its floor a load has a second equilibrium, and the two may rightly stand at different ones.
            continue
        difference = max(abs(a - b) for a, b in zip(ours, theirs, strict=True))
        if difference > AGREEMENT_VOLTS and circuit.imbalance(ours) < 1e-3:
            # A constant-power load behind a current limit can stand at two points; begun at theirs, ours stays there.
            two += 1
            ours = circuit.solved(theirs)
            difference = max(abs(a - b) for a, b in zip(ours, theirs, strict=True))
        assert difference < AGREEMENT_VOLTS, f"seed {seed}: {ours} against {theirs}"
        compared += 1
        worst = max(worst, difference)
    print(f"\n{compared} networks of {SEEDS}, worst difference {worst * 1000:.3f} mV, {two} with two equilibria")
    assert compared >= 200
    assert two <= TWO_EQUILIBRIA_AT_MOST


@pytest.mark.parametrize("block", range(8))
def test_current_balances_at_every_node(block: int) -> None:
    """Kirchhoff's current law, on networks that include those where loads pull a bus under its floor."""
    for seed in range(block * 250, (block + 1) * 250):
        circuit = Circuit(seed)
        volts = circuit.solved()
        for node in range(circuit.size):
            total = -load_amps(circuit.watts[node], volts[node], FLOOR) - BLEED_SIEMENS * volts[node]
            for branch, amps in zip(circuit.branches, circuit.amps, strict=True):
                total += amps * ((branch.b == node) - (branch.a == node))
            assert abs(total) < 1e-3, f"seed {seed}, node {node}"
        for branch, amps in zip(circuit.branches, circuit.amps, strict=True):
            assert branch.low - 1e-6 <= amps <= branch.high + 1e-6
