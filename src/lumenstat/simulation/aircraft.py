"""An aircraft in some state, and how it goes on from there.

Time is an integer of 10 ms ticks. `advance(tick)` lets it go on; `touched()` follows something done to it from outside
(`simulation.actions`); `peek(tick)` looks without touching. Step sizes depend on state alone, so looking more or less
often changes nothing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import cycle
from typing import Protocol

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Fault, Start
from lumenstat.errors import ModelError
from lumenstat.simulation.calendar import Calendar, Priority
from lumenstat.simulation.electrical.network import NotSettled
from lumenstat.simulation.flows import Flows, Solution
from lumenstat.simulation.holding import Conditions
from lumenstat.simulation.plan import Discrete, Plan, plan_for, ticks
from lumenstat.simulation.reading import Reading
from lumenstat.simulation.settling import Settler

LONGEST_STEP = 3000
FIRST_STEP = 200
GROWTH = 6.0
GROWTH_AFTER_FAILURE = 2.0
SETTLE_ROUNDS = 50
TOLERABLE = 1.0
NEAR = 0.005


class Watcher(Protocol):
    """Sees an aircraft pass; must not change it."""

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Figures moved from tick `start` to `end`; `sample(tick)` gives them at any tick between."""

    def at_event(self, tick: int) -> None:
        """Something discrete happened, or a step ended, at this tick."""


@dataclass(frozen=True, slots=True)
class CrewLine:
    """Something said on the ground crew line."""

    tick: int
    by: str
    says: str


@dataclass(slots=True)
class _Step:
    """A step that is planned: where it ends, how the figures get there, and when something was due by then."""

    end: int
    due: int | None
    x: list[float]
    solution: Solution
    a: list[float]
    flipped: list[tuple[int, bool]]
    bends: list[float]
    next_ticks: int


@dataclass(frozen=True)
class Snapshot:
    """All that an aircraft's future depends on."""

    tick: int
    d: list[Discrete]
    x: list[float]
    solution: Solution
    bends: list[float]
    step_ticks: int
    calendar: Calendar
    settler: Mapping[str, object]


