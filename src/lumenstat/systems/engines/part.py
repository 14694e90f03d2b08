"""Engines in an airframe document: four kinds, put together from the same parts. Units stand in every name."""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from lumenstat.language.values import (
    ExpressionText,
    Fraction,
    Name,
    NotNegative,
    Number,
    Part,
    PartNumber,
    Position,
    Positive,
    Seconds,
    Since,
    Text,
    Written,
)
from lumenstat.language.wording import phrase
from lumenstat.systems.starter import Starter
from lumenstat.systems.turbine import Exhaust, Oil, Spool

EngineKind = Literal["turbofan", "turboprop", "piston", "electric"]


class AirStarter(Written):
    """Turns by duct pressure: gains `percent_per_second` at `full_psi`, less the faster it turns, nothing at
    `stalls_percent`; takes `takes_psi` off its duct while its valve is open.
    """

    duct: Name
    full_psi: Positive
    percent_per_second: Positive
    stalls_percent: Positive
    takes_psi: NotNegative = 4.0
    cuts_out_percent: Positive


class Duty(Written):
    """How long a starter may turn from cold until it is at 100 percent of its heat, and how it cools."""

    seconds: Positive
    cools_seconds: Positive


class Ignition(Written):
    """When fuel is let in, when it is lit, and how far the engine must turn for it to burn.

    With spark and mixture there it still takes `light_seconds` at 20 percent and 15 degC: longer in the cold, and
    longer in a turbine that turns slowly.
    """

    fuel_when: ExpressionText
    lit_when: ExpressionText
    lights_off_percent: Positive
    feed: Name
    feed_psi: Positive
    light_seconds: Annotated[NotNegative, Since("0.4")] = 1.5
    pool_seconds: Positive = 6.0
    pool_flow: NotNegative = 0.9


class Automatic(Written):
    """A control unit that lets fuel in by itself, and takes it away when a start goes wrong."""

    fuel_at_percent: Positive
    light_limit_seconds: Seconds
    start_limit_seconds: Seconds
    oil_limit_seconds: Seconds = 15.0


class Output(Written):
    """What the core turns: a fan in percent, a propeller in rpm.

    It tends to `full * ((N - from) / (100 - from)) ^ exponent`: a fan on its own shaft hardly turns with a slow core.
    """

    full: Positive
    from_percent: NotNegative = 0.0
    exponent: Annotated[Positive, Since("0.4")] = 1.0
    lag_seconds: Positive
    feathered_when: ExpressionText | None = None
    feathered_share: Fraction = 0.3


class Power(Written):
    """The lever that sets the speed the governor holds."""

    lever: Name
    percent: dict[Position, Positive]


class Motor(Written):
    """An electric motor: follows its lever with a lag while enabled, and takes watts by the cube of its speed."""

    enabled_when: ExpressionText
    bus: Name
    watts: Positive
    lag_seconds: Positive
    rise_celsius: NotNegative
    warms_seconds: Positive


class Engine(Part):
    """An engine. Which parts it needs follows from its kind; see `NEEDS`."""

    id: PartNumber
    kind: EngineKind
    control_bus: Name
    crank_when: ExpressionText | None = None
    air_starter: AirStarter | None = None
    starter: Starter | None = None
    duty: Duty | None = None
    ignition: Ignition | None = None
    automatic: Automatic | None = None
    spool: Spool | None = None
    exhaust: Exhaust | None = None
    oil: Oil | None = None
    output: Output
    power: Power | None = None
    motor: Motor | None = None
    idle_percent: Positive
    hottest_celsius: Positive
    fuel_flow: Annotated[Number, Field(gt=0)] | None = None
    fuel_unit: Text = "kg/h"


class EnginesSection(Written):
    """The engines of an aircraft."""

    engines: tuple[Engine, ...] = ()


class FigureNames(NamedTuple):
    """How the figures of an engine kind are called, in the model's order."""

    speed: str
    temperature: str
    oil: str
    output: str


FIGURES: dict[EngineKind, FigureNames] = {
    "turbofan": FigureNames("core_speed", "gas_temperature", "oil_pressure", "fan_speed"),
    "turboprop": FigureNames("core_speed", "gas_temperature", "oil_pressure", "propeller_rpm"),
    "piston": FigureNames("crank_speed", "cylinder_temperature", "oil_pressure", "propeller_rpm"),
    "electric": FigureNames("motor_speed", "motor_temperature", "oil_pressure", "propeller_rpm"),
}

BURNS = ("ignition", "spool", "exhaust", "oil", "crank_when", "fuel_flow")
NEEDS: dict[EngineKind, tuple[str, ...]] = {
    "turbofan": (*BURNS, "air_starter"),
    "turboprop": (*BURNS, "starter"),
    "piston": (*BURNS, "starter", "power"),
    "electric": ("motor", "power"),
}
"""The parts that an engine kind cannot do without."""
TAKES: dict[EngineKind, tuple[str, ...]] = {
    "turbofan": ("starter", "duty", "automatic", "power"),
    "turboprop": ("duty", "automatic", "power"),
    "piston": ("duty",),
    "electric": (),
}
"""The parts that it may have besides."""
OPTIONAL_PARTS = (*BURNS, "air_starter", "starter", "duty", "automatic", "power", "motor")

PHASES = (
    phrase("stopped"),
    phrase("cranking"),
    phrase("starting"),
    phrase("running"),
    phrase("running down"),
)
TROUBLES = ("", "hot", "no light", "hung", "no oil pressure")
