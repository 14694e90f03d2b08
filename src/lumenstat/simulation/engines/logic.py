"""What the switches, valves and control unit of an engine do: cranking, fuel, light-off, cut-out, and what goes wrong.

A pilot's fuel lever lets fuel in as soon as it is moved; an automatic one waits for its speed, and takes the fuel away
again when the start is hot, hung, does not light or has no oil pressure. Fuel that does not burn pools.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from lumenstat.simulation.calendar import Priority
from lumenstat.simulation.comparing import ENGINE_STATES
from lumenstat.simulation.engines.model import EngineState
from lumenstat.simulation.plan import EngineAnswers, ticks
from lumenstat.simulation.unit import Unit

if TYPE_CHECKING:
    from lumenstat.documents.engines import Engine
    from lumenstat.simulation.settling import Settler

LIGHT_LIMIT, START_LIMIT, OIL_LIMIT = range(3)
EVENTS_EACH = 3


class EngineLogic(Unit):
    """The switches and the control unit of one engine."""

    KEPT = ("cut_out", "waiting", "motor_target")

    def __init__(self, settler: Settler, number: int, engine: Engine) -> None:
        self.number, self.engine = number, engine
        slots = settler.aircraft.plan.d
        self.slot = {name: slots[f"engine.{engine.id}.{name}"] for name in ENGINE_STATES}
        self.powered_slot = slots[f"bus.{engine.control_bus}.alive"]
        self.lever = slots[f"control.{engine.power.lever}"] if engine.power else None
        more = [self.powered_slot] if self.lever is None else [self.powered_slot, self.lever]
        super().__init__(settler, [*self.slot.values(), *more])
        self._state: EngineState | None = None
        self.cut_out = False
        self.waiting = [False] * EVENTS_EACH
        self.motor_target = 0.0
        self._heat = 0.0
        if engine.duty is not None:
            self._heat = 100 / (1 - math.exp(-engine.duty.seconds / engine.duty.cools_seconds))
        self.put(phase="stopped", trouble="")

    def get(self, name: str) -> bool:
        """A yes or no of this engine."""
        return self.aircraft.d[self.slot[name]] is True

    def put(self, **states: str | bool) -> None:
        """Set states of this engine."""
        for name, value in states.items():
            self.aircraft.d[self.slot[name]] = value

    def _fault(self, kind: str) -> bool:
        return self.settler.faults.has(kind, self.engine.id)

    # ---- settling ----------------------------------------------------------------------------------------

    def go_on(self, *asked: bool) -> None:
        """Go on with what switches and figures say."""
        answers = EngineAnswers(*asked)
        self._state = None
        powered = self.aircraft.d[self.powered_slot] is True
        self.put(feathered=answers.feathered)
        if self.engine.motor is not None:
            self._settle_motor(answers.motor and powered)
            return
        if not answers.fuel:
            self.put(trouble="")
        self._crank(answers.crank, powered)
        self._burn(answers.fuel, answers.ignition, powered)
        self.put(running=self.get("lit") and self.get("at_idle"))
        if self.engine.automatic is not None:
            self._protect(answers.fuel)
        self.put(phase=self._phase())

    def _settle_motor(self, enabled: bool) -> None:
        self.motor_target = self._lever_percent() if enabled and not self._fault("engine_no_rotation") else 0.0
        self.put(running=enabled and self.get("at_idle"), phase="running" if self.motor_target else "stopped")

    def _lever_percent(self) -> float:
        power, spool = self.engine.power, self.engine.spool
        if power is not None and self.lever is not None:
            return power.percent[str(self.aircraft.d[self.lever])]
        return spool.governed_percent if spool else 0.0

    def _crank(self, asked: bool, powered: bool) -> None:
        """Engage while asked. Past its cut-out speed, or once its relay dropped out, it stays out until let go."""
        held = powered and (self.engine.starter is None or self.get("relay_volts"))
        if not asked:
            self.cut_out = False
        elif self.get("at_cut_out") or (self.get("starter") and not held):
            self.cut_out = True
        stuck = self.get("starter") and self._fault("engine_starter_stuck")
        self.put(starter=(asked and held and not self.cut_out) or stuck)

    def _burn(self, asked: bool, ignition: bool, powered: bool) -> None:
        automatic = self.engine.automatic
        fuel = asked
        if automatic is not None:
            started = self.get("at_fuel") or self.get("lit")
            fuel = asked and powered and started and not self.aircraft.d[self.slot["trouble"]]
        flows = fuel and self.get("fuelled")
        lights = ignition and self.get("at_light") and not self._fault("engine_no_light")
        lit = flows and ((self.get("lit") and self.get("turning")) or lights)
        self.put(fuel=flows, lit=lit)

    def _protect(self, asked: bool) -> None:
        automatic = self.engine.automatic
        assert automatic is not None
        fine = not self.aircraft.d[self.slot["trouble"]]
        lit, running = self.get("lit"), self.get("running")
        starting = (asked and self.get("starter")) or (lit and not running)
        self._time(LIGHT_LIMIT, fine and self.get("fuel") and not lit, automatic.light_limit_seconds)
        self._time(START_LIMIT, fine and starting, automatic.start_limit_seconds)
        self._time(OIL_LIMIT, fine and running and not self.get("oil_up"), automatic.oil_limit_seconds)
        if self.get("lit") and self.get("too_hot"):
            self._give_up("hot")

    def _time(self, what: int, on: bool, seconds: float) -> None:
        """Let an event come after some seconds in which something stays true."""
        target = self.number * EVENTS_EACH + what
        if on and not self.waiting[what]:
            self.aircraft.calendar.add(self.aircraft.tick + ticks(seconds), Priority.ENGINE, target)
        elif not on and self.waiting[what]:
            self.aircraft.calendar.overtake(Priority.ENGINE, target)
        self.waiting = [on if n == what else was for n, was in enumerate(self.waiting)]

    def _give_up(self, trouble: str) -> None:
        self.put(trouble=trouble, fuel=False, lit=False, running=False)

    def _phase(self) -> str:
        if self.get("running"):
            return "running"
        if self.get("lit"):
            return "starting"
        if self.get("starter"):
            return "cranking"
        return "running down" if self.get("turning") else "stopped"

    def fire(self, what: int) -> None:
        """A limit of the control unit has passed."""
        self._give_up(("no light", "hung", "no oil pressure")[what])

    # ---- what holds still ----------------------------------------------------------------------------------

    def state(self) -> EngineState:
        """What the figures need to know."""
        if self._state is None:
            self._state = self._state_now()
        return self._state

    def _state_now(self) -> EngineState:
        active, name = self.settler.faults.active, self.engine.id
        share = self.engine.output.feathered_share if self.get("feathered") else 1.0
        lit = self.get("lit")
        return EngineState(
            burning=active.get(("engine_hung", name), 1.0) if lit else 0.0,
            richness=active.get(("engine_hot", name), 1.0),
            oiled=not self._fault("engine_no_oil"),
            fuel=self.get("fuel"),
            cranking=self.get("starter"),
            air=self.engine.air_starter is not None and self.get("starter"),
            governed=self._lever_percent(),
            output_share=0.0 if self._fault("engine_no_rotation") else share,
            pool_target=1.0 if self.get("fuel") and not lit else 0.0,
            heat_target=self._heat if self.get("starter") else 0.0,
            motor_target=self.motor_target,
        )