class Aircraft:
    """One aircraft of an airframe, from an exercise's starting state."""

    def __init__(self, airframe: Airframe, start: Start, faults: tuple[Fault, ...] = ()) -> None:
        self.plan: Plan = plan_for(airframe)
        self.flows = Flows(self.plan, start)
        self.tick = 0
        self.calendar = Calendar()
        self.crew: list[CrewLine] = []
        self.watchers: list[Watcher] = []
        self.d: list[Discrete] = [False] * len(self.plan.d)
        self._set_controls(airframe, start)
        angles = []
        for surface in airframe.hydraulics.surfaces:
            lever = str(self.d[self.plan.d[f"control.{surface.lever}"]])
            angles.append(start.surfaces_degrees.get(surface.id, surface.positions[lever]))
        self.x = self.flows.begin(start, angles)
        self.settler = Settler(self, start, faults)
        self.solution = self.flows.at_rest()
        self.a: list[float] = [0.0] * len(self.plan.a)
        self._step_ticks = FIRST_STEP
        self._planned: _Step | None = None
        self._rates: list[float] | None = None
        self._bends = self.flows.steps.straight
        self.conditions: Conditions = self.settler.settle()
        self._resolve()
        self.flows.rebuilt = False

    def _set_controls(self, airframe: Airframe, start: Start) -> None:
        for name, control in airframe.controls.items():
            value = start.controls.get(name, control.usual)
            self.d[self.plan.d[f"control.{name}"]] = float(value) if control.kind == "entry" else str(value)
        for service in airframe.services:
            self.d[self.plan.d[f"service.{service.id}"]] = start.services.get(service.id, service.states[0])
        for bus in self.plan.ac:
            self.d[self.plan.d[f"bus.{bus.id}.fed_by"]] = ""
        self.d[self.plan.d["start.hours_unpowered"]] = start.hours_unpowered
        self.d[self.plan.d["start.first_flight_of_day"]] = start.first_flight_of_day

    # ---- looking -----------------------------------------------------------------------------------------

    def peek(self, tick: int) -> list[float]:
        """Figures at a tick from the last step on and not after the next one; changes nothing."""
        if tick <= self.tick:
            return self.a
        step = self._next_step()
        return step.a if tick >= step.end else self._as_far_as(step, tick).a

    def state(self, a: list[float] | None = None) -> dict[str, Discrete | None]:
        """Every quantity by name, at the figures given or as they are now."""
        return dict(zip(self.plan.quantities, self._read_all(self.d, self.a if a is None else a), strict=True))

    def reading(self) -> Reading:
        """Every quantity as it is now, to be read later."""
        return Reading(self.plan, self.d, self.a)

    @property
    def _read_all(self) -> Callable[[list[Discrete], list[float]], tuple[Discrete | None, ...]]:
        return reader_of(self.plan)

    @property
    def next_change(self) -> int:
        """The tick until which nothing discrete happens and `peek` can look."""
        return self._next_step().end

    # ---- going on ----------------------------------------------------------------------------------------

    def advance(self, to: int) -> None:
        """Take every step that ends, and fire every event that is due, by this tick."""
        while True:
            due = self.calendar.next_tick()
            if due is not None and due <= self.tick:
                self._fire_due()
                continue
            step = self._next_step()
            if step.end > to:
                return
            self._commit(step)

    def arrive(self, tick: int) -> None:
        """Advance and then stand exactly at this tick, ready for something to be done."""
        self.advance(tick)
        if self.tick < tick:
            step = self._next_step()
            self._commit(self._as_far_as(step, tick))
            self.advance(tick)

    def touched(self) -> None:
        """Settle after something discrete was changed from outside at the present tick."""
        self._after_change()

    def _next_step(self) -> _Step:
        due = self.calendar.next_tick()
        if self._planned is None or self._planned.due != due:
            self._planned = self._plan_step(due)
        return self._planned

    def _plan_step(self, due: int | None) -> _Step:
        length = self._step_ticks
        bounded = due is not None and due - self.tick < length
        if bounded and due is not None:
            length = due - self.tick
        growth = GROWTH
        while True:
            x, between, bends, error = self._attempt(length)
            if error <= TOLERABLE or length == 1:
                break
            length = max(1, int(length * max(0.2, 0.9 / math.sqrt(error))))
            bounded, growth = False, GROWTH_AFTER_FAILURE
        grown = int(length * min(growth, 0.9 / math.sqrt(error) if error > 0 else growth)) + 1
        if bounded:
            grown = max(grown, self._step_ticks)
        solution = self._solved(self.tick + length, x, between)
        a = self.flows.figures(self.tick + length, x, solution, self.conditions)
        flipped = self.plan.flipped(self.d, a)
        step = _Step(self.tick + length, due, x, solution, a, flipped, bends, min(LONGEST_STEP, grown))
        return self._first_flip(step) if flipped and length > 1 else step

    def _attempt(self, length: int) -> tuple[list[float], Solution, list[float], float]:
        """Heun over some ticks: figures at its end, the rough step's solution, bends, error of the rough step."""
        try:
            steps, start = self.flows.steps, self._rates_here()
            rough = steps.advance(self.x, start, self._bends, length)
            between = self._solved(self.tick, rough, self.solution, sources=False)
            end = self.flows.rates(rough, between, self.conditions)
            bends, x, error = steps.correct(self.x, rough, start, end, length)
            return x, between, bends, error
        except (OverflowError, ZeroDivisionError) as lost:
            raise self._lost(self.tick, lost) from None

    def _solved(self, tick: int, x: list[float], guess: Solution, sources: bool = True) -> Solution:
        """The network at these figures. Raises ModelError where it has no solution."""
        try:
            return self.flows.solve(x, self.conditions, guess, sources)
        except (NotSettled, OverflowError, ZeroDivisionError) as error:
            raise self._lost(tick, error) from None

    @staticmethod
    def _lost(tick: int, error: Exception) -> ModelError:
        return ModelError(f"at {tick / 100:.2f} s the model has no solution any more: {error}")

    def _rates_here(self) -> list[float]:
        """The rates at the present tick, found when they are first needed: often something is switched before."""
        if self._rates is None:
            self._rates = self.flows.rates(self.x, self.solution, self.conditions)
        return self._rates

    def _as_far_as(self, step: _Step, tick: int) -> _Step:
        """A step cut off at a tick on its way."""
        x = self.flows.steps.advance(self.x, self._rates_here(), step.bends, tick - self.tick)
        solution = self._solved(tick, x, self.solution)
        a = self.flows.figures(tick, x, solution, self.conditions)
        return _Step(tick, step.due, x, solution, a, self.plan.flipped(self.d, a), step.bends, step.next_ticks)

    def _first_flip(self, step: _Step) -> _Step:
        """The step as far as the first tick at which a comparator has flipped.

        Guesses go twice where a straight line would cross the threshold, then beside the last, then to the middle.
        """
        before, low, beside = self.tick, self.a, 0
        guesses = cycle(("crossing", "crossing", "beside", "middle"))
        while step.end - before > 1:
            match next(guesses):
                case "crossing":
                    guess = before + self._crossing(low, step, step.end - before)
                case "beside":
                    guess = beside
                case _:
                    guess = (before + step.end) // 2
            part = self._as_far_as(step, min(step.end - 1, max(before + 1, guess)))
            if part.flipped:
                step, beside = part, part.end - 1
            else:
                before, low, beside = part.end, part.a, part.end + 1
        return step

    def _crossing(self, low: list[float], step: _Step, length: int) -> int:
        """How far into the last stretch of a step the first comparator that flips in it would on a straight line."""
        shares = []
        for slot, value in step.flipped:
            comparator = self.plan.comparator_of[slot]
            threshold = comparator.on_above if value else comparator.off_below
            change = step.a[comparator.a] - low[comparator.a]
            shares.append((threshold - low[comparator.a]) / change if change else 0.5)
        return math.ceil(min(shares) * length)

    def _commit(self, step: _Step) -> None:
        start = self.tick
        for watcher in self.watchers:
            watcher.during_step(
                start, step.end, lambda tick: step.a if tick == step.end else self._as_far_as(step, tick).a
            )
        self.tick, self.x, self.solution, self.a = step.end, step.x, step.solution, step.a
        self._step_ticks = step.next_ticks
        self._planned = self._rates = None
        self._bends = step.bends
        self._refuse_nonsense()
        if self._flip(step.flipped):
            self._resolve()
        for watcher in self.watchers:
            watcher.at_event(self.tick)

    def _refuse_nonsense(self) -> None:
        total = sum(self.a)
        if math.isfinite(total):
            return
        slots = {number: name for name, number in self.plan.a.numbers.items()}
        name = next(slots[n] for n, figure in enumerate(self.a) if not math.isfinite(figure))
        raise ModelError(f"{name} is no longer a figure at {self.tick / 100:.2f} s; the log up to there is kept")

    def _fire_due(self) -> None:
        while (due := self.calendar.next_tick()) is not None and due <= self.tick:
            event = self.calendar.pop()
            if self.settler.fire(event):
                self._after_change()

    def _after_change(self) -> None:
        if self._settled_anew():
            self._resolve()
        for watcher in self.watchers:
            watcher.at_event(self.tick)

    def _settled_anew(self) -> bool:
        """Settle the logic; whether anything that the figures depend on has changed by it."""
        settled = self.settler.settle()
        if settled == self.conditions and not self.flows.rebuilt:
            return False
        self.conditions, self.flows.rebuilt = settled, False
        return True

    def _flip(self, flipped: list[tuple[int, bool]]) -> bool:
        """Let comparators follow the figures and the logic follow them; whether anything depends on it now."""
        for slot, value in flipped:
            self.d[slot] = value
        return bool(flipped) and self._settled_anew()

    def _resolve(self) -> None:
        """Solve the network; where a comparator flips, settle the logic and solve again until all is quiet."""
        for _ in range(SETTLE_ROUNDS):
            self.solution = self._solved(self.tick, self.x, self.solution)
            self.a = self.flows.figures(self.tick, self.x, self.solution, self.conditions)
            self._planned = None
            if not self._flip(self.plan.flipped(self.d, self.a)):
                break
        else:
            raise ModelError(f"at {self.tick / 100:.2f} s contactor logic switches without end; widen a hysteresis")
        self._rates = None
        self._bends = self.flows.steps.straight
        self._step_ticks = min(self._step_ticks, FIRST_STEP)

    def begin_here(self) -> None:
        """Call the present moment 0; what was on its way stays on its way."""
        self.calendar.shift(self.tick)
        self.tick = 0
        self.crew.clear()
        self._planned = None
        self.a = self.flows.figures(self.tick, self.x, self.solution, self.conditions)

    def say(self, by: str, says: str) -> None:
        """Put a line on the ground crew line."""
        self.crew.append(CrewLine(self.tick, by, says))

    # ---- keeping -----------------------------------------------------------------------------------------

    def snapshot(self) -> Snapshot:
        """A copy of the state, to go back to."""
        return Snapshot(
            self.tick,
            list(self.d),
            list(self.x),
            self.solution,
            self._bends,
            self._step_ticks,
            self.calendar.copy(),
            self.settler.keep(),
        )

    def stands_as(self, kept: Snapshot, earlier: int, later: int) -> bool:
        """Whether all that the future depends on is as it was in a snapshot: the same switches and states, figures no
        further apart than `NEAR`, and now and all that is to come at most so many ticks off."""
        if self.d != kept.d or self.settler.keep() != kept.settler:
            return False
        ours, theirs = self.calendar.due(), kept.calendar.due()
        if [event[:2] for event in ours] != [event[:2] for event in theirs]:
            return False
        off = [self.tick - kept.tick, *(a[2] - b[2] for a, b in zip(ours, theirs, strict=True))]
        near = all(math.isclose(x, y, rel_tol=NEAR, abs_tol=NEAR) for x, y in zip(self.x, kept.x, strict=True))
        return near and min(off) >= -earlier and max(off) <= later

    def restore(self, kept: Snapshot) -> None:
        """Go back to a snapshot of an aircraft of the same airframe and start."""
        self.tick, self.d, self.x = kept.tick, list(kept.d), list(kept.x)
        self.solution, self._bends, self._step_ticks = kept.solution, kept.bends, kept.step_ticks
        self.calendar = kept.calendar.copy()
        self.settler.put_back(kept.settler)
        self.flows.rebuilt = False
        self._planned = self._rates = None
        self.conditions = self.settler.settle()
        self.a = self.flows.figures(self.tick, self.x, self.solution, self.conditions)


def reader_of(plan: Plan) -> Callable[[list[Discrete], list[float]], tuple[Discrete | None, ...]]:
    """A generated function that reads every quantity in one pass."""
    found: Callable[[list[Discrete], list[float]], tuple[Discrete | None, ...]] | None = plan.__dict__.get("_reader")
    if found is None:
        lines = ["def read(d, a):", "    return ("]
        lines += [f"        {plan.codes[name]}," for name in plan.quantities]
        found = plan.function("\n".join([*lines, "    )", ""]), "read")
        plan.__dict__["_reader"] = found
    return found


__all__ = ["Aircraft", "CrewLine", "Priority", "Snapshot", "Watcher", "ticks"]
