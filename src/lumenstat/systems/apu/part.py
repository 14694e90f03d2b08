"""The APU as a document describes it."""

from __future__ import annotations

from lumenstat.language.values import ExpressionText, Name, Part, Positive, Seconds, Written
from lumenstat.systems.starter import Starter
from lumenstat.systems.turbine import Exhaust, Oil, Spool


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


class ApuSection(Written):
    """The APU of an aircraft, if it has one."""

    apu: Apu | None = None
