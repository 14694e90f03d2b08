"""How the figures of an engine change: speed, temperature, oil, output, pooled fuel and starter heat.

Six continuous states for every engine, in that order: percent, degrees Celsius, psi, percent or rpm, 0 to 1, percent.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenstat.systems.engines.part import Engine
from lumenstat.systems.turbine import METAL_HOLDS, Turbine

STATES_EACH = 6
STIFF_EACH = 2
COOLS_FULLY_AT_PERCENT = 20.0
COOLS_AT_REST = 0.03
UNLIT_FLOW = 0.25


@dataclass(frozen=True, slots=True)
class EngineState:
    """What the discrete half tells the continuous half of an engine, unchanged until the next event."""

    burning: float
    richness: float
    slowed: float
    oiled: bool
    fuel: bool
    cranking: bool
    air: bool
    governed: float
    output_share: float
    pool_target: float
    heat_target: float
    motor_target: float

    @property
    def still(self) -> bool:
        """Whether nothing turns or lights it: an engine that stands cold stays so."""
        return not (self.burning or self.cranking or self.pool_target or self.motor_target)


class EngineModel:
    """One engine at one outside temperature."""

    def __init__(self, engine: Engine, celsius: float) -> None:
        self.engine = engine
        self.celsius = celsius
        self.turbine: Turbine | None = None
        if engine.spool and engine.exhaust and engine.oil:
            self.turbine = Turbine(engine.spool, engine.exhaust, engine.oil, celsius, even=engine.kind == "piston")
        self._output_full, self._output_from = engine.output.full, engine.output.from_percent
        self._output_bends = engine.output.exponent
        self._pool_flow = engine.ignition.pool_flow if engine.ignition else 0.0
        self._rest = self.at_rest()
        # The temperature of a turbine has a rate of its own, that of a motor lags towards where it tends.
        self._rest_rates = [0.0, 0.0 if self.turbine else celsius, 0.0, 0.0, 0.0, 0.0]
        self._rest_slopes = [0.0] * STIFF_EACH if self.turbine else []

    def at_rest(self) -> list[float]:
        """The figures of an engine that has stood for long."""
        return [0.0, self.celsius, 0.0, 0.0, 0.0, 0.0]

    def push(self, speed: float, amps: float, psi: float, air: bool) -> float:
        """Percent per second that the starter gives."""
        starter, by_air = self.engine.starter, self.engine.air_starter
        given = starter.percent_per_second_per_kiloamp * amps / 1000 if starter is not None else 0.0
        if by_air is not None and air and speed < by_air.stalls_percent:
            # A vane gives most at rest and nothing at the speed at which it runs free.
            given += by_air.percent_per_second * psi / by_air.full_psi * (1 - speed / by_air.stalls_percent)
        return given

    def rates(
        self, block: Sequence[float], amps: float, psi: float, now: EngineState, braked: float = 0.0
    ) -> tuple[list[float], list[float]]:
        """Rate or target of each figure, and how stiff speed and temperature are.

        `braked` is what something on its shaft takes, in percent per second at full speed.
        """
        speed, celsius, _, _, pooled, _ = block
        # Most of a startup one engine or both stand cold: the very same lists come back, and no step is cut
        # for them.
        if not speed and now.still and block == self._rest:
            return self._rest_rates, self._rest_slopes
        turbine = self.turbine
        output = self._output_target(speed) * now.output_share
        if turbine is None:
            rise = self.engine.motor.rise_celsius if self.engine.motor else 0.0
            warm = self.celsius + rise * (speed / 100) ** 3
            return [now.motor_target, warm, 0.0, output, 0.0, 0.0], []
        push = self.push(speed, amps, psi, now.air) - braked * speed / 100
        # Gas cools with the air that goes through; a core that stands keeps its heat.
        cooling = speed / COOLS_FULLY_AT_PERCENT if speed < COOLS_FULLY_AT_PERCENT else 1.0
        per_second = (cooling + COOLS_AT_REST) / (
            turbine.exhaust.lag_seconds * (now.slowed if now.burning else METAL_HOLDS)
        )
        if not (speed or push or now.burning):
            rates = [0.0, (self.celsius - celsius) * per_second]
            slope = 0.0
        else:
            let = turbine.governor(speed, now.governed)
            gain, slope = turbine.acceleration(speed, push, now.burning, let)
            flow = turbine.fuel(speed, let) * now.richness + self._pool_flow * pooled if now.burning else 0.0
            rates = [gain, (turbine.exhaust_target(speed, flow) - celsius) * per_second]
        oil = turbine.oil_target(speed) if now.oiled else 0.0
        return [*rates, oil, output, now.pool_target, now.heat_target], [slope, -per_second]

    def fuel_flow(self, speed: float, now: EngineState) -> float:
        """What the flow meter counts, lit or not."""
        if not now.fuel or self.turbine is None:
            return 0.0
        if not now.burning:
            return (self.engine.fuel_flow or 0.0) * UNLIT_FLOW
        let = self.turbine.governor(speed, now.governed)
        return (self.engine.fuel_flow or 0.0) * (self.turbine.fuel(speed, let) * now.richness)

    def _output_target(self, speed: float) -> float:
        begins = self._output_from
        return self._output_full * ((speed - begins) / (100 - begins)) ** self._output_bends if speed > begins else 0.0
