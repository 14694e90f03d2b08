"""Time: what was needed, what was used, and where the rest went, adding up exactly."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenstat.assessment.ledger import TimeUse
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import clock
from tests.flights import PERFECT, about, log_of, rehearsed

NAME = "apu-and-ground-power-away"


def bundle(name: str = NAME) -> Bundle:
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


def time_of(events: list[LogEvent], name: str = NAME) -> TimeUse:
    exercise = bundle(name)
    time = score(exercise, log_of(exercise, events)).ledger.time
    assert time is not None
    return time


def later(events: list[LogEvent], wanted: str, seconds: float, **args: str) -> list[LogEvent]:
    """Everything from an event on, so much later."""
    at = next(n for n, e in enumerate(events) if about(wanted, **args)(e))
    moved = [LogEvent(e.tick + round(seconds * 100), e.by, e.verb, e.args) for e in events[at:]]
    return [*events[:at], *moved]


def test_the_perfect_flight_loses_nothing() -> None:
    time = time_of(rehearsed(NAME)())
    assert time.used == time.needed
    assert time.lost == ()


def test_a_pause_is_lost_where_it_was_made() -> None:
    events = later(rehearsed(NAME)(), "set", 40, control="apu_master", to="ON")
    time = time_of(events)
    assert [(lost.seconds, lost.item) for lost in time.lost] == [(40.0, "master")]
    done_at = next(e.tick for e in events if about("set", control="apu_master", to="ON")(e)) / 100
    says = time.lost[0].says
    assert says.startswith("40.0 s between") and says.endswith(f"done at {clock(done_at)}.")


def test_a_pause_that_a_wait_swallows_costs_nothing() -> None:
    """Seat signs are set while the APU runs up or before Finish; a little later there changes nothing that counts."""
    events = rehearsed("full-cold-start")()
    index = next(n for n, e in enumerate(events) if about("set", control="seat_signs")(e))
    after = events[index + 1]
    moved = [*events[:index], LogEvent(after.tick - 1, "trainee", "set", events[index].args), *events[index + 1 :]]
    assert time_of(moved, "full-cold-start").lost == ()


def test_starting_the_long_wait_late_is_named_as_that() -> None:
    events = rehearsed("full-cold-start")()
    late = time_of(later(events, "set", 60, control="inertial_1", to="ALIGN"), "full-cold-start")
    assert sum(lost.seconds for lost in late.lost) == pytest.approx(60)
    assert late.lost[0].item == "align"


def cut_short(seconds: float, pace: float = 1.0) -> list[LogEvent]:
    """The perfect flight at a pace, ended a second after so many seconds of it."""
    events = [e for e in rehearsed(NAME)() if e.tick <= seconds * 100]
    quick = [LogEvent(round(e.tick * pace), e.by, e.verb, e.args) for e in events]
    return [*quick, LogEvent(quick[-1].tick + 100, "trainee", "finish", {})]


def test_quicker_than_needed_is_said_too() -> None:
    quick = time_of(cut_short(30, pace=0.5))
    assert quick.used < quick.needed
    assert sum(lost.seconds for lost in quick.lost) == pytest.approx(quick.used - quick.needed)
    assert "Quicker" in quick.lost[0].says


def test_a_run_cut_short_is_timed_by_what_was_flown() -> None:
    time = time_of(cut_short(30))
    assert time.needed <= 30 < time_of(rehearsed(NAME)()).needed
    assert [(lost.seconds, lost.item) for lost in time.lost] == [(1.0, None)]


@pytest.mark.parametrize(
    "name", ["frost-on-the-ramp", "apu-and-ground-power-away", "battery-and-apu", "shutdown-to-dark"]
)
def test_losses_add_up_for_flights_by_hand(name: str) -> None:
    time = time_of(PERFECT[name](), name)
    assert sum(lost.seconds for lost in time.lost) == pytest.approx(time.used - time.needed, abs=1e-9)
    assert all(lost.seconds > 0 for lost in time.lost)


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000))
def test_losses_add_up_whatever_was_done_when(seed: int) -> None:
    r = random.Random(seed)
    kept = [e for e in rehearsed(NAME)() if e.verb == "finish" or r.random() < 0.9]
    pressed = [e.args for e in kept if e.verb == "press"]
    events = [e for e in kept if e.verb != "release" or e.args in pressed]
    at, shifted = 0, []
    for event in events:
        at += r.choice([0, 0, 50, 400, 2500])
        shifted.append(LogEvent(event.tick + at, event.by, event.verb, event.args))
    time = time_of(shifted)
    assert sum(lost.seconds for lost in time.lost) == pytest.approx(time.used - time.needed, abs=1e-9)
