"""Boundaries, each met exactly and missed by one: what counts as in time, in limits, in the band, in force."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.assessment.overriding import Overridden, with_overrides
from lumenstat.documents.exercise import GradeBand
from tests.assessment.test_examiner import (
    BATTERY,
    LIGHTS,
    METER,
    SIGNS,
    VOLTS,
    call,
    judge,
    put,
    setting,
    strict,
    verdicts,
)
from tests.flights import event

AFTER = {"item": "lights", "seconds": 8}


@pytest.mark.parametrize(("seconds", "verdict"), [(18.0, "done"), (17.99, "early")])
def test_not_before_is_met_exactly(seconds: float, verdict: str) -> None:
    exercise = strict(LIGHTS, {**SIGNS, "not_before": AFTER})
    ledger = judge(exercise, put(10, "navigation_lights", "ON"), put(seconds, "seat_signs", "ON"))
    assert verdicts(ledger)["signs"] == verdict


@pytest.mark.parametrize(("seconds", "verdict"), [(18.0, "done"), (18.01, "late")])
def test_within_is_met_exactly(seconds: float, verdict: str) -> None:
    exercise = strict(LIGHTS, {**SIGNS, "within": AFTER})
    ledger = judge(exercise, put(10, "navigation_lights", "ON"), put(seconds, "seat_signs", "ON"))
    assert verdicts(ledger)["signs"] == verdict


@pytest.mark.parametrize(("seconds", "verdict"), [(45.05, "done"), (45.06, "late")])
def test_a_wait_is_answered_in_its_time(seconds: float, verdict: str) -> None:
    """The bus lives 0.05 s after the switch, when its contactor has closed."""
    wait = {"id": "alive", "kind": "wait", "until": "held(bus.dc_essential.alive, 30)", "at_most": 5}
    ledger = judge(strict(BATTERY, wait), put(10, "battery_main", "ON"), event(seconds, "respond", item="alive"))
    assert verdicts(ledger)["alive"] == verdict


@pytest.mark.parametrize(
    ("expect", "judgement"),
    [({"min": 25.3}, "within"), ({"min": 25.4}, "below"), ({"max": 25.3}, "within"), ({"max": 25.2}, "above")],
)
def test_a_reading_exactly_on_a_limit_is_within_it(expect: dict[str, float], judgement: str) -> None:
    ledger = judge(strict({**VOLTS, "expect": expect}), METER, call(8, judgement))
    assert verdicts(ledger)["volts"] == "done"


@pytest.mark.parametrize(("reading", "verdict"), [(25.5, "done"), (25.56, "wrong")])
def test_a_reading_may_be_off_by_its_tolerance_and_half_a_digit(reading: float, verdict: str) -> None:
    ledger = judge(strict({**VOLTS, "read_tolerance": 0.2}), METER, call(8, "within", reading))
    assert verdicts(ledger)["volts"] == verdict


@pytest.mark.parametrize(("mark", "band", "outcome"), [(50, "Half", "pass"), (50.1, None, "fail")])
def test_a_band_and_the_pass_mark_begin_exactly_at_their_figure(mark: float, band: str | None, outcome: str) -> None:
    exercise = strict(LIGHTS, SIGNS)
    bands = (GradeBand(at_least=50, words="Half"), GradeBand(at_least=50.1, words="More"))
    graded = exercise.exercise.model_copy(update={"pass_mark": mark, "bands": bands})
    ledger = judge(type(exercise)(exercise.airframe, exercise.checklists, graded), put(5, "navigation_lights", "ON"))
    assert (ledger.percent, ledger.band, ledger.outcome) == (50.0, band, outcome)


@pytest.mark.parametrize(("hint", "verdict"), [(10.0, "prompted"), (10.01, "done")])
def test_a_hint_at_the_same_tick_was_taken_before(hint: float, verdict: str) -> None:
    helped = {**LIGHTS, "hints": ["Look up."]}
    acts = sorted(
        [put(10, "navigation_lights", "ON"), event(hint, "hint", item="lights", level=1)], key=lambda e: e.tick
    )
    assert verdicts(judge(strict(helped), *acts))["lights"] == verdict


def overridden(kind: Any, item: str, verdict: str, points: float = 0.0) -> Overridden:
    return Overridden(kind=kind, item=item, verdict=verdict, points=points, reason="For a reason.", by="A", at="then")


def test_gates_of_limits_stand_beside_an_override_of_an_item() -> None:
    exercise = strict({**LIGHTS, "critical": True}, BATTERY)
    start = [put(30, "start_left", "START"), put(33, "start_left", "OFF")]
    ledger = judge(exercise, put(5, "battery_main", "ON"), *start)
    kinds = sorted({gate.kind for gate in ledger.gates})
    assert kinds == ["item", "limit"]
    forgiven = with_overrides(exercise, ledger, [overridden("item", "lights", "done", 1)])
    assert {gate.kind for gate in forgiven.gates} == {"limit"}
    assert forgiven.outcome == "held"
    waived = with_overrides(
        exercise,
        ledger,
        [
            overridden("item", "lights", "done", 1),
            *(overridden("limit", str(n), "waived") for n in range(len(ledger.limits))),
            *(overridden("extra", str(n), "harmless") for n in range(len(ledger.extras))),
        ],
    )
    assert (waived.gates, waived.outcome) == ((), "pass")
    harsh = with_overrides(exercise, waived, [overridden("outcome", "", "fail")])
    assert harsh.outcome_words == "Not passed: the instructor's verdict"


def test_points_after_not_applicable_leave_what_was_possible() -> None:
    exercise = strict(LIGHTS, {**SIGNS, "weight": 3})
    ledger = judge(exercise, put(5, "navigation_lights", "ON"))
    assert ledger.percent == 25.0
    left = with_overrides(exercise, ledger, [overridden("item", "signs", "not-applicable")])
    assert (left.percent, left.points.possible, left.points.earned) == (100.0, 1.0, 1.0)


@pytest.mark.parametrize(("seconds", "slip"), [(11.5, False), (11.51, True)])
def test_a_position_is_passed_within_a_second_and_a_half(seconds: float, slip: bool) -> None:
    ledger = judge(
        strict(setting("signs", "seat_signs", "ON")), put(10, "seat_signs", "AUTO"), put(seconds, "seat_signs", "ON")
    )
    assert verdicts(ledger)["signs"] == ("corrected" if slip else "done")
