"""The continuous half of an aircraft: from its figures to volts and amps, and how fast the figures change.

The vector `x` holds charge (0 to 1) and polarisation (V) of each battery, pressure (psi) of each hydraulic system and
angle (degrees) of each surface. Everything discrete is held still meanwhile.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from lumenstat.documents.airframe import AcSource, Part
from lumenstat.simulation.electrical.batteries import BatteryModel
from lumenstat.simulation.electrical.network import GROUND, Branch, currents, load_amps, solve
from lumenstat.simulation.plan import Plan

RECTIFIER_OFF_VOLTS = -1000.0


@dataclass
class Conditions:
    """What the discrete half holds still for the continuous half; made anew whenever logic settles."""

    shut: tuple[bool, ...]
    rectifier_alive: tuple[bool, ...]
    source_volts: list[float]
    source_hertz: list[float]
    ac_root: list[int]
    dc_watts: list[float]
    ac_watts: list[float]
    psi_targets: list[float]
    degrees_per_second: list[float]


@dataclass(slots=True)
class Solution:
    """A solved network: volts by DC node, modes by branch of the airframe, amps where asked for."""

    volts: list[float]
    modes: list[int]
    battery_amps: list[float]
    branch_amps: list[float]
    source_watts: list[float]


@dataclass
class Topology:
    """The branches that are there for one set of shut contactors."""

    branches: list[Branch] = field(default_factory=list)
    numbers: list[int] = field(default_factory=list)


class Flows:
    """Solves the network of one airframe at one temperature."""

    def __init__(self, plan: Plan, celsius: float) -> None:
        self.plan = plan
        electrical = plan.airframe.electrical
        self.batteries = [BatteryModel.of(battery, celsius) for battery in electrical.batteries]
        self.floor = [bus.dead_below for bus in plan.dc]
        self.branches: list[Branch] = []
        for battery, model in zip(electrical.batteries, self.batteries, strict=True):
            self.branches.append(Branch(GROUND, plan.node[battery.bus], 1 / model.r0_ohm))
        self.first_rectifier = len(self.branches)
        for rectifier in electrical.rectifiers:
            siemens = 1000 / rectifier.resistance_mohm
            self.branches.append(Branch(GROUND, plan.node[rectifier.output], siemens, 0.0, rectifier.limit_amps))
        self.first_diode = len(self.branches)
        for diode in electrical.diodes:
            ends = plan.node[diode.anode], plan.node[diode.cathode]
            self.branches.append(Branch(*ends, 1000 / diode.resistance_mohm, low=0.0))
        self.first_contactor = len(self.branches)
        for contactor in electrical.contactors:
            a, b = (plan.node[end] for end in contactor.between)
            low, high = -math.inf, math.inf
            if contactor.limit is not None:
                toward_b = contactor.limit.toward == contactor.between[1]
                low, high = (low, contactor.limit.amps) if toward_b else (-contactor.limit.amps, high)
            self.branches.append(Branch(a, b, 1000 / contactor.resistance_mohm, low, high))
        self.sources: tuple[AcSource, ...] = (*electrical.ground_supplies, *electrical.inverters)
        self.first_inverter = len(electrical.ground_supplies)
        self.systems = plan.airframe.hydraulics.systems
        self.surfaces = plan.airframe.hydraulics.surfaces
        self._topologies: dict[tuple[bool, ...], Topology] = {}
        self._drops = [-diode.drop_volts for diode in electrical.diodes]
        self._rectifier_volts = [rectifier.volts for rectifier in electrical.rectifiers]

    def _topology(self, shut: tuple[bool, ...]) -> Topology:
        found = self._topologies.get(shut)
        if found is None:
            found = self._topologies[shut] = Topology()
            for number, branch in enumerate(self.branches):
                if number < self.first_contactor or shut[number - self.first_contactor]:
                    found.branches.append(branch)
                    found.numbers.append(number)
        return found

    def at_rest(self) -> Solution:
        """A first guess: everything dead."""
        none = [0.0] * len(self.branches)
        return Solution(
            [0.0] * len(self.plan.dc),
            [0] * len(self.branches),
            [0.0] * len(self.batteries),
            none,
            [0.0] * len(self.sources),
        )

    def solve(self, x: list[float], now: Conditions, guess: Solution) -> Solution:
        """Volts and amps at the figures `x`. Raises NotSettled."""
        count = len(self.batteries)
        emf = [model.open_circuit_volts(x[2 * n]) + x[2 * n + 1] for n, model in enumerate(self.batteries)]
        for rectified, alive in zip(self._rectifier_volts, now.rectifier_alive, strict=True):
            emf.append(rectified if alive else RECTIFIER_OFF_VOLTS)
        emf += self._drops
        emf += [0.0] * (len(self.branches) - self.first_contactor)
        topology = self._topology(now.shut)
        numbers = topology.numbers
        active_emf = [emf[number] for number in numbers]
        volts, modes = solve(
            topology.branches,
            active_emf,
            now.dc_watts,
            self.floor,
            guess.volts,
            [guess.modes[n] for n in numbers],
        )
        amps = currents(topology.branches, active_emf, volts, modes)
        all_modes = [0] * len(self.branches)
        all_amps = [0.0] * len(self.branches)
        for index, number in enumerate(numbers):
            all_modes[number] = modes[index]
            all_amps[number] = amps[index]
        return Solution(
            volts,
            all_modes,
            [-i for i in all_amps[:count]],
            all_amps,
            self._source_watts(volts, all_amps, now),
        )

    def _source_watts(self, volts: list[float], amps: list[float], now: Conditions) -> list[float]:
        watts = [0.0] * len(self.sources)
        for index, root in enumerate(now.ac_root):
            if root >= 0:
                watts[root] += now.ac_watts[index]
        for n, rectifier in enumerate(self.plan.airframe.electrical.rectifiers):
            out = volts[self.plan.node[rectifier.output]] * amps[self.first_rectifier + n]
            root = now.ac_root[[bus.id for bus in self.plan.ac].index(rectifier.input)] if out else -1
            if root >= 0:
                watts[root] += out / rectifier.efficiency
        return watts

    def rates(self, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """For each figure: change per second (charge, angle) or where it tends (polarisation, pressure)."""
        rates: list[float] = []
        for n, model in enumerate(self.batteries):
            amps = solution.battery_amps[n]
            rates.append(model.charge_per_second(x[2 * n], amps))
            rates.append(model.polarisation_target_volts(x[2 * n], amps))
        return rates + now.psi_targets + now.degrees_per_second

    def advance(self, x: list[float], rates: list[float], seconds: float) -> list[float]:
        """The figures after some seconds at these rates; lags by their exact exponential."""
        after = list(x)
        at = 0
        for model in self.batteries:
            after[at] = min(1.0, max(0.0, x[at] + rates[at] * seconds))
            lagged = 1 - math.exp(-seconds / model.tau_seconds)
            after[at + 1] = x[at + 1] + (rates[at + 1] - x[at + 1]) * lagged
            at += 2
        for system in self.systems:
            after[at] = x[at] + (rates[at] - x[at]) * (1 - math.exp(-seconds / system.lag_seconds))
            at += 1
        for _ in self.surfaces:
            after[at] = x[at] + rates[at] * seconds
            at += 1
        return after

    def error(self, rough: list[float], fine: list[float]) -> float:
        """How far two estimates of a step lie apart, 1 being just tolerable."""
        worst = 0.0
        for n in range(len(self.batteries)):
            worst = max(worst, abs(rough[2 * n] - fine[2 * n]) / 5e-5, abs(rough[2 * n + 1] - fine[2 * n + 1]) / 3e-4)
        return worst

    def figures(self, tick: int, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """Every figure that can be observed, by the plan's `a` slots."""
        plan, electrical = self.plan, self.plan.airframe.electrical
        a = [0.0] * len(plan.a)
        slot = plan.a.numbers
        a[slot["time"]] = tick / 100
        for index, bus in enumerate(plan.dc):
            a[slot[f"bus.{bus.id}.volts"]] = solution.volts[index]
        loads = [w / s.rated_va for w, s in zip(solution.source_watts, self.sources, strict=True)]
        shown = [
            volts and volts - getattr(s, "droop_volts", 0.0) * load
            for volts, s, load in zip(now.source_volts, self.sources, loads, strict=True)
        ]
        for n, source in enumerate(self.sources):
            a[slot[f"source.{source.id}.load"]] = 100 * loads[n]
        for index, bus in enumerate(plan.ac):
            root = now.ac_root[index]
            a[slot[f"bus.{bus.id}.volts"]] = shown[root] if root >= 0 else 0.0
            a[slot[f"bus.{bus.id}.hertz"]] = now.source_hertz[root] if root >= 0 else 0.0
        for n, supply in enumerate(electrical.ground_supplies):
            a[slot[f"source.{supply.id}.volts"]] = shown[n]
            a[slot[f"source.{supply.id}.hertz"]] = now.source_hertz[n]
        for n, battery in enumerate(electrical.batteries):
            a[slot[f"battery.{battery.id}.volts"]] = solution.volts[plan.node[battery.bus]]
            a[slot[f"battery.{battery.id}.amps"]] = solution.battery_amps[n]
            a[slot[f"battery.{battery.id}.charge"]] = x[2 * n]
        at = 2 * len(self.batteries)
        for system in self.systems:
            a[slot[f"hydraulic.{system.id}.psi"]] = x[at]
            at += 1
        for surface in self.surfaces:
            a[slot[f"surface.{surface.id}.degrees"]] = x[at]
            at += 1
        groups: list[tuple[str, int, tuple[Part, ...]]] = [
            ("rectifier", self.first_rectifier, electrical.rectifiers),
            ("diode", self.first_diode, electrical.diodes),
            ("contactor", self.first_contactor, electrical.contactors),
        ]
        for group, first, parts in groups:
            for n, part in enumerate(parts):
                a[slot[f"{group}.{part.id}.amps"]] = solution.branch_amps[first + n]
        return a

    def balance(self, solution: Solution, now: Conditions) -> list[float]:
        """Amps left over at every DC node; zero everywhere in a true solution."""
        left = [-load_amps(w, v, f) for w, v, f in zip(now.dc_watts, solution.volts, self.floor, strict=True)]
        for branch, amps in zip(self.branches, solution.branch_amps, strict=True):
            if branch.a >= 0:
                left[branch.a] -= amps
            if branch.b >= 0:
                left[branch.b] += amps
        return left
