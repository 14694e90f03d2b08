"""A state flips in the very hundredth of a second in which its figure passes the threshold."""

from __future__ import annotations

from itertools import islice, pairwise

import pytest

from lumenstat.simulation.flight import TracePoint, fly
from lumenstat.systems.terms import Threshold
from tests.flights import PERFECT
from tests.procedures import shipped

EACH = 6
"""So many flips of every state are looked at."""


def flips(trace: list[TracePoint], slot: int) -> list[TracePoint]:
    """Where a state changed."""
    return [after for before, after in pairwise(trace) if before.d[slot] != after.d[slot] and after.tick > 1]


@pytest.mark.parametrize(
    "name", ["battery-and-apu", "apu-and-ground-power-away", "shutdown-to-dark", "engines-to-dark", "start-with-faults"]
)
def test_a_figure_had_not_passed_a_tick_before(name: str) -> None:
    bundle, events = shipped(name), PERFECT[name]()
    flight = fly(bundle, events)
    plan, looked_at = flight.aircraft.plan, 0

    def figure_before(threshold: Threshold, tick: int) -> float:
        earlier = fly(bundle, [event for event in events if event.tick < tick], end=tick - 1, lenient=True)
        return earlier.aircraft.a[plan.a[threshold.output]]

    for threshold in (each for system in plan.systems for each in system.thresholds()):
        slot = plan.d[threshold.state]
        for flip in islice(flips(list(flight.trace), slot), EACH):
            was = figure_before(threshold, flip.tick)
            if flip.d[slot]:
                assert was <= threshold.on_above, f"{threshold.state} at {flip.tick}"
            else:
                assert was >= threshold.off_below, f"{threshold.state} at {flip.tick}"
            looked_at += 1
    assert looked_at > 10
