"""The continuous half of an aircraft: from its figures to volts and amps, and how fast the figures change.

The vector `x` holds, in this order: charge (0 to 1) and polarisation (V) of each battery; pressure (psi) of each
hydraulic system; angle (degrees) of each surface; pressure of each fuel feed and of each duct; speed (percent), exhaust
temperature (degC) and oil pressure (psi) of the APU. Everything discrete is held still meanwhile.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Start
from lumenstat.simulation.electrical.batteries import BatteryModel
from lumenstat.simulation.electrical.kept import Network
from lumenstat.simulation.electrical.network import GROUND, Branch, load_amps
from lumenstat.simulation.plan import Plan
from lumenstat.simulation.turbine import Turbine

OFF_VOLTS = -1000.0
CHARGE_TOLERANCE = 5e-5
VOLTS_TOLERANCE = 3e-3
SPEED_TOLERANCE = 0.05
CELSIUS_TOLERANCE = 2.0

Faults = Mapping[tuple[str, str], float]


@dataclass
class Conditions:
    """What the discrete half holds still for the continuous half; made anew whenever logic settles."""

    present: tuple[bool, ...]
    rectifier_alive: tuple[bool, ...]
    supply_on: tuple[bool, ...]
    source_volts: list[float]
    source_hertz: list[float]
    ac_root: list[int]
    rectifier_root: list[int]
    dc_watts: tuple[float, ...]
    ac_watts: list[float]
    targets: list[float]
    apu_lit: bool = False
    apu_strength: float = 1.0
    apu_oiled: bool = True


@dataclass(slots=True)
class Solution:
    """A solved network: volts by DC node, modes and amps by branch, watts by AC source."""

    volts: list[float]
    modes: tuple[int, ...]
    amps: list[float]
    source_watts: list[float]


@dataclass
class Groups:
    """Where each group of branches begins."""

    rectifiers: int = 0
    supplies: int = 0
    diodes: int = 0
    starter: int = 0
    contactors: int = 0
    branches: list[Branch] = field(default_factory=list)


def phi_1(z: float) -> float:
    """(e^z - 1) / z, 1 at 0."""
    return math.expm1(z) / z if abs(z) > 1e-8 else 1.0


def phi_2(z: float) -> float:
    """(e^z - 1 - z) / z^2, 1/2 at 0."""
    return (math.expm1(z) - z) / (z * z) if abs(z) > 1e-4 else 0.5 + z / 6


class Flows:
    """Solves and advances one aircraft."""

    def __init__(self, plan: Plan, start: Start) -> None:
        self.plan = plan
        airframe = plan.airframe
        self.airframe: Airframe = airframe
        electrical = airframe.electrical
        self.celsius = start.outside_celsius
        self.floor = [bus.dead_below for bus in plan.dc]
        self.sources = electrical.sources
        self._rated = [source.rated_va for source in self.sources]
        self._droop = [getattr(source, "droop_volts", 0.0) for source in self.sources]
        self._battery_nodes = [plan.node[battery.bus] for battery in electrical.batteries]
        self._rectifiers = [(plan.node[r.output], r.volts, r.efficiency) for r in electrical.rectifiers]
        self._supply_volts = [supply.volts for supply in electrical.dc_supplies]
        self._drops = [-diode.drop_volts for diode in electrical.diodes]
        self._stores = [start.stores.get(store.id, store.usual) for store in airframe.stores]
        self.turbine = Turbine(airframe.apu, self.celsius) if airframe.apu else None
        self.first_target = 2 * len(electrical.batteries)
        self.first_angle = self.first_target + len(airframe.hydraulics.systems)
        self.first_apu = self.first_angle + len(airframe.hydraulics.surfaces)
        self.first_apu += len(airframe.fuel.feeds) + len(airframe.air.ducts)
        self._stiff = [2 * n + 1 for n in range(len(electrical.batteries))] + ([self.first_apu] if self.turbine else [])
        self._grounds = len(electrical.ground_supplies)
        self._lagged: dict[int, list[float]] = {}
        self.rebuild({})

    def rebuild(self, faults: Faults) -> None:
        """Make branches and batteries as they are with these faults."""
        plan, electrical = self.plan, self.airframe.electrical
        self.batteries = []
        for battery in electrical.batteries:
            model = BatteryModel.of(battery, self.celsius, faults.get(("battery_weak", battery.id), 1.0))
            self.batteries.append(model)
        g = self.groups = Groups()
        for node, model in zip(self._battery_nodes, self.batteries, strict=True):
            g.branches.append(Branch(GROUND, node, 1 / model.r0_ohm))
        g.rectifiers = len(g.branches)
        for rectifier in electrical.rectifiers:
            siemens = 1000 / rectifier.resistance_mohm
            g.branches.append(Branch(GROUND, plan.node[rectifier.output], siemens, 0.0, rectifier.limit_amps))
        g.supplies = len(g.branches)
        for supply in electrical.dc_supplies:
            siemens = 1000 / supply.resistance_mohm
            g.branches.append(Branch(GROUND, plan.node[supply.bus], siemens, 0.0, supply.limit_amps))
        g.diodes = len(g.branches)
        for diode in electrical.diodes:
            ends = plan.node[diode.anode], plan.node[diode.cathode]
            leak = faults.get(("diode_leaks", diode.id), 0.0)
            g.branches.append(Branch(*ends, 1000 / diode.resistance_mohm, low=-leak))
        g.starter = len(g.branches)
        if self.airframe.apu is not None:
            starter = self.airframe.apu.starter
            g.branches.append(Branch(plan.node[starter.bus], GROUND, 1000 / starter.resistance_mohm, low=0.0))
        g.contactors = len(g.branches)
        for contactor in electrical.contactors:
            a, b = (plan.node[end] for end in contactor.between)
            low, high = -math.inf, math.inf
            if contactor.limit is not None and ("limiter_failed", contactor.id) not in faults:
                toward_b = contactor.limit.toward == contactor.between[1]
                low, high = (low, contactor.limit.amps) if toward_b else (-contactor.limit.amps, high)
            g.branches.append(Branch(a, b, 1000 / contactor.resistance_mohm, low, high))
        self.network = Network(g.branches, self.floor, with_emf=g.contactors)
        self.rebuilt = True
        self._lagged.clear()
        self._taus = self._lags()

    def _lags(self) -> list[float]:
        """For each figure of `x` its lag in seconds, or 0 where it has a plain rate."""
        airframe, taus = self.airframe, []
        taus += [0.0, 0.0] * len(self.batteries)
        taus += [system.lag_seconds for system in airframe.hydraulics.systems]
        taus += [0.0] * len(airframe.hydraulics.surfaces)
        taus += [feed.lag_seconds for feed in airframe.fuel.feeds]
        taus += [duct.lag_seconds for duct in airframe.air.ducts]
        if airframe.apu is not None:
            taus += [0.0, airframe.apu.exhaust.lag_seconds, airframe.apu.oil.lag_seconds]
        return taus

    def begin(self, start: Start, angles: list[float]) -> list[float]:
        """The figures that an exercise begins with."""
        x: list[float] = []
        for battery in self.airframe.electrical.batteries:
            x += [start.battery_charge[battery.id], 0.0]
        x += [0.0] * len(self.airframe.hydraulics.systems)
        x += angles
        x += [feed.gravity_psi for feed in self.airframe.fuel.feeds]
        x += [0.0] * len(self.airframe.air.ducts)
        return x + ([0.0, self.celsius, 0.0] if self.turbine else [])

    def at_rest(self) -> Solution:
        """A first guess: everything dead."""
        count = len(self.groups.branches)
        return Solution([0.0] * len(self.plan.dc), (0,) * count, [0.0] * count, [0.0] * len(self.sources))

    def solve(self, x: list[float], now: Conditions, guess: Solution, sources: bool = True) -> Solution:
        """Volts and amps at the figures `x`, and if asked what every AC source gives. Raises NotSettled."""
        emf = [model.open_circuit_volts(x[2 * n]) + x[2 * n + 1] for n, model in enumerate(self.batteries)]
        emf += [r[1] if alive else OFF_VOLTS for r, alive in zip(self._rectifiers, now.rectifier_alive, strict=True)]
        emf += [v if on else OFF_VOLTS for v, on in zip(self._supply_volts, now.supply_on, strict=True)]
        emf += self._drops
        if self.turbine is not None:
            emf.append(-self.turbine.apu.starter.back_emf_volts_per_percent * x[self.first_apu])
        volts, modes, amps = self.network.solve(now.present, emf, now.dc_watts, guess.volts, guess.modes)
        return Solution(volts, modes, amps, self._source_watts(volts, amps, now) if sources else [])

    def _source_watts(self, volts: list[float], amps: list[float], now: Conditions) -> list[float]:
        watts = [0.0] * len(self.sources)
        for root, taken in zip(now.ac_root, now.ac_watts, strict=True):
            if root >= 0:
                watts[root] += taken
        at = self.groups.rectifiers
        for (node, _, efficiency), root in zip(self._rectifiers, now.rectifier_root, strict=True):
            if root >= 0:
                watts[root] += volts[node] * amps[at] / efficiency
            at += 1
        return watts

    def rates(self, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """For each figure its change per second, or where it tends if it lags; then how stiff the stiff ones are.

        Stiff are the polarisation of a battery on a strong bus, which answers its own current, and the speed of a
        governed APU: for each its own slope per second, not above 0.
        """
        rates: list[float] = []
        stiff: list[float] = []
        for n, model in enumerate(self.batteries):
            amps, charge, polarisation = -solution.amps[n], x[2 * n], x[2 * n + 1]
            ohm = model.polarisation_ohm(charge, amps > 0)
            rates.append(model.charge_per_second(charge, amps))
            rates.append((amps * ohm - polarisation) / model.tau_seconds)
            answer = self.network.answering_siemens(now.present, now.dc_watts, solution.modes, n)
            stiff.append(-(1 + ohm * max(0.0, answer)) / model.tau_seconds)
        rates += now.targets
        if self.turbine is not None:
            speed, amps = x[self.first_apu], solution.amps[self.groups.starter]
            rates.append(self.turbine.acceleration(speed, amps, now.apu_lit, now.apu_strength))
            rates.append(self.turbine.exhaust_target(speed, now.apu_lit))
            rates.append(self.turbine.oil_target(speed) if now.apu_oiled else 0.0)
            stiff.append(self.turbine.stiffness(speed, amps, now.apu_lit, now.apu_strength))
        return rates + stiff

    def advance(self, x: list[float], rates: list[float], length: int) -> list[float]:
        """The figures after some ticks at these rates; lags and stiff figures by their exact exponential."""
        lagged = self._lagged.get(length)
        seconds = length / 100
        if lagged is None:
            lagged = self._lagged[length] = [1 - math.exp(-seconds / tau) if tau else 0.0 for tau in self._taus]
        after = [
            at + (rate - at) * share if share else at + rate * seconds
            for at, rate, share in zip(x, rates, lagged, strict=False)
        ]
        for n in range(0, self.first_target, 2):
            after[n] = 1.0 if after[n] > 1 else 0.0 if after[n] < 0 else after[n]  # what is no figure stays none
        for n, slope in zip(self._stiff, rates[len(x) :], strict=True):
            after[n] = x[n] + rates[n] * seconds * phi_1(slope * seconds)
        if self.turbine is not None:
            after[self.first_apu] = max(0.0, after[self.first_apu])
        return after

    def correct(
        self, x: list[float], rough: list[float], start: list[float], end: list[float], length: int
    ) -> list[float]:
        """A better estimate from the rates at both ends of the step.

        The mean of both rates; for stiff figures the exponential scheme of second order (ETD2RK), which is exact for a
        straight line and so takes steps of any length.
        """
        mean = [(one + other) / 2 for one, other in zip(start, end, strict=True)]
        after = self.advance(x, mean, length)
        seconds = length / 100
        for n, slope in zip(self._stiff, start[len(x) :], strict=True):
            bend = (end[n] - slope * rough[n]) - (start[n] - slope * x[n])
            after[n] = rough[n] + bend * seconds * phi_2(slope * seconds)
        if self.turbine is not None:
            after[self.first_apu] = max(0.0, after[self.first_apu])
        return after

    def error(self, rough: list[float], fine: list[float]) -> float:
        """How far two estimates of a step lie apart, 1 being just tolerable."""
        worst = 0.0
        for n in range(0, self.first_target, 2):
            worst = max(
                worst, abs(rough[n] - fine[n]) / CHARGE_TOLERANCE, abs(rough[n + 1] - fine[n + 1]) / VOLTS_TOLERANCE
            )
        if self.turbine is not None:
            n = self.first_apu
            worst = max(
                worst, abs(rough[n] - fine[n]) / SPEED_TOLERANCE, abs(rough[n + 1] - fine[n + 1]) / CELSIUS_TOLERANCE
            )
        return worst

    def figures(self, tick: int, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """Every figure that can be observed, in the order of the plan's `a` slots."""
        volts, amps, g = solution.volts, solution.amps, self.groups
        loads = [watts / rated for watts, rated in zip(solution.source_watts, self._rated, strict=True)]
        shown = [v and v - d * load for v, d, load in zip(now.source_volts, self._droop, loads, strict=True)]
        a = [tick / 100, *volts]
        a += [shown[root] if root >= 0 else 0.0 for root in now.ac_root]
        a += [now.source_hertz[root] if root >= 0 else 0.0 for root in now.ac_root]
        a += [volts[node] for node in self._battery_nodes]
        a += [-i for i in amps[: g.rectifiers]]
        a += x[0 : self.first_target : 2]
        a += [100 * load for load in loads]
        a += shown[: self._grounds]
        a += now.source_hertz[: self._grounds]
        a += amps[g.supplies : g.diodes]
        a += amps[g.rectifiers : g.supplies]
        a += amps[g.diodes : g.starter]
        a += amps[g.contactors :]
        a += x[self.first_target :]
        if self.turbine is not None:
            a.append(amps[g.starter])
        return a + self._stores

    def balance(self, solution: Solution, now: Conditions) -> list[float]:
        """Amps left over at every DC node; zero everywhere in a true solution."""
        left = [-load_amps(w, v, f) for w, v, f in zip(now.dc_watts, solution.volts, self.floor, strict=True)]
        for branch, amps in zip(self.groups.branches, solution.amps, strict=True):
            if branch.a >= 0:
                left[branch.a] -= amps
            if branch.b >= 0:
                left[branch.b] += amps
        return left
