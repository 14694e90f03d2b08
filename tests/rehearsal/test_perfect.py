"""The perfect flight: complete, without a slip, no slower than a good hand, and honest about what cannot be done."""

from __future__ import annotations

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.items.saying import WaitItem
from lumenstat.rehearsal.perfect import rehearse
from tests.flights import HAND_FLOWN, log_of

EXERCISES = {path.stem: path for path in shipped_exercises()}


def bundle(name: str) -> Bundle:
    return Library().bundle(EXERCISES[name])


@pytest.mark.parametrize("name", EXERCISES)
def test_scores_a_hundred_without_a_gate_or_a_limit(name: str) -> None:
    exercise = bundle(name)
    flight = rehearse(exercise)
    assert flight.stuck == ()
    ledger = score(exercise, log_of(exercise, list(flight.events))).ledger
    slips = {row.item: row.says for row in ledger.items if row.verdict not in ("done", "not-applicable")}
    assert slips == {}
    assert (ledger.outcome, ledger.percent) == ("pass", 100.0)
    assert (ledger.extras, ledger.limits, ledger.gates) == ((), (), ())


@pytest.mark.parametrize("name", HAND_FLOWN)
def test_is_no_slower_than_a_flight_by_hand(name: str) -> None:
    assert rehearse(bundle(name)).ready_at <= HAND_FLOWN[name]()[-1].tick


def test_long_waits_start_as_early_as_they_may() -> None:
    """The alignment takes seven minutes: the APU, which could come first, has to wait for it instead."""
    acts = {act.item: act for act in rehearse(bundle("full-cold-start")).acts}
    assert acts["align"].starts < acts["navigation-lights"].starts
    assert acts["aligned"].ends - acts["align"].ends < 450 * 100


def test_says_which_items_can_never_be_done() -> None:
    exercise = bundle("battery-and-apu")
    checklist = exercise.checklists[0]
    sections = list(checklist.sections)
    last = sections[-1]
    never = WaitItem(id="never", kind="wait", challenge="Ground power", response="Ready", until="lamp.ground_ready")
    sections[-1] = last.model_copy(update={"items": (*last.items, never)})
    changed = checklist.model_copy(update={"sections": tuple(sections)})
    flight = rehearse(Bundle(exercise.airframe, (changed,), exercise.exercise))
    assert flight.stuck == ("never",)
    assert not flight.ok


def test_the_same_exercise_gives_the_same_flight() -> None:
    assert rehearse(bundle("apu-loop-open")) == rehearse(bundle("apu-loop-open"))
