"""The discrete half of an aircraft. `settle` runs after every single event.

Contactors move by events of their own, so two that interlock can never both close. What the generated logic asks for is
turned into events here; what holds still until the next event is handed to the continuous half as `Conditions`.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import TYPE_CHECKING

from lumenstat.documents.exercise import Fault, Start, known_faults
from lumenstat.errors import ModelError
from lumenstat.simulation.apu import ApuLogic
from lumenstat.simulation.calendar import Event, Priority
from lumenstat.simulation.engines.logic import EVENTS_EACH as ENGINE_EVENTS
from lumenstat.simulation.engines.logic import EngineLogic
from lumenstat.simulation.faults import FaultBoard
from lumenstat.simulation.feeding import Feeding
from lumenstat.simulation.holding import Conditions, Holding
from lumenstat.simulation.inertial import EVENTS_EACH as INERTIAL_EVENTS
from lumenstat.simulation.inertial import InertialLogic
from lumenstat.simulation.plan import Answers, ticks

if TYPE_CHECKING:
    from lumenstat.simulation.aircraft import Aircraft

QUIET_ROUNDS = 20
AT_PLACE_DEGREES = 0.05


class Settler:
    """Runs the generated logic and turns what it asks for into events."""

    KEPT = ("commands", "moving_to", "pending_service", "timing")

    def __init__(self, aircraft: Aircraft, start: Start, faults: tuple[Fault, ...]) -> None:
        self.aircraft = aircraft
        plan = self.plan = aircraft.plan
        airframe = self.airframe = plan.airframe
        electrical, hydraulics = airframe.electrical, airframe.hydraulics
        slot = plan.d
        self.faults = FaultBoard(aircraft, (*faults, *known_faults(start)))
        self.feeding = Feeding(self, start)
        self.apu = ApuLogic(self, airframe.apu) if airframe.apu else None
        self.engines = [EngineLogic(self, n, engine) for n, engine in enumerate(airframe.engines)]
        self.inertial = [InertialLogic(self, n, unit, start) for n, unit in enumerate(airframe.inertial)]
        self.load_slots = [slot[f"load.{load.id}.on"] for load in electrical.loads]
        self.contactor_slots = [slot[f"contactor.{c.id}.shut"] for c in electrical.contactors]
        self.pump_slots = [slot[f"pump.{p.id}.running"] for p in hydraulics.pumps]
        self.fuel_pump_slots = [slot[f"pump.{p.id}.running"] for p in airframe.fuel.pumps]
        self.switched_slots = [*self.load_slots, *self.pump_slots, *self.fuel_pump_slots]
        self._switched: tuple[object, ...] = ()
        self.loop_slots = [
            (slot[f"loop.{loop.id}.intact"], slot[f"bus.{loop.bus}.alive"], loop.id) for loop in airframe.fire.loops
        ]
        self.bottle_slots = [slot[f"bottle.{bottle.id}.full"] for bottle in airframe.fire.bottles]
        for bottle in self.bottle_slots:
            aircraft.d[bottle] = True
        self.surface_slots = [
            (
                slot[f"surface.{s.id}.moving"],
                slot[f"surface.{s.id}.disagrees"],
                slot[f"pressed.{s.id}"],
                slot[f"control.{s.lever}"],
            )
            for s in hydraulics.surfaces
        ]
        self.service_slots = [slot[f"service.{service.id}"] for service in airframe.services]
        self.busy_slots = [slot[f"service.{service.id}.busy"] for service in airframe.services]
        self.timer_slots = [slot[name] for name, _, _ in plan.timers]
        self.timer_ticks = [ticks(seconds) for _, _, seconds in plan.timers]
        self.latch_slots = [slot[f"latch.{latch.id}"] for latch in airframe.latches]
        self.commands = [False] * len(electrical.contactors)
        self.moving_to: list[float | None] = [None] * len(self.surface_slots)
        self.pending_service: list[int | None] = [None] * len(self.service_slots)
        self.timing = [False] * len(self.timer_slots)
        self.answers = plan.logic(aircraft.d)
        self.holding = Holding(self)

    # ---- events ------------------------------------------------------------------------------------------

    def fire(self, event: Event) -> bool:
        """Let an event happen; False where it was overtaken."""
        if not self.aircraft.calendar.holds(event):
            return False
        d = self.aircraft.d
        match event.priority:
            case Priority.CONTACTOR:
                d[self.contactor_slots[event.target]] = self.commands[event.target]
            case Priority.TRANSFER:
                self.feeding.transfer(event.target, self.answers.feeds)
            case Priority.SUPPLY:
                d[self.feeding.ready_slots[event.target]] = True
            case Priority.OVERLOAD:
                d[self.feeding.trip_slots[event.target][0]] = True
            case Priority.SURFACE:
                target = self.moving_to[event.target]
                if target is not None:
                    self.aircraft.x[self.aircraft.flows.first_angle + event.target] = target
            case Priority.TIMER:
                d[self.timer_slots[event.target]] = True
            case Priority.APU if self.apu is not None:
                self.apu.fire(event.target)
            case Priority.ENGINE:
                self.engines[event.target // ENGINE_EVENTS].fire(event.target % ENGINE_EVENTS)
            case Priority.INERTIAL:
                self.inertial[event.target // INERTIAL_EVENTS].fire(event.target % INERTIAL_EVENTS)
            case Priority.SERVICE:
                self._finish_service(event.target)
            case Priority.FAULT:
                self.faults.fire(event.target)
            case _:
                pass
        return True

    def begin_service(self, number: int, action: int) -> None:
        """The crew set off to do something; it is done when its time has passed."""
        self.pending_service[number] = action
        asked = self.airframe.services[number].actions[action]
        if asked.meanwhile is not None:
            self.aircraft.d[self.service_slots[number]] = asked.meanwhile
        self.aircraft.d[self.busy_slots[number]] = True
        self.aircraft.calendar.add(self.aircraft.tick + ticks(asked.seconds), Priority.SERVICE, number)

    def _finish_service(self, number: int) -> None:
        pending = self.pending_service[number]
        if pending is None:
            return
        action = self.airframe.services[number].actions[pending]
        self.pending_service[number] = None
        self.aircraft.d[self.busy_slots[number]] = False
        undone = self.faults.use_up("service_undone", self.airframe.services[number].id)
        self.aircraft.d[self.service_slots[number]] = action.possible_when[0] if undone else action.leaves
        if action.brings_next_cart_of is not None:
            self.feeding.next_cart(action.brings_next_cart_of)
        self.aircraft.say("ground", action.answered)

    # ---- settling ----------------------------------------------------------------------------------------

    def settle(self) -> Conditions:
        """Run the logic until it asks for nothing new at this tick, then say what holds still meanwhile."""
        d = self.aircraft.d
        for _ in range(QUIET_ROUNDS):
            before = list(d)
            self.faults.settle()
            answers = self.answers = self.plan.logic(d)
            self._contactors(answers.contactors)
            self.feeding.settle(answers.plugged, answers.offered, answers.feeds)
            self._systems(answers)
            self._surfaces()
            if self.apu is not None:
                self.apu.settle(*answers.apu)
            for engine, asked in zip(self.engines, answers.engines, strict=True):
                engine.settle(*asked)
            moving = answers.motion[0] or self.faults.has("aircraft_nudged", "aircraft")
            for n, unit in enumerate(self.inertial):
                unit.settle(answers.inertial[n], answers.inertial_modes[n], moving)
            if d == before:
                return self.holding.conditions(answers)
        raise ModelError(f"logic goes round in a circle at {self.aircraft.tick / 100:.2f} s")

    def _contactors(self, wanted: tuple[bool, ...]) -> None:
        if wanted == tuple(self.commands) and not self.faults.active:
            return
        for number, contactor in enumerate(self.airframe.electrical.contactors):
            want = wanted[number] and not self.faults.has("contactor_stuck_open", contactor.id)
            if want != self.commands[number]:
                self.commands[number] = want
                delay = contactor.pull_in_seconds if want else contactor.drop_out_seconds
                self.aircraft.calendar.add(self.aircraft.tick + ticks(delay), Priority.CONTACTOR, number)

    def _systems(self, answers: Answers) -> None:
        d = self.aircraft.d
        asked = answers.loads, answers.pumps, answers.fuel_pumps, self.faults.changes
        if self.faults.active or asked != self._switched:
            self._switched = asked
            for slot, on in zip(self.switched_slots, (*asked[0], *asked[1], *asked[2]), strict=True):
                d[slot] = on
            if self.faults.active:
                self._fail_systems()
        for slot, alive, name in self.loop_slots:
            d[slot] = d[alive] is True and not self.faults.has("loop_open", name)
        for slot, fired in zip(self.bottle_slots, answers.bottles, strict=True):
            if fired:
                d[slot] = False
        for n, on in enumerate(answers.timers):
            if on and not self.timing[n]:
                self.aircraft.calendar.add(self.aircraft.tick + self.timer_ticks[n], Priority.TIMER, n)
            elif not on and self.timing[n]:
                self.aircraft.calendar.overtake(Priority.TIMER, n)
                d[self.timer_slots[n]] = False
            self.timing[n] = on
        for slot, sets, resets in zip(self.latch_slots, answers.latch_sets, answers.latch_resets, strict=True):
            d[slot] = (sets or d[slot] is True) and not resets

    def _fail_systems(self) -> None:
        """What faults make of loads and pumps."""
        d, airframe = self.aircraft.d, self.airframe
        for slot, load in zip(self.load_slots, airframe.electrical.loads, strict=True):
            d[slot] = d[slot] and not self.faults.has("load_failed", load.id)
        for slot, pump in zip(self.pump_slots, airframe.hydraulics.pumps, strict=True):
            powered = pump.bus is None or d[self.feeding.alive_slots[pump.bus]] is True
            d[slot] = d[slot] or (powered and self.faults.has("hydraulic_pump_runs", pump.id))
        for slot, fuel_pump in zip(self.fuel_pump_slots, airframe.fuel.pumps, strict=True):
            d[slot] = d[slot] and not self.faults.has("fuel_pump_failed", fuel_pump.id)

    def _surfaces(self) -> None:
        d, x = self.aircraft.d, self.aircraft.x
        for n, surface in enumerate(self.airframe.hydraulics.surfaces):
            moving, disagrees, pressed, lever = self.surface_slots[n]
            target = surface.positions[str(d[lever])]
            angle = x[self.aircraft.flows.first_angle + n]
            d[disagrees] = abs(target - angle) > AT_PLACE_DEGREES
            wanted = target if d[disagrees] and d[pressed] else None
            if wanted != self.moving_to[n]:
                self.moving_to[n] = wanted
                if wanted is None:
                    self.aircraft.calendar.overtake(Priority.SURFACE, n)
                else:
                    after = abs(target - angle) / surface.degrees_per_second
                    self.aircraft.calendar.add(self.aircraft.tick + ticks(after), Priority.SURFACE, n)
            d[moving] = wanted is not None

    # ---- keeping -----------------------------------------------------------------------------------------

    @property
    def _keepers(self) -> list[tuple[object, tuple[str, ...]]]:
        keepers: list[tuple[object, tuple[str, ...]]] = [
            (self, self.KEPT),
            (self.feeding, Feeding.KEPT),
            (self.faults, ("active", "spent")),
        ]
        keepers += [(self.apu, ApuLogic.KEPT)] if self.apu else []
        keepers += [(engine, EngineLogic.KEPT) for engine in self.engines]
        return keepers + [(unit, InertialLogic.KEPT) for unit in self.inertial]

    def keep(self) -> Mapping[str, object]:
        """Copies of what the future depends on."""
        return {
            f"{n}.{name}": copy.copy(getattr(owner, name))
            for n, (owner, names) in enumerate(self._keepers)
            for name in names
        }

    def put_back(self, kept: Mapping[str, object]) -> None:
        """Go back to what was kept."""
        for n, (owner, names) in enumerate(self._keepers):
            for name in names:
                setattr(owner, name, copy.copy(kept[f"{n}.{name}"]))
        self.faults.changes += 1
        self.aircraft.flows.rebuild(self.faults.active)
