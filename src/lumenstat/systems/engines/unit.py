"""What the switches, valves and control unit of an engine do: cranking, fuel, light-off, cut-out, and what goes wrong.

A pilot's fuel lever lets fuel in as soon as it is moved; an automatic one waits for its speed, and takes the fuel away
again when the start is hot, hung, does not light or has no oil pressure. Fuel that does not burn pools.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from lumenstat.language import naming
from lumenstat.network.solving import Branch
from lumenstat.systems.air import duct_psi
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.engines.model import STATES_EACH, EngineModel, EngineState
from lumenstat.systems.engines.part import FIGURES, Automatic, Engine
from lumenstat.systems.terms import ticks
from lumenstat.systems.unit import Host, Unit

STATES = (
    "phase", "trouble", "starter", "fuel", "lit", "running", "feathered",
    "at_fuel", "at_light", "at_cut_out", "at_idle", "turning", "too_hot", "oil_up", "fuelled", "relay_volts",
)  # fmt: skip
"""The discrete states of an engine, those of its comparators included."""
LIGHT_LIMIT, START_LIMIT, OIL_LIMIT, LIGHTS = range(4)
EVENTS_EACH = 4
LIGHTS_BEST_PERCENT = 20.0
LIGHTS_SLOWEST_PERCENT = 15.0
LIGHTS_LATER_PER_DEGREE = 0.015
LIGHTS_BEST_CELSIUS = 15.0
HUNG_RICHNESS = 0.4
HUNG_SLOWED = 5.0
"""A core that hangs gets less air than its fuel wants: it heats on and on, and more slowly than a good start."""


class EngineUnit(Unit):
    """The switches and the control unit of one engine, and the engine itself."""

    SNAPSHOT = ("cut_out", "waiting", "motor_target")

    def __init__(self, host: Host, number: int, engine: Engine, celsius: float) -> None:
        layout, at = host.layout, f"engine.{engine.id}"
        self.powered_slot = layout.d[alive(engine.control_bus)]
        self.lever = layout.d[naming.control(engine.power.lever)] if engine.power else None
        more = [self.powered_slot] if self.lever is None else [self.powered_slot, self.lever]
        super().__init__(host, number, {name: f"{at}.{name}" for name in STATES}, more)
        self.engine, self.model = engine, EngineModel(engine, celsius)
        self._first = layout.x[f"{at}.{FIGURES[engine.kind].speed}"]
        self._branch = layout.branches[f"{at}.starter"] if engine.starter is not None else None
        self._duct = layout.x[duct_psi(engine.air_starter.duct)] if engine.air_starter is not None else None
        self._drags = [
            (layout.x[drag.state], drag.zero, drag.percent_per_second)
            for drag in layout.drags
            if drag.shaft == engine.id
        ]
        self.emf = [] if engine.starter is None else [0.0]
        self.held_by = (f"{at}.starter",)
        self._state: EngineState | None = None
        self.cut_out = False
        self.waiting = (False,) * EVENTS_EACH
        self.motor_target = 0.0
        self._heat = 0.0
        if engine.duty is not None:
            # Scaled so that heat reaches 100 % just at the end of the time that the starter may turn.
            self._heat = 100 / (1 - math.exp(-engine.duty.seconds / engine.duty.cools_seconds))
        self.put(phase="stopped", trouble="")

    def begin(self) -> list[float]:
        """An engine that has stood for long."""
        return self.model.at_rest()

    def has(self, name: str) -> bool:
        """A yes or no of this engine."""
        return self.host.d[self.slot[name]] is True

    def _fault(self, kind: str) -> bool:
        return self.host.faults.has(kind, self.engine.id)

    # ---- settling ----------------------------------------------------------------------------------------

    def follow(self, crank: bool, fuel: bool, ignition: bool, feathered: bool, motor: bool) -> None:
        """Follow what switches and figures say."""
        self._state = None
        powered = self.host.d[self.powered_slot] is True
        self.put(feathered=feathered)
        if self.engine.motor is not None:
            self._settle_motor(motor and powered)
            return
        if not fuel:
            self.put(trouble="")
        self._crank(crank, powered)
        self._burn(fuel, ignition, powered)
        # Lit alone is not running: a hung engine burns below idle for minutes.
        self.put(running=self.has("lit") and self.has("at_idle"))
        if self.engine.automatic is not None:
            self._protect(self.engine.automatic, fuel)
        self.put(phase=self._phase())

    def _settle_motor(self, enabled: bool) -> None:
        self.motor_target = self._lever_percent() if enabled and not self._fault("engine_no_rotation") else 0.0
        self.put(running=enabled and self.has("at_idle"), phase="running" if self.motor_target else "stopped")

    def _lever_percent(self) -> float:
        power, spool = self.engine.power, self.engine.spool
        if power is not None and self.lever is not None:
            return power.percent[str(self.host.d[self.lever])]
        return spool.governed_percent if spool else 0.0

    def _crank(self, asked: bool, powered: bool) -> None:
        """Engage while asked. Past its cut-out speed, or once its relay dropped out, it stays out until let go."""
        held = powered and (self.engine.starter is None or self.has("relay_volts"))
        if not asked:
            self.cut_out = False
        # A relay that has dropped out does not pull in again by itself: the switch must be let go first.
        elif self.has("at_cut_out") or (self.has("starter") and not held):
            self.cut_out = True
        # A welded contactor turns it as soon as there is power, whether anybody asks or not.
        stuck = powered and self._fault("engine_starter_stuck")
        self.put(starter=(asked and held and not self.cut_out) or stuck)

    def _burn(self, asked: bool, ignition: bool, powered: bool) -> None:
        automatic = self.engine.automatic
        fuel = asked
        if automatic is not None:
            started = self.has("at_fuel") or self.has("lit")
            fuel = asked and powered and started and not self.host.d[self.slot["trouble"]]
        flows = fuel and self.has("fuelled")
        # Once lit it burns without spark for as long as fuel flows and it turns.
        lit = flows and self.has("lit") and self.has("turning")
        # Below light-off speed a spark finds no mixture that would carry a flame.
        sparks = flows and not lit and ignition and self.has("at_light") and not self._fault("engine_no_light")
        self._time(LIGHTS, sparks, self._seconds_to_light() if sparks else 0.0)
        self.put(fuel=flows, lit=lit)

    def _seconds_to_light(self) -> float:
        """Mixture and spark find each other later in a core that turns slowly, and in the cold."""
        usual = self.engine.ignition.light_seconds if self.engine.ignition else 0.0
        turns = max(self.host.x[self._first], LIGHTS_SLOWEST_PERCENT)
        slow = 1.0 if self.engine.kind == "piston" else LIGHTS_BEST_PERCENT / turns
        colder = max(0.0, LIGHTS_BEST_CELSIUS - self.model.celsius)
        return usual * slow * (1 + LIGHTS_LATER_PER_DEGREE * colder)

    def _protect(self, automatic: Automatic, asked: bool) -> None:
        fine = not self.host.d[self.slot["trouble"]]
        lit, running = self.has("lit"), self.has("running")
        starting = (asked and self.has("starter")) or (lit and not running)
        self._time(LIGHT_LIMIT, fine and self.has("fuel") and not lit, automatic.light_limit_seconds)
        self._time(START_LIMIT, fine and starting, automatic.start_limit_seconds)
        self._time(OIL_LIMIT, fine and running and not self.has("oil_up"), automatic.oil_limit_seconds)
        if self.has("lit") and self.has("too_hot"):
            self._give_up("hot")

    def _time(self, what: int, on: bool, seconds: float) -> None:
        """Let an event come after some seconds in which something stays true."""
        if on and not self.waiting[what]:
            self.later(what, ticks(seconds))
        elif not on and self.waiting[what]:
            self.never_mind(what)
        self.waiting = tuple([on if n == what else was for n, was in enumerate(self.waiting)])

    def _give_up(self, trouble: str) -> None:
        self.put(trouble=trouble, fuel=False, lit=False, running=False)

    def _phase(self) -> str:
        if self.has("running"):
            return "running"
        if self.has("lit"):
            return "starting"
        if self.has("starter"):
            return "cranking"
        return "running down" if self.has("turning") else "stopped"

    def fire(self, kind: int, what: int) -> None:
        """It lights, or a limit of the control unit has passed."""
        if what == LIGHTS:
            self.waiting = (*self.waiting[:LIGHTS], False)
            self._state = None
            self.put(lit=True)
            return
        self._give_up(("no light", "hung", "no oil pressure")[what])

    # ---- what holds still ----------------------------------------------------------------------------------

    def state(self) -> EngineState:
        """What the figures need to know."""
        if self._state is None:
            self._state = self._state_now()
        return self._state

    def _state_now(self) -> EngineState:
        active, name = self.host.faults.active, self.engine.id
        share = self.engine.output.feathered_share if self.has("feathered") else 1.0
        lit = self.has("lit")
        hung = active.get(("engine_hung", name), 1.0)
        return EngineState(
            burning=hung if lit else 0.0,
            # Less air for the same fuel burns richer, and hotter.
            richness=active.get(("engine_hot", name), 1.0) * hung**-HUNG_RICHNESS,
            slowed=HUNG_SLOWED if hung < 1 else 1.0,
            oiled=not self._fault("engine_no_oil"),
            fuel=self.has("fuel"),
            cranking=self.has("starter"),
            air=self.engine.air_starter is not None and self.has("starter"),
            governed=self._lever_percent(),
            output_share=0.0 if self._fault("engine_no_rotation") else share,
            # What flows in while a spark is about to light it burns with the rest; without spark or air it pools.
            pool_target=1.0 if self.has("fuel") and not lit and not self.waiting[LIGHTS] else 0.0,
            heat_target=self._heat if self.has("starter") else 0.0,
            motor_target=self.motor_target,
        )

    def decides(self) -> object:
        """What its continuous states need to know."""
        return self.state()

    def adds_draws(self, watts: dict[str, float]) -> None:
        """An electric motor takes watts by the cube of its speed."""
        if (motor := self.engine.motor) is not None:
            # A propeller takes power by the cube of its speed.
            watts[motor.bus] += motor.watts * (self.motor_target / 100) ** 3

    def hold(self, watts: Mapping[str, float]) -> object:
        """What its continuous states need to know."""
        return self.state()

    # ---- the engine itself -------------------------------------------------------------------------------

    def wiring(self) -> list[Branch]:
        """Its starter, if that is electric."""
        starter = self.engine.starter
        return [] if starter is None else [starter.branch(self.host.layout)]

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """By the laws of `model`."""
        drawn = amps[self._branch] if self._branch is not None else 0.0
        psi = x[self._duct] if self._duct is not None else 0.0
        braked = sum(each * (x[at] - zero) for at, zero, each in self._drags) if self._drags else 0.0
        return self.model.rates(x[self._first : self._first + STATES_EACH], drawn, psi, self.state(), braked)

    def outputs(self, tick: int, x: Sequence[float], volts: Sequence[float], amps: Sequence[float]) -> tuple[float]:
        """What the flow meter counts."""
        return (self.model.fuel_flow(x[self._first], self.state()),)
