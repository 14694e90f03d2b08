"""How the figures of an engine change: speed, temperature, oil, output, pooled fuel and starter heat.

Six figures of `x` for every engine, in that order: percent, degrees Celsius, psi, percent or rpm, 0 to 1, percent.
"""

from __future__ import annotations

from dataclasses import dataclass

from lumenstat.documents.engines import Engine
from lumenstat.simulation.turbine import Turbine

FIGURES_EACH = 6
STIFF_EACH = 2
COOLS_FULLY_AT_PERCENT = 20.0
COOLS_AT_REST = 0.03
UNLIT_FLOW = 0.25
REST_LAG_SECONDS = 1.0


@dataclass(frozen=True, slots=True)
class EngineState:
    """What the logic holds still for the figures of an engine."""

    burning: float = 0.0
    richness: float = 1.0
    oiled: bool = True
    fuel: bool = False
    cranking: bool = False
    air: bool = False
    governed: float = 100.0
    output_share: float = 1.0
    pool_target: float = 0.0
    heat_target: float = 0.0
    motor_target: float = 0.0

    @property
    def still(self) -> bool:
        """Whether nothing turns or lights it: an engine that stands cold stays so."""
        return not (self.burning or self.cranking or self.pool_target or self.motor_target)


class EngineModel:
    """One engine at one outside temperature."""

    def __init__(self, engine: Engine, celsius: float, duct: int | None, starter: int | None) -> None:
        self.engine = engine
        self.celsius = celsius
        self.duct = duct
        self.starter = starter
        self.turbine: Turbine | None = None
        if engine.spool and engine.exhaust and engine.oil:
            self.turbine = Turbine(engine.spool, engine.exhaust, engine.oil, celsius, even=engine.kind == "piston")
        self._output_full, self._output_from = engine.output.full, engine.output.from_percent
        self._pool_flow = engine.ignition.pool_flow if engine.ignition else 0.0
        self._rest = self.at_rest()
        # The temperature of a turbine has a rate of its own, that of a motor lags towards where it tends.
        self._rest_rates = [0.0, 0.0 if self.turbine else celsius, 0.0, 0.0, 0.0, 0.0]
        self._rest_slopes = [0.0] * STIFF_EACH if self.turbine else []

    @property
    def lags(self) -> list[float]:
        """Lags in seconds of the six figures; 0 where a figure has a rate of its own."""
        engine = self.engine
        if engine.motor is not None:
            return [engine.motor.lag_seconds, engine.motor.warms_seconds, 1.0, engine.output.lag_seconds, 1.0, 1.0]
        oil = engine.oil.lag_seconds if engine.oil else REST_LAG_SECONDS
        pool = engine.ignition.pool_seconds if engine.ignition else REST_LAG_SECONDS
        cools = engine.duty.cools_seconds if engine.duty else REST_LAG_SECONDS
        return [0.0, 0.0, oil, engine.output.lag_seconds, pool, cools]

    def at_rest(self) -> list[float]:
        """The figures of an engine that has stood for long."""
        return [0.0, self.celsius, 0.0, 0.0, 0.0, 0.0]

    def push(self, speed: float, amps: float, psi: float, air: bool) -> float:
        """Percent per second that the starter gives."""
        starter, by_air = self.engine.starter, self.engine.air_starter
        given = starter.percent_per_second_per_kiloamp * amps / 1000 if starter is not None else 0.0
        if by_air is not None and air and speed < by_air.stalls_percent:
            given += by_air.percent_per_second * psi / by_air.full_psi * (1 - speed / by_air.stalls_percent)
        return given

    def rates(self, block: list[float], amps: float, psi: float, now: EngineState) -> tuple[list[float], list[float]]:
        """Rate or target of each figure, and how stiff speed and temperature are."""
        speed, celsius, _, _, pooled, _ = block
        if not speed and now.still and block == self._rest:
            return self._rest_rates, self._rest_slopes
        turbine = self.turbine
        output = self._output_target(speed) * now.output_share
        if turbine is None:
            rise = self.engine.motor.rise_celsius if self.engine.motor else 0.0
            warm = self.celsius + rise * (speed / 100) ** 3
            return [now.motor_target, warm, 0.0, output, 0.0, 0.0], []
        push = self.push(speed, amps, psi, now.air)
        cooling = speed / COOLS_FULLY_AT_PERCENT if speed < COOLS_FULLY_AT_PERCENT else 1.0
        per_second = (cooling + COOLS_AT_REST) / turbine.exhaust.lag_seconds
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
        return self._output_full * (speed - begins) / (100 - begins) if speed > begins else 0.0
