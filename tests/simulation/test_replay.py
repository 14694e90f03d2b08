"""Replay: any moment of a log, the same to the last bit as flying there."""

from __future__ import annotations

import random

import pytest

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.replay import Replay
from tests.flights import PERFECT

BUNDLE = Library().bundle(next(path for path in shipped_exercises() if path.stem == "apu-and-ground-power-away"))
EVENTS = PERFECT["apu-and-ground-power-away"]()


@pytest.fixture(scope="module")
def replay() -> Replay:
    return Replay(BUNDLE, EVENTS)


def flown_to(tick: int) -> dict[str, object]:
    aircraft = ready(BUNDLE.airframe, BUNDLE.exercise.start, BUNDLE.exercise.faults)
    for event in EVENTS:
        if event.tick > tick:
            break
        aircraft.arrive(event.tick)
        carry_out(aircraft, event)
    aircraft.arrive(tick)
    return dict(aircraft.state())


def test_any_moment_is_the_one_that_was_flown_in_whatever_order_it_is_asked_for(replay: Replay) -> None:
    r = random.Random(3)
    ticks = [r.randrange(EVENTS[-1].tick) for _ in range(12)] + [EVENTS[9].tick, 0, EVENTS[-1].tick]
    for tick in ticks:
        assert replay.at(tick).state == flown_to(tick)


def test_beyond_the_ends_are_the_ends_and_the_crew_line_goes_along(replay: Replay) -> None:
    assert replay.at(10**9).tick == EVENTS[-1].tick
    assert replay.at(-5).tick == 0
    assert replay.at(0).crew == ()
    asked = next(e.tick for e in EVENTS if e.verb == "request")
    assert [line.by for line in replay.at(asked).crew] == ["you"]
    assert [line.by for line in replay.at(asked + 7100).crew] == ["you", "ground"]
    assert replay.at(0).crew == ()
