"""The trace that a debrief draws: its times are those of the flight, and flat stretches are left out."""

from __future__ import annotations

from itertools import pairwise

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import trace_of
from tests.flights import perfect_frost
from tests.procedures import shipped


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


def test_what_a_machine_did_is_one_span_for_each_phase() -> None:
    exercise = shipped("full-cold-start")
    flight = fly(exercise, rehearse(exercise).events)
    machines = trace_of(flight).machines
    assert {machine.id for machine in machines} >= {"apu.phase", "engine.1.phase", "inertial.1.phase"}
    for machine in machines:
        for (begin, end, phase), (later, _, then) in pairwise(machine.spans):
            assert begin < end <= later, machine.name
            assert phase != then or end < later, f"{machine.name} was {phase} until {end} and went on being so"
        assert machine.spans[-1][1] <= flight.end / 100
    (apu,) = (machine for machine in machines if machine.id == "apu.phase")
    assert [phase for _, _, phase in apu.spans][:3] == ["testing", "ready", "starting"]
