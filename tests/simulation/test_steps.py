"""Steps of the continuous half against curves known in closed form."""

from __future__ import annotations

import math

import pytest

from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.steps import StateKinds, Steps
from tests.flights import PERFECT
from tests.simulation.test_contract import bundle

KINDS = StateKinds(lags=(0.0, 0.0, 2.0), stiff=(1,), shares=(), not_negative=(), tolerances=((0, 1e-3), (1, 1e-3)))


def rates(x: list[float]) -> list[float]:
    """A plain rate, a stiff figure (slope -50) that follows it, one that lags behind it by 2 s; then the stiff slope."""
    return [math.cos(x[0]), -50.0 * (x[1] - x[0]), x[0], -50.0]


def gone(ticks: int, count: int) -> list[float]:
    """`count` steps of the same length from rest, each with the curvatures of the one before."""
    steps, x = Steps(KINDS), [0.0, 0.0, 0.0]
    start, curvatures = rates(x), steps.straight
    for _ in range(count):
        rough = steps.advance(x, start, curvatures, ticks)
        curvatures, x, _ = steps.correct(x, rough, start, rates(rough), ticks)
        start = rates(x)
    return x


def test_half_the_step_has_a_quarter_of_the_error_or_less() -> None:
    """x' = cos x from 0 is the Gudermannian: x(t) = 2 atan(tanh(t / 2)) (textbook)."""
    true = 2 * math.atan(math.tanh(1.0))
    long, short = abs(gone(20, 10)[0] - true), abs(gone(10, 20)[0] - true)
    assert long / short > 3.5
    assert short < 2e-3


def test_a_stiff_figure_stays_with_what_it_follows() -> None:
    """With slope -50 per second and steps of 0.2 s a plain Heun step would grow without bound (|1 - 10 + 50| > 1)."""
    x = gone(20, 50)
    assert x[1] == pytest.approx(x[0], abs=1e-3)
    assert x[0] == pytest.approx(math.pi / 2, abs=1e-3)


def test_memory_of_the_last_step_makes_the_rough_one_better() -> None:
    steps, x = Steps(KINDS), [0.5, 0.5, 0.5]
    start = rates(x)
    rough = steps.advance(x, start, steps.straight, 10)
    bent, x, _ = steps.correct(x, rough, start, rates(rough), 10)
    start = rates(x)
    errors = []
    for curvatures in (steps.straight, bent):
        rough = steps.advance(x, start, curvatures, 10)
        errors.append(steps.correct(x, rough, start, rates(rough), 10)[2])
    assert errors[1] < errors[0] / 5


def test_a_corrected_step_is_the_advance_with_its_bends() -> None:
    """So a look between two steps lies on the same curve as their ends; the error is in shares of what is tolerable."""
    steps, x = Steps(KINDS), [0.5, 0.2, 0.9]
    start = rates(x)
    rough = steps.advance(x, start, steps.straight, 30)
    curvatures, fine, error = steps.correct(x, rough, start, rates(rough), 30)
    assert fine == steps.advance(x, start, curvatures, 30)
    assert error == max(abs(rough[n] - fine[n]) / 1e-3 for n in (0, 1))


@pytest.mark.parametrize("name", ["battery-and-apu", "frost-on-the-ramp"])
def test_a_look_between_steps_shows_what_will_be_there(name: str) -> None:
    """A look at a tick and the aircraft standing at that tick have the same figures."""
    exercise = bundle(name)
    aircraft = ready(exercise.airframe, exercise.exercise.start, exercise.exercise.faults)
    for event in PERFECT[name]():
        middle = (aircraft.tick + event.tick) // 2
        aircraft.advance(middle)
        seen = list(aircraft.peek(middle))
        aircraft.arrive(middle)
        assert aircraft.a == pytest.approx(seen, abs=1e-9)
        aircraft.arrive(event.tick)
        carry_out(aircraft, event)
