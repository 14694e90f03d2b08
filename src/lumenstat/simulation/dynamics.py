"""The continuous half of an aircraft: from its states to volts and amps, and how fast its states change.

Everything discrete stays as it is meanwhile; what of it matters here are the `Conditions`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from operator import itemgetter

from lumenstat.network.cached import network_of
from lumenstat.network.solving import load_amps
from lumenstat.simulation.plan import Plan
from lumenstat.systems.terms import Discrete
from lumenstat.systems.unit import Unit

Rates = Callable[[Sequence[float], Sequence[float], Sequence[float]], tuple[list[float], list[float]]]


@dataclass
class Conditions:
    """What stays as it is until the next event: which branches are there, what is drawn from DC buses, and what every
    unit holds still."""

    present: tuple[bool, ...]
    dc_watts: tuple[float, ...]
    held: tuple[object, ...]


@dataclass(slots=True)
class Solution:
    """A solved network: volts by DC node, modes and amps by branch."""

    volts: list[float]
    modes: tuple[int, ...]
    amps: list[float]


@dataclass(frozen=True, slots=True)
class _Part:
    """States one after another: where they tend, or what gives their rates."""

    targets: list[float]
    rates: Rates | None


class Dynamics:
    """Solves and advances one aircraft."""

    def __init__(self, plan: Plan, units: Sequence[tuple[int, Unit]], changes: Callable[[], int]) -> None:
        self.plan, self.layout = plan, plan.layout
        self.steps = plan.steps
        self.floor = tuple(bus.dead_below for bus in plan.dc)
        self._changes = changes
        self._units = [unit for _, unit in units]
        self._of_system = dict(units)
        # Asked once here which units override what, so that no step calls a unit that has nothing to say.
        self._holding = [unit for unit in self._units if type(unit).hold is not Unit.hold]
        self._deciding = [unit.decides for unit in self._units if type(unit).decides is not Unit.decides]
        self._adding = [unit.adds_draws for unit in self._units if type(unit).adds_draws is not Unit.adds_draws]
        passing = [unit for unit in self._units if type(unit).passes_on_draws is not Unit.passes_on_draws]
        self._passing_on = [unit.passes_on_draws for unit in passing]
        self._moving_emf = [unit.moving_emf for unit in self._units if type(unit).moving_emf is not Unit.moving_emf]
        self._giving = [unit.outputs for unit in self._units if type(unit).outputs is not Unit.outputs]
        d = self.layout.d
        draws = [draw for system in plan.systems for draw in system.draws()]
        self._draws = [(d[draw.state], draw.bus, draw.watts) for draw in draws]
        names = [branch for system in plan.systems for branch in system.branches()]
        by_place = sorted(names, key=lambda branch: self.layout.branches[branch.name])
        self._present = [None if branch.present is None else d[branch.present] for branch in by_place]
        self._back_emf = [
            (self.layout.branches[branch.name], self.layout.x[branch.back_emf[0]], branch.back_emf[1])
            for branch in by_place
            if branch.back_emf is not None
        ]
        self._with_emf = sum(branch.has_emf for branch in by_place)
        self._emf_places = [
            (number, [self.layout.branches[branch.name] for branch in system.branches() if branch.has_emf])
            for number, system in enumerate(plan.systems)
        ]
        read = [slot for slot, _, _ in self._draws] + [slot for slot in self._present if slot is not None]
        read += [d[name] for unit in self._units for name in unit.held_by]
        # A state that every aircraft has, for one that has none of these.
        self._read = itemgetter(*dict.fromkeys(read), d["start.hours_unpowered"])
        self._decided_by: tuple[object, ...] = ()
        self._conditions: Conditions | None = None
        self._worked_out_for: Conditions | None = None
        self._emf: list[float] = []
        self._parts: list[_Part] = []
        self.rewire()

    def rewire(self) -> None:
        """Make the branches as they are with the faults that there are."""
        wiring = [(number, self._of_system[number].wiring()) for number in self._of_system]
        places = {
            number: [self.layout.branches[branch.name] for branch in self.plan.systems[number].branches()]
            for number, _ in wiring
        }
        by_place = {
            place: branch for number, branches in wiring for place, branch in zip(places[number], branches, strict=True)
        }
        # Branches with an EMF stand before those without: the kernel of the network counts on it.
        self.branches = tuple(by_place[place] for place in sorted(by_place))
        self.network = network_of(self.branches, self.floor, self._with_emf)
        self.rewired = True

    def at_rest(self) -> Solution:
        """A first guess: everything dead."""
        count = len(self.branches)
        return Solution([0.0] * len(self.plan.dc), (0,) * count, [0.0] * count)

    def fitted(self, solution: Solution) -> Solution:
        """A solution as the guess for branches that were made anew: one whose bound is gone is on its line again."""
        modes = tuple(
            0 if (mode > 0 and branch.high == math.inf) or (mode < 0 and branch.low == -math.inf) else mode
            for mode, branch in zip(solution.modes, self.branches, strict=True)
        )
        return solution if modes == solution.modes else replace(solution, modes=modes)

    # ---- conditions --------------------------------------------------------------------------------------

    def conditions(self, d: list[Discrete]) -> Conditions:
        """The conditions while logic asks for nothing new; the same object until what decides them changes."""
        # The same object tells the network and the steps that nothing they cached is out of date.
        decided_by = self._read(d), [decides() for decides in self._deciding], self._changes()
        if self._conditions is None or decided_by != self._decided_by:
            self._decided_by = decided_by
            self._conditions = self._made_of(d)
        return self._conditions

    def _made_of(self, d: list[Discrete]) -> Conditions:
        watts = self._watts(d)
        return Conditions(
            tuple([slot is None or d[slot] is True for slot in self._present]),
            tuple([watts[bus.id] for bus in self.plan.dc]),
            tuple([unit.hold(watts) for unit in self._holding]),
        )

    def _watts(self, d: list[Discrete]) -> dict[str, float]:
        # Every bus stands in it, dead ones too, so that units add without asking.
        watts = dict.fromkeys(self.plan.airframe.buses, 0.0)
        for slot, bus, taken in self._draws:
            if d[slot]:
                watts[bus] += taken
        for adds in self._adding:
            adds(watts)
        # After all others, for an inverter passes on what hangs on its buses.
        for passes_on in self._passing_on:
            passes_on(watts)
        return watts

    def _work_out(self, now: Conditions) -> None:
        """Put together what units hold still, once for all the steps under the same conditions."""
        self._worked_out_for = now
        self._emf = [0.0] * self._with_emf
        for number, places in self._emf_places:
            if places:
                for place, volts in zip(places, self._of_system[number].emf, strict=True):
                    self._emf[place] = volts
        self._parts = []
        for unit in self._units:
            if type(unit).rates is not Unit.rates:
                self._parts.append(_Part([], unit.rates))
            elif unit.targets:
                self._parts.append(_Part(list(unit.targets), None))

    # ---- states ------------------------------------------------------------------------------------------

    def emf(self, x: list[float], now: Conditions) -> list[float]:
        """EMF of the branches that have one, in their order, at the states `x`."""
        if self._worked_out_for is not now:
            self._work_out(now)
        # What moves is written over what holds still; a starter's back-EMF goes with the speed of its shaft.
        emf = self._emf.copy()
        for move in self._moving_emf:
            move(x, emf)
        for place, at, volts_for_each in self._back_emf:
            emf[place] = volts_for_each * x[at]
        return emf

    def solve(self, x: list[float], now: Conditions, guess: Solution) -> Solution:
        """Volts and amps at the states `x`. Raises NotSettled."""
        emf = self.emf(x, now)
        volts, modes, amps = self.network.solve(now.present, emf, now.dc_watts, guess.volts, guess.modes)
        return Solution(volts, modes, amps)

    def rates(self, x: list[float], solution: Solution, now: Conditions) -> list[float]:
        """For each state its rate per second, or where it tends if it lags; then the slope of each stiff one."""
        if self._worked_out_for is not now:
            self._work_out(now)
        rates: list[float] = []
        slopes: list[float] = []
        amps = solution.amps
        answers = self.network.answers(now.present, now.dc_watts, solution.modes)
        for part in self._parts:
            if part.rates is None:
                rates += part.targets
            else:
                found, stiff = part.rates(x, amps, answers)
                rates += found
                slopes += stiff
        return rates + slopes

    def outputs(self, tick: int, x: list[float], solution: Solution) -> list[float]:
        """Every output, in the order of the layout."""
        volts, amps = solution.volts, solution.amps
        given: list[float] = []
        for gives in self._giving:
            given += gives(tick, x, volts, amps)
        return self.plan.outputs(tick, volts, amps, x, given)

    def balance(self, solution: Solution, now: Conditions) -> list[float]:
        """Amps left over at every DC node; zero everywhere in a true solution."""
        left = [-load_amps(w, v, f) for w, v, f in zip(now.dc_watts, solution.volts, self.floor, strict=True)]
        for branch, amps in zip(self.branches, solution.amps, strict=True):
            if branch.a >= 0:
                left[branch.a] -= amps
            if branch.b >= 0:
                left[branch.b] += amps
        return left
