"""An aircraft in some state, and how it goes on from there.

Time is an integer of 10 ms ticks. `advance(tick)` lets it go on; `touched()` follows something done to it from outside
(`simulation.actions`); `peek(tick)` looks without touching. Step sizes depend on state alone, so looking more or less
often changes nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import cycle

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Fault, Start, known_faults
from lumenstat.errors import ModelError
from lumenstat.language.wording import phrase
from lumenstat.network.solving import NotSettled
from lumenstat.simulation.calendar import Calendar
from lumenstat.simulation.dynamics import Conditions, Dynamics, Solution
from lumenstat.simulation.faults import FaultBoard
from lumenstat.simulation.plan import Plan, plan_for
from lumenstat.simulation.reading import Reading
from lumenstat.simulation.snapshot import CrewLine, Snapshot
from lumenstat.simulation.units import Units
from lumenstat.simulation.watcher import Watcher
from lumenstat.systems.layout import Layout
from lumenstat.systems.terms import Discrete

# Ticks of 10 ms. Half a minute: an aircraft that only aligns or charges costs next to nothing.
LONGEST_STEP = 3000
FIRST_STEP = 200
# The error of a step of second order goes with the square of its length, so the root of it tells the next one.
GROWTH = 6.0
GROWTH_AFTER_FAILURE = 2.0
# Logic feeds on itself through relays and units; one that is not quiet by now answers itself for ever.
QUIET_ROUNDS = 20
# Contactors that open because of what they do themselves would go on for ever.
SETTLE_ROUNDS = 50
TOLERABLE = 1.0
NEAR = 0.005


@dataclass(slots=True)
class _Step:
    """A step that is planned: where it ends, how the figures get there, and when something was due by then."""

    end: int
    due: int | None
    x: list[float]
    solution: Solution
    a: list[float]
    flipped: list[tuple[int, bool]]
    curvatures: list[float]
    next_ticks: int


class Aircraft:
    """One aircraft of an airframe, from an exercise's starting state."""

    def __init__(self, airframe: Airframe, start: Start, faults: tuple[Fault, ...] = ()) -> None:
        self.plan: Plan = plan_for(airframe)
        self.layout: Layout = self.plan.layout
        self.tick = 0
        self.calendar = Calendar()
        self.crew: list[CrewLine] = []
        self.watchers: list[Watcher] = []
        self.d: list[Discrete] = [False] * len(self.plan.d)
        self.d[self.plan.d["start.hours_unpowered"]] = start.hours_unpowered
        self.d[self.plan.d["start.first_flight_of_day"]] = start.first_flight_of_day
        self.faults = FaultBoard(self.plan, self, (*faults, *known_faults(start)), self._rewire)
        self.units = Units(self.plan, self, start)
        self.x = self.units.begin()
        self.dynamics = Dynamics(self.plan, self.units.numbered, lambda: self.faults.changes)
        self.solution = self.dynamics.at_rest()
        self.a: list[float] = [0.0] * len(self.plan.a)
        self._step_ticks = FIRST_STEP
        self._planned: _Step | None = None
        self._rates: list[float] | None = None
        self._curvatures = self.plan.steps.straight
        self.conditions: Conditions = self._settle()
        self._resolve()
        self.dynamics.rewired = False

    def _rewire(self) -> None:
        self.dynamics.rewire()
        self.solution = self.dynamics.fitted(self.solution)

    # ---- looking -----------------------------------------------------------------------------------------

    def peek(self, tick: int) -> list[float]:
        """Figures at a tick from the last step on and not after the next one; changes nothing."""
        if tick <= self.tick:
            return self.a
        step = self._next_step()
        return step.a if tick >= step.end else self._as_far_as(step, tick).a

    def state(self, a: list[float] | None = None) -> dict[str, Discrete | None]:
        """Every quantity by name, at the figures given or as they are now."""
        return dict(zip(self.plan.quantities, self.plan.read_all(self.d, self.a if a is None else a), strict=True))

    def reading(self) -> Reading:
        """Every quantity as it is now, to be read later."""
        return Reading(self.plan, self.d, self.a)

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
        # A step that was planned before something was put on the calendar may reach beyond it.
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
            # Everything about a step follows from the state; the wall clock and whoever looks have no say
            # in it.
            x, between, curvatures, error = self._attempt(length)
            if error <= TOLERABLE or length == 1:
                break
            length = max(1, int(length * max(0.2, 0.9 / math.sqrt(error))))
            # After a failure the error of this step says more about the next one than the length that was hoped for.
            bounded, growth = False, GROWTH_AFTER_FAILURE
        grown = int(length * min(growth, 0.9 / math.sqrt(error) if error > 0 else growth)) + 1
        # A step cut short by an event says nothing against the length that went well before it.
        if bounded:
            grown = max(grown, self._step_ticks)
        # The rough solution is the better first guess: it knows already which branches change their mode.
        solution = self._solved(self.tick + length, x, between)
        a = self.dynamics.outputs(self.tick + length, x, solution)
        flipped = self.plan.flipped(self.d, a)
        step = _Step(self.tick + length, due, x, solution, a, flipped, curvatures, min(LONGEST_STEP, grown))
        return self._first_flip(step) if flipped and length > 1 else step

    def _attempt(self, length: int) -> tuple[list[float], Solution, list[float], float]:
        """Heun over some ticks: figures at its end, the rough step's solution, curvatures, error of the rough step."""
        try:
            steps, start = self.plan.steps, self._current_rates()
            rough = steps.advance(self.x, start, self._curvatures, length)
            # Rates at the end depend on amps there, so the network is solved at the rough end too.
            between = self._solved(self.tick, rough, self.solution)
            end = self.dynamics.rates(rough, between, self.conditions)
            curvatures, x, error = steps.correct(self.x, rough, start, end, length)
            return x, between, curvatures, error
        except (OverflowError, ZeroDivisionError) as lost:
            raise self._lost(self.tick, lost) from None

    def _solved(self, tick: int, x: list[float], guess: Solution) -> Solution:
        """The network at these figures. Raises ModelError where it has no solution."""
        try:
            return self.dynamics.solve(x, self.conditions, guess)
        except (NotSettled, OverflowError, ZeroDivisionError) as error:
            raise self._lost(tick, error) from None

    @staticmethod
    def _lost(tick: int, error: Exception) -> ModelError:
        return ModelError(phrase("at {at:.2f} s the model has no solution: {error}", at=tick / 100, error=error))

    def _current_rates(self) -> list[float]:
        """The rates at the present tick, found when they are first needed: often something is switched before."""
        if self._rates is None:
            self._rates = self.dynamics.rates(self.x, self.solution, self.conditions)
        return self._rates

    def _as_far_as(self, step: _Step, tick: int) -> _Step:
        """A step cut off at a tick on its way."""
        x = self.plan.steps.advance(self.x, self._current_rates(), step.curvatures, tick - self.tick)
        solution = self._solved(tick, x, self.solution)
        a = self.dynamics.outputs(tick, x, solution)
        return _Step(tick, step.due, x, solution, a, self.plan.flipped(self.d, a), step.curvatures, step.next_ticks)

    def _first_flip(self, step: _Step) -> _Step:
        """The step as far as the first tick at which a comparator has flipped.

        Guesses go twice where a straight line would cross the threshold, then beside the last, then to the middle.
        """
        before, low, beside = self.tick, self.a, 0
        # A straight line alone can creep: where the figure bends, it would halve the rest from one side only.
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
            comparator = self.plan.threshold_of[slot]
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
        self._curvatures = step.curvatures
        self._refuse_nonsense()
        if self._flip(step.flipped):
            self._resolve()
        for watcher in self.watchers:
            watcher.at_event(self.tick)

    def _refuse_nonsense(self) -> None:
        # One addition finds a nan or an infinity anywhere among several hundred figures.
        total = sum(self.a)
        if math.isfinite(total):
            return
        slots = {number: name for name, number in self.plan.a.numbers.items()}
        name = next(slots[n] for n, figure in enumerate(self.a) if not math.isfinite(figure))
        raise ModelError(phrase("{name} is no figure at {at:.2f} s; the log is kept", name=name, at=self.tick / 100))

    def _fire_due(self) -> None:
        while (due := self.calendar.next_tick()) is not None and due <= self.tick:
            event = self.calendar.pop()
            # An event that was overtaken meanwhile is only taken off the heap.
            if self.calendar.holds(event):
                self._fire(event.priority, event.target)
                self._after_change()

    def _fire(self, priority: int, target: int) -> None:
        if priority == self.plan.fault_priority:
            self.faults.fire(target)
        else:
            self.units.fire(priority, target)

    def _after_change(self) -> None:
        if self._settled_anew():
            self._resolve()
        for watcher in self.watchers:
            watcher.at_event(self.tick)

    def _settle(self) -> Conditions:
        """Let logic and units follow each other until nothing changes at this tick."""
        for _ in range(QUIET_ROUNDS):
            before = list(self.d)
            self.faults.settle()
            self.units.settle()
            # Nothing changed in a whole round: logic and units agree.
            if self.d == before:
                return self.dynamics.conditions(self.d)
        raise ModelError(phrase("logic goes round in a circle at {at:.2f} s", at=self.tick / 100))

    def _settled_anew(self) -> bool:
        """Settle the logic; whether anything that the figures depend on has changed by it."""
        settled = self._settle()
        if settled == self.conditions and not self.dynamics.rewired:
            return False
        self.conditions, self.dynamics.rewired = settled, False
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
            self.a = self.dynamics.outputs(self.tick, self.x, self.solution)
            self._planned = None
            if not self._flip(self.plan.flipped(self.d, self.a)):
                break
        else:
            raise ModelError(
                phrase("at {at:.2f} s contactors switch endlessly; widen a hysteresis", at=self.tick / 100)
            )
        self._rates = None
        # After a switch nothing is known of how rates change.
        self._curvatures = self.plan.steps.straight
        # What was quiet for half a minute moves fast right after a switch.
        self._step_ticks = min(self._step_ticks, FIRST_STEP)

    def begin_here(self) -> None:
        """Call the present moment 0; what was on its way stays on its way."""
        self.calendar.shift(self.tick, stays=self.plan.fault_priority)
        self.tick = 0
        self.crew.clear()
        self._planned = None
        self.a = self.dynamics.outputs(self.tick, self.x, self.solution)

    # ---- what units ask ----------------------------------------------------------------------------------

    def schedule(self, priority: int, target: int, after: int) -> None:
        """Let an event come after some ticks."""
        self.calendar.add(self.tick + after, priority, target)

    def overtake(self, priority: int, target: int) -> None:
        """Let an event that was scheduled not happen."""
        self.calendar.overtake(priority, target)

    def say(self, by: str, says: str) -> None:
        """Put a line on the ground crew line."""
        self.crew.append(CrewLine(self.tick, by, says))

    # ---- snapshots ---------------------------------------------------------------------------------------

    def snapshot(self) -> Snapshot:
        """A copy of the state, to go back to."""
        return Snapshot(
            self.tick,
            list(self.d),
            list(self.x),
            self.solution,
            self._curvatures,
            self._step_ticks,
            self.calendar.copy(),
            self.memory(),
        )

    def memory(self) -> tuple[tuple[object, ...], tuple[object, ...]]:
        """What its units and faults remember."""
        return self.units.snapshot(), self.faults.snapshot()

    def stands_as(self, kept: Snapshot, earlier: int, later: int) -> bool:
        """Whether all that the future depends on is as it was in a snapshot: the same switches and states, figures no
        further apart than `NEAR`, and now and all that is to come at most so many ticks off."""
        if self.d != kept.d or self.memory() != kept.memory:
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
        self.solution, self._curvatures, self._step_ticks = kept.solution, kept.curvatures, kept.step_ticks
        self.calendar = kept.calendar.copy()
        units, faults = kept.memory
        self.units.restore(units)
        self.faults.restore(faults)
        self.dynamics.rewired = False
        self._planned = self._rates = None
        self.conditions = self._settle()
        self.a = self.dynamics.outputs(self.tick, self.x, self.solution)
