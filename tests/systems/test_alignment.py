"""What an inertial unit tells of its alignment: progress, seconds left, its counter, how well it knows heading."""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest

from lumenstat.systems.inertial.alignment import COUNTER_FROM, UNKNOWN_DEGREES, Alignment, alignment_figures

FINDING = Alignment(
    begun=1000, level_at=4000, best_at=11_000, noise=0.006, bias=0.0, latitude=56.0, frozen=None, position_error_km=0.4
)
"""A hundred seconds, of which thirty are for levelling."""


@pytest.mark.parametrize(
    ("tick", "progress", "seconds_left", "counter"),
    [
        (1000, 0.0, 100.0, 9), (1001, 0.0001, 99.99, 9), (3500, 0.25, 75.0, 7), (6000, 0.5, 50.0, 5),
        (10_999, 0.9999, 0.01, 1), (11_000, 1.0, 0.0, 0), (99_000, 1.0, 0.0, 0),
    ],
)  # fmt: skip
def test_it_counts_down_to_best_accuracy(tick: int, progress: float, seconds_left: float, counter: int) -> None:
    done, left, shown, _, position_error_km = alignment_figures(FINDING, tick)
    assert [done, left, shown] == pytest.approx([progress, seconds_left, counter])
    assert position_error_km == 0.4


def test_heading_is_unknown_until_it_is_level_and_then_known_ever_better() -> None:
    errors = [alignment_figures(FINDING, tick)[3] for tick in (1000, 4000, 4001, 6000, 11_000)]
    assert errors[:2] == [UNKNOWN_DEGREES, UNKNOWN_DEGREES]
    assert all(one >= other for one, other in itertools.pairwise(errors)) and errors[-1] < errors[2]


def test_an_error_that_is_frozen_stays_while_it_aligns() -> None:
    assert alignment_figures(replace(FINDING, frozen=0.7), 9000)[3] == 0.7


@pytest.mark.parametrize(("frozen", "progress", "counter"), [(None, 0.0, COUNTER_FROM), (180.0, 0.0, 9), (0.3, 1.0, 0)])
def test_where_it_does_not_align_it_tells_what_was_known_at_the_end(
    frozen: float | None, progress: float, counter: int
) -> None:
    known = UNKNOWN_DEGREES if frozen is None else frozen
    assert alignment_figures(Alignment(frozen=frozen, position_error_km=2.0), 500) == (
        progress, 0.0, counter, known, 2.0,
    )  # fmt: skip


def test_an_alignment_without_duration_is_done_at_once() -> None:
    assert alignment_figures(Alignment(begun=100, level_at=100, best_at=100, frozen=0.5), 100)[:3] == (1.0, 0.0, 0.0)
