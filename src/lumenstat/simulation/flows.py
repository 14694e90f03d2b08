"""The continuous half of an aircraft: from its figures to volts and amps, and how fast the figures change.

The vector `x` holds, in this order: charge (0 to 1) and polarisation (V) of each battery; pressure (psi) of each
hydraulic system; angle (degrees) of each surface; pressure of each fuel feed and of each duct; speed (percent), exhaust
temperature (degC) and oil pressure (psi) of the APU; the six figures of each engine. Everything discrete is held still
meanwhile.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Start
from lumenstat.simulation.alignment import alignment_figures
from lumenstat.simulation.electrical.batteries import BatteryModel
from lumenstat.simulation.electrical.kept import network_of
from lumenstat.simulation.electrical.network import GROUND, Branch, load_amps
from lumenstat.simulation.engines.model import FIGURES_EACH, EngineModel
from lumenstat.simulation.holding import Conditions
from lumenstat.simulation.plan import Plan
from lumenstat.simulation.steps import Layout, Steps, steps_of
from lumenstat.simulation.turbine import Turbine

OFF_VOLTS = -1000.0
CHARGE_TOLERANCE = 5e-5
VOLTS_TOLERANCE = 3e-3
SPEED_TOLERANCE = 0.05
CELSIUS_TOLERANCE = 2.0
FOLLOWING_TOLERANCE = 0.005
"""Of what only follows the speed (oil pressure, fan or propeller): as a share of its full figure."""

Faults = Mapping[tuple[str, str], float]


@dataclass(frozen=True, slots=True)
class _Held:
    """What follows from some conditions whatever the figures: worked out once for all the steps under them.

    `emf` of rectifiers, DC supplies and diodes, with places for batteries before and for starters after them, where
    `driven` supplies (place, figure that drives it, volts, its full speed) follow a speed; `watts` that AC buses take
    from each source, with the rectifiers that `feed_on` one (source, branch, node, efficiency); hertz of AC buses;
    figures of units that do not align.
    """

    emf: list[float]
    driven: list[tuple[int, int, float, float]]
    watts: list[float]
    feed_on: list[tuple[int, int, int, float]]
    ac_hertz: list[float]
    settled_units: list[float] | None


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
    starters: int = 0
    contactors: int = 0
    branches: list[Branch] = field(default_factory=list)


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
        self._battery_nodes = [plan.node[battery.bus] for battery in electrical.batteries]
        self._rectifiers = [(plan.node[r.output], r.volts, r.efficiency) for r in electrical.rectifiers]
        self._drops = [-diode.drop_volts for diode in electrical.diodes]
        self._stores = [start.stores.get(store.id, store.usual) for store in airframe.stores]
        self.turbine: Turbine | None = None
        if apu := airframe.apu:
            self.turbine = Turbine(apu.spool, apu.exhaust, apu.oil, self.celsius)
        self._governed = apu.spool.governed_percent if apu else 0.0
        self.first_target = 2 * len(electrical.batteries)
        self.first_angle = self.first_target + len(airframe.hydraulics.systems)
        first_duct = self.first_angle + len(airframe.hydraulics.surfaces) + len(airframe.fuel.feeds)
        self.first_apu = first_duct + len(airframe.air.ducts)
        self.first_engine = self.first_apu + (3 if apu else 0)
        self.starters = plan.starters
        ducts = {duct.id: first_duct + n for n, duct in enumerate(airframe.air.ducts)}
        self.engines: list[EngineModel] = []
        for engine in airframe.engines:
            duct = ducts[engine.air_starter.duct] if engine.air_starter else None
            starter = self.starters.index(engine.id) if engine.starter else None
            self.engines.append(EngineModel(engine, self.celsius, duct, starter))
        places = {engine.id: self.first_engine + n * FIGURES_EACH for n, engine in enumerate(airframe.engines)}
        self._supplies = [
            (supply.volts, places.get(supply.driven_by or ""), supply.regulated_from_percent)
            for supply in electrical.dc_supplies
        ]
        self._starters = [(self.first_apu, apu.starter)] if apu else []
        self._starters += [(places[e.id], e.starter) for e in airframe.engines if e.starter is not None]
        self._no_fuel = [0.0] * len(self.engines)
        self._hold_for: Conditions | None = None
        self._held = _Held([], [], [], [], [], None)
        self.steps = self._make_steps()
        self.rebuild({})

    def _make_steps(self) -> Steps:
        airframe = self.airframe
        batteries = range(len(airframe.electrical.batteries))
        lags = [0.0, 0.0] * len(batteries)
        lags += [system.lag_seconds for system in airframe.hydraulics.systems]
        lags += [0.0] * len(airframe.hydraulics.surfaces)
        lags += [feed.lag_seconds for feed in airframe.fuel.feeds]
        lags += [duct.lag_seconds for duct in airframe.air.ducts]
        stiff = [2 * n + 1 for n in batteries]
        tolerances = [(n, CHARGE_TOLERANCE if n % 2 == 0 else VOLTS_TOLERANCE) for n in range(2 * len(batteries))]
        speeds = []
        following: list[tuple[int, float]] = []
        if airframe.apu is not None:
            lags += [0.0, airframe.apu.exhaust.lag_seconds, airframe.apu.oil.lag_seconds]
            stiff.append(self.first_apu)
            speeds.append(self.first_apu)
            following.append((self.first_apu + 2, airframe.apu.oil.psi))
        for n, engine in enumerate(self.engines):
            lags += engine.lags
            speeds.append(self.first_engine + n * FIGURES_EACH)
            following.append((speeds[-1] + 3, engine.engine.output.full))
            if engine.engine.oil is not None:
                following.append((speeds[-1] + 2, engine.engine.oil.psi))
            if engine.turbine is not None:
                stiff += [speeds[-1], speeds[-1] + 1]
        for at in speeds:
            tolerances += [(at, SPEED_TOLERANCE), (at + 1, CELSIUS_TOLERANCE)]
        tolerances += [(at, FOLLOWING_TOLERANCE * full) for at, full in following]
        shares = tuple(2 * n for n in batteries)
        return steps_of(Layout(tuple(lags), tuple(stiff), shares, tuple(speeds), tuple(tolerances)))

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
        g.starters = len(g.branches)
        for _, starter in self._starters:
            g.branches.append(Branch(plan.node[starter.bus], GROUND, 1000 / starter.resistance_mohm, low=0.0))
        per_percent = [(at, -starter.back_emf_volts_per_percent) for at, starter in self._starters]
        self._back_emf = [(g.starters + n, *each) for n, each in enumerate(per_percent)]
        g.contactors = len(g.branches)
        for contactor in electrical.contactors:
            a, b = (plan.node[end] for end in contactor.between)
            low, high = -math.inf, math.inf
            if contactor.limit is not None and ("limiter_failed", contactor.id) not in faults:
                toward_b = contactor.limit.toward == contactor.between[1]
                low, high = (low, contactor.limit.amps) if toward_b else (-contactor.limit.amps, high)
            g.branches.append(Branch(a, b, 1000 / contactor.resistance_mohm, low, high))
        self.network = network_of(tuple(g.branches), tuple(self.floor), g.contactors)
        self.rebuilt = True

    def begin(self, start: Start, angles: list[float]) -> list[float]:
        """The figures that an exercise begins with."""
        x: list[float] = []
        for battery in self.airframe.electrical.batteries:
            x += [start.battery_charge[battery.id], 0.0]
        x += [0.0] * len(self.airframe.hydraulics.systems)
        x += angles
        x += [feed.gravity_psi for feed in self.airframe.fuel.feeds]
        x += [0.0] * len(self.airframe.air.ducts)
        if self.turbine:
            x += [0.0, self.celsius, 0.0]
        for engine in self.engines:
            x += engine.at_rest()
        return x

    def at_rest(self) -> Solution:
        """A first guess: everything dead."""
        count = len(self.groups.branches)
        return Solution([0.0] * len(self.plan.dc), (0,) * count, [0.0] * count, [0.0] * len(self.sources))

    def _hold(self, now: Conditions) -> _Held:
        if self._hold_for is not now:
            self._hold_for, self._held = now, self._held_under(now)
        return self._held

    def _held_under(self, now: Conditions) -> _Held:
        emf = [0.0] * len(self.batteries)
        emf += [r[1] if alive else OFF_VOLTS for r, alive in zip(self._rectifiers, now.rectifier_alive, strict=True)]
        driven: list[tuple[int, int, float, float]] = []
        for n, ((volts, driven_at, full), on) in enumerate(zip(self._supplies, now.supply_on, strict=True), len(emf)):
            emf.append(volts if on else OFF_VOLTS)
            if on and driven_at is not None:
                driven.append((n, driven_at, volts, full))
        watts = [0.0] * len(self.sources)
        for root, taken in zip(now.ac_root, now.ac_watts, strict=True):
            if root >= 0:
                watts[root] += taken
        branches = enumerate(zip(self._rectifiers, now.rectifier_root, strict=True), self.groups.rectifiers)
        feed_on = [(root, at, node, efficiency) for at, ((node, _, efficiency), root) in branches if root >= 0]
        hertz = [now.source_hertz[root] if root >= 0 else 0.0 for root in now.ac_root]
        units = None
        if all(alignment.begun < 0 for alignment in now.alignments):
            units = [figure for alignment in now.alignments for figure in alignment_figures(alignment, 0)]
        emf += self._drops + [0.0] * len(self._starters)
        return _Held(emf, driven, watts, feed_on, hertz, units)

    def solve(self, x: list[float], now: Conditions, guess: Solution, sources: bool = True) -> Solution:
        """Volts and amps at the figures `x`, and if asked what every AC source gives. Raises NotSettled."""
        held = self._hold(now)
        emf = held.emf.copy()
        for n, model in enumerate(self.batteries):
            emf[n] = model.open_circuit_volts(x[2 * n]) + x[2 * n + 1]
        for place, driven_at, full_volts, full in held.driven:
            if (speed := x[driven_at]) < full:
                emf[place] = full_volts * (speed / full)
        for place, at, per_percent in self._back_emf:
            emf[place] = per_percent * x[at]
        volts, modes, amps = self.network.solve(now.present, emf, now.dc_watts, guess.volts, guess.modes)
        if not sources:
            return Solution(volts, modes, amps, [])
        watts = held.watts.copy()
        for root, branch, node, efficiency in held.feed_on:
            watts[root] += volts[node] * amps[branch] / efficiency
        return Solution(volts, modes, amps, watts)

    def rates(self, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """For each figure its change per second, or where it tends if it lags; then the slope of each stiff one."""
        rates: list[float] = []
        stiff: list[float] = []
        amps = solution.amps
        answers = self.network.answers(now.present, now.dc_watts, solution.modes)
        for n, model in enumerate(self.batteries):
            charging, settling, slope = model.rates(x[2 * n], x[2 * n + 1], -amps[n], answers[n])
            rates += charging, settling
            stiff.append(slope)
        rates += now.targets
        starter_at = self.groups.starters
        if (turbine := self.turbine) is not None:
            speed, burning = x[self.first_apu], now.apu_burning
            if speed or burning or amps[starter_at]:
                starter = self._starters[0][1]
                push = starter.percent_per_second_per_kiloamp * amps[starter_at] / 1000
                let = turbine.governor(speed, self._governed)
                gain, slope = turbine.acceleration(speed, push, burning, let)
                rates.append(gain)
                flow = turbine.fuel(speed, let) if burning else 0.0
                rates.append(turbine.exhaust_target(speed, flow))
                rates.append(turbine.oil_target(speed) if now.apu_oiled else 0.0)
                stiff.append(slope)
            else:
                rates += [0.0, self.celsius, 0.0]
                stiff.append(0.0)
        at = self.first_engine
        for engine, state in zip(self.engines, now.engines, strict=True):
            drawn = amps[starter_at + engine.starter] if engine.starter is not None else 0.0
            psi = x[engine.duct] if engine.duct is not None else 0.0
            given, slopes = engine.rates(x[at : at + FIGURES_EACH], drawn, psi, state)
            rates += given
            stiff += slopes
            at += FIGURES_EACH
        return rates + stiff

    def figures(self, tick: int, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """Every figure that can be observed, in the order of the plan's `a` slots."""
        held, fuel, units = self._hold(now), self._no_fuel, self._hold(now).settled_units
        if now.any_fuel:
            engines = enumerate(zip(self.engines, now.engines, strict=True))
            at = self.first_engine
            fuel = [engine.fuel_flow(x[at + n * FIGURES_EACH], state) for n, (engine, state) in engines]
        if units is None:
            units = [figure for alignment in now.alignments for figure in alignment_figures(alignment, tick)]
        return self.plan.figures(
            tick, solution.volts, solution.amps, x, solution.source_watts, now.source_volts, now.source_hertz,
            now.ac_root, held.ac_hertz, fuel, units, self._stores,
        )  # fmt: skip

    def balance(self, solution: Solution, now: Conditions) -> list[float]:
        """Amps left over at every DC node; zero everywhere in a true solution."""
        left = [-load_amps(w, v, f) for w, v, f in zip(now.dc_watts, solution.volts, self.floor, strict=True)]
        for branch, amps in zip(self.groups.branches, solution.amps, strict=True):
            if branch.a >= 0:
                left[branch.a] -= amps
            if branch.b >= 0:
                left[branch.b] += amps
        return left
