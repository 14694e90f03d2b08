"""The parts of an airframe document beside electricity: APU, fuel, air, fire, stores, timers and latches."""

from __future__ import annotations

from pydantic import Field

from lumenstat.documents.values import (
    ExpressionText,
    Fraction,
    Name,
    NotNegative,
    Number,
    Part,
    Positive,
    Seconds,
    Written,
)


class Starter(Written):
    """A DC motor on a bus: draws (volts - back-EMF) / resistance, and turns by what it draws."""

    bus: Name
    resistance_mohm: Positive
    back_emf_volts_per_percent: Positive
    percent_per_second_per_kiloamp: Positive
    relay_pulls_in_volts: Positive
    relay_drops_out_volts: Positive
    cuts_out_percent: Positive
    rest_seconds: Seconds = 60.0


class Spool(Written):
    """A turbine's one shaft. In percent per second: drag is `rest + linear N + square N^2` while it turns, burning
    gives `burn (N - from) / (100 - from)` times its fuel, which the governor takes back near the speed it holds.
    """

    drag_rest: NotNegative = 0.0
    drag_linear: NotNegative
    drag_square: NotNegative
    burn: Positive
    burn_from_percent: NotNegative
    governed_percent: Positive = 100.0


class Exhaust(Written):
    """Gas temperature: lags towards ambient plus `rise * flow / (N/100 + 0.1)`, flow `idle + slope N/100`."""

    rise_celsius: Positive
    flow_idle: Positive
    flow_slope: NotNegative
    lag_seconds: Positive


class Oil(Written):
    """Oil pressure grows with speed to `psi` at 80 percent, with a lag."""

    psi: Positive
    low_below_psi: Positive
    lag_seconds: Positive


class Accumulator(Written):
    """A charged hydraulic system that the start needs and draws from."""

    system: Name
    needs_psi: Positive
    uses_psi: Positive


class Apu(Part):
    """An auxiliary power unit. Its phases: off, testing, ready, starting, running, cooling, stopping, closing."""

    control_bus: Name
    run_when: ExpressionText
    start_when: ExpressionText
    self_test_seconds: Seconds
    door_seconds: Seconds
    starter: Starter
    accumulator: Accumulator | None = None
    feed: Name
    feed_psi: Positive
    lights_off_percent: Positive
    spool: Spool
    exhaust: Exhaust
    oil: Oil
    available_percent: Positive
    start_limit_seconds: Seconds
    hottest_celsius: Positive
    cool_down_seconds: Seconds


class FuelPump(Part):
    """An electric pump that puts pressure on a feed while its bus lives and it is asked to."""

    bus: Name
    feed: Name
    psi: Positive
    watts: Positive
    when: ExpressionText


class FuelFeed(Part):
    """A feed line: lags to the highest pressure of its running pumps and of other feeds, or to what gravity gives."""

    also_from: tuple[Name, ...] = ()
    gravity_psi: NotNegative = 0.0
    lag_seconds: Positive = 0.8


class Fuel(Written):
    """Pumps and the lines they feed."""

    pumps: tuple[FuelPump, ...] = ()
    feeds: tuple[FuelFeed, ...] = ()


class AirPort(Part):
    """Something that gives pressure to a duct, or takes some of it, while its expression is true."""

    duct: Name
    psi: Positive
    when: ExpressionText


class Duct(Part):
    """A bleed duct: lags to its highest source less what is taken from it."""

    lag_seconds: Positive = 1.5


class AirValve(Part):
    """Joins two ducts while open: both have the higher pressure of the two."""

    joins: tuple[Name, Name]
    when: ExpressionText


class Air(Written):
    """Bleed air."""

    ducts: tuple[Duct, ...] = ()
    sources: tuple[AirPort, ...] = ()
    takers: tuple[AirPort, ...] = ()
    valves: tuple[AirValve, ...] = ()


class FireLoop(Part):
    """A detector loop; whole unless a fault opens it."""

    bus: Name


class Bottle(Part):
    """A fire bottle: full until it is fired with its squib's bus alive."""

    bus: Name
    fires_when: ExpressionText


class Fire(Written):
    """Detectors and bottles."""

    loops: tuple[FireLoop, ...] = ()
    bottles: tuple[Bottle, ...] = ()


class Store(Part):
    """A quantity that an exercise sets and nothing uses up: oxygen, fuel on board."""

    unit: str = Field(max_length=8)
    usual: Number


class Timer(Written):
    """True once its expression has been true for some seconds without a break."""

    id: Name
    when: ExpressionText
    seconds: Seconds


class Latch(Written):
    """Becomes true with `set_when` and stays so until `reset_when`."""

    id: Name
    set_when: ExpressionText
    reset_when: ExpressionText


__all__ = ["Air", "Apu", "Fire", "Fraction", "Fuel", "Latch", "Store", "Timer"]
