"""The trace that a debrief draws: its times are those of the flight, and flat stretches are left out."""

from __future__ import annotations

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import trace_of
from tests.flights import perfect_frost


def test_lines_end_when_the_flight_does_and_jump_when_the_act_did(frost: Bundle) -> None:
    flight = fly(frost, perfect_frost())
    trace = trace_of(flight)
    lines = {line.name: line.points for line in trace.lines}
    for points in lines.values():
        assert points[-1][0] == pytest.approx(1050.0)
        assert len(points) < len(flight.trace)
        assert [t for t, _ in points] == sorted(t for t, _ in points)
    essential = next(points for name, points in lines.items() if "ssential" in name)
    first = next(t for t, volts in essential if volts > 20)
    assert first == pytest.approx(36.05, abs=0.1)
