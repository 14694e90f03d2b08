"""How somebody stands in a course: worked by hand, one rule a test."""

from __future__ import annotations

from datetime import datetime, timedelta

from lumenstat.training.course_standing import CountedRun, Requirement, due, share_done, standings

NOW = datetime(2031, 5, 17, 12, 0)
SCALE = ("Well done", "Good", "Sufficient", "Not yet")


def flown(
    exercise: str, days_ago: float, percent: float = 90.0, passed: bool = True, grade: str | None = None
) -> CountedRun:
    return CountedRun(exercise, NOW - timedelta(days=days_ago), passed, percent, grade, f"{exercise}-{days_ago:g}")


def states(steps: list[Requirement], runs: list[CountedRun], at: datetime = NOW) -> list[str]:
    return [each.state for each in standings(steps, runs, at, SCALE)]


THREE = [Requirement("a"), Requirement("b"), Requirement("c")]


def test_the_first_step_that_is_not_done_is_next_and_the_others_come_later() -> None:
    assert states(THREE, []) == ["next", "later", "later"]
    assert states(THREE, [flown("a", 3)]) == ["done", "next", "later"]
    assert states(THREE, [flown("a", 3), flown("b", 2), flown("c", 1)]) == ["done"] * 3


def test_what_was_flown_out_of_turn_counts_too() -> None:
    assert states(THREE, [flown("c", 1)]) == ["next", "later", "done"]


def test_a_try_that_did_not_pass_is_told_apart_from_none() -> None:
    assert states(THREE, [flown("a", 1, 60, passed=False)]) == ["tried", "later", "later"]


def test_points_and_grade_are_asked_for_beside_the_pass() -> None:
    step = [Requirement("a", at_least=85.0, grade="Good")]
    assert states(step, [flown("a", 1, 84.9, grade="Good")]) == ["tried"]
    assert states(step, [flown("a", 1, 85.0, grade="Sufficient")]) == ["tried"]
    assert states(step, [flown("a", 1, 85.0)]) == ["tried"]
    assert states(step, [flown("a", 1, 85.0, grade="Well done")]) == ["done"]


def test_a_pass_lapses_after_its_days_to_the_second_and_a_newer_one_renews_it() -> None:
    step = [Requirement("a", within_days=30)]
    run = flown("a", 30)
    assert states(step, [run], NOW - timedelta(seconds=1)) == ["done"]
    assert states(step, [run]) == ["lapsed"]
    assert states(step, [run, flown("a", 2)]) == ["done"]


def test_of_two_passes_that_are_asked_for_the_older_one_decides_when_they_lapse() -> None:
    step = [Requirement("a", passes=2, within_days=10)]
    assert states(step, [flown("a", 3)]) == ["tried"]
    found = standings(step, [flown("a", 20), flown("a", 8), flown("a", 3)], NOW)[0]
    assert found.state == "done" and found.lapses == NOW + timedelta(days=2)
    assert found.lapses_soon(NOW)


def test_a_lapsed_step_holds_up_nothing_and_is_due_beside_the_next() -> None:
    runs = [flown("a", 40), flown("b", 1)]
    steps = [Requirement("a", within_days=30), Requirement("b"), Requirement("c")]
    assert states(steps, runs) == ["lapsed", "done", "next"]
    assert [each.step.exercise_id for each in due(standings(steps, runs, NOW))] == ["a", "c"]


def test_the_share_counts_what_is_done_now() -> None:
    steps = [Requirement("a", within_days=30), Requirement("b"), Requirement("c"), Requirement("d")]
    assert share_done(standings(steps, [flown("a", 40), flown("b", 1)], NOW)) == 0.25
    assert share_done([]) == 0.0
