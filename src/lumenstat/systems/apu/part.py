"""The APU as a document describes it."""

from __future__ import annotations

from typing import Annotated

from lumenstat.language.values import ExpressionText, Fraction, Name, Part, Positive, Seconds, Since, Written
from lumenstat.systems.starter import Starter
from lumenstat.systems.turbine import Exhaust, Oil, Spool


class Accumulator(Written):
    """A charged hydraulic system that the start needs and draws from."""

    system: Name
    needs_psi: Positive
    uses_psi: Positive


class ShaftLoad(Written):
    """Power taken off the shaft while the expression is true, in percent per second of its speed."""

    when: ExpressionText
    percent_per_second: Positive


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
    start_fuel: Annotated[Fraction, Since("0.4")] = 1.0
    """Share of its fuel that the schedule of a start lets burn."""
    shaft_loads: Annotated[tuple[ShaftLoad, ...], Since("0.4")] = ()
    exhaust: Exhaust
    oil: Oil
    available_percent: Positive
    start_limit_seconds: Seconds
    hottest_celsius: Positive
    cool_down_seconds: Seconds


class ApuSection(Written):
    """The APU of an aircraft, if it has one."""

    apu: Apu | None = None
