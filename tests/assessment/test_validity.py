"""At what temperatures and charges the model could fly an exercise: figures found by flying it."""

from __future__ import annotations

import pytest

from lumenstat.assessment.validity import Validity, validity_of
from tests.procedures import BATTERY_ON, shipped, small


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("log-is-open", Validity((-40, 50), (10, 100), 6.0)),
        ("night-stop-no-cart", Validity((-40, 50), (10, 74), 22.0)),
        ("battery-and-apu", Validity((-8, 50), (40, 100), 67.6)),
    ],
)
def test_an_exercise_is_valid_as_far_as_the_model_passes(name: str, found: Validity) -> None:
    assert validity_of(shipped(name)) == found


def test_an_exercise_that_the_model_cannot_pass_is_valid_for_nothing() -> None:
    never = {"id": "never", "kind": "wait", "until": "bus.ac_left.alive"}
    assert validity_of(small(BATTERY_ON, never)).celsius is None
