"""Settled volts and hertz against published power quality.

Source: MIL-STD-704F steady-state limits (from memory, unverified): 28 V DC 22.0 to 29.0 V; 115 V AC 108.0 to 118.0 V;
400 Hz 393 to 407 Hz. ISO 6858 (from memory): a ground supply holds 115 V and 400 Hz closely enough for them.
"""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.simulation.flight import fly
from lumenstat.systems.electrical.ac_sources import AcSection


def test_every_bus_is_in_its_published_band_once_ground_power_feeds(
    frost: Bundle, perfect_events: list[LogEvent]
) -> None:
    flight = fly(frost, perfect_events)
    state = flight.aircraft.state()
    alive = [bus for bus in frost.airframe.electrical.buses if state[f"bus.{bus.id}.alive"]]
    assert len(alive) == len(frost.airframe.electrical.buses)
    for bus in alive:
        volts = state[f"bus.{bus.id}.volts"]
        assert isinstance(volts, float)
        low, high = (22.0, 29.0) if bus.kind == "dc" else (108.0, 118.0)
        assert low <= volts <= high, bus.id
        if bus.kind == "ac":
            hertz = state[f"bus.{bus.id}.hertz"]
            assert isinstance(hertz, float)
            assert 393 <= hertz <= 407


def test_the_shipped_tolerances_lie_within_the_published_band_of_the_common_plug(frost: Bundle) -> None:
    """Common practice, no source: 402 Hz is fine at a plug (cp); 417 Hz is not."""
    supply = frost.airframe.section(AcSection).ground_supplies[0]
    assert supply.hertz.min <= 402 <= supply.hertz.max
    assert not supply.hertz.min <= 417 <= supply.hertz.max
