"""What is linked gates and what is not costs its half point; decisions by doing, presses, looks, words and their bounds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest

from lumenstat.assessment.ledger import Ledger, words_of_outcome
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.items.readings import Expect, meaning_of
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.runs.open_card import Card
from tests.assessment.test_examiner import (
    BATTERY,
    FIRE,
    LIGHTS,
    MASTER,
    METER,
    SIGNS,
    VOLTS,
    call,
    held,
    judge,
    put,
    says_of,
    sections,
    setting,
    strict,
    verdicts,
)
from tests.flights import event
from tests.procedures import ASK, small


def section(name: str, *items: dict[str, Any], order: str = "strict") -> dict[str, Any]:
    return {"id": name, "title": name.title(), "order": order, "items": list(items)}


def judge_flown(exercise: Bundle, events: Sequence[LogEvent]) -> Ledger:
    return score(exercise, RunLog(exercise.exercise.id, exercise.digest, "test", tuple(events))).ledger


def lost(ledger: Ledger) -> dict[str, float]:
    return {row.item: row.possible - row.earned for row in ledger.items if row.earned < row.possible}


# ---- 5: a misplaced act gates only where something links it ------------------------------------------------------------


@pytest.mark.parametrize(("linked", "gates"), [({}, []), ({"after": ["fire"]}, ["fire"])])
def test_an_act_before_a_critical_item_of_an_earlier_section(linked: dict[str, Any], gates: list[str]) -> None:
    exercise = sections(section("tests", BATTERY, FIRE), section("cabin", {**LIGHTS, **linked}, SIGNS))
    early = judge(
        exercise, put(2, "battery_main", "ON"), put(5, "navigation_lights", "ON"), *held(8), put(12, "seat_signs", "ON")
    )
    assert lost(early) == {"lights": 0.5}
    assert [gate.id for gate in early.gates] == gates


def test_within_one_strict_section_it_gates_whatever_the_act() -> None:
    exercise = strict(BATTERY, FIRE, LIGHTS)
    early = judge(exercise, put(2, "battery_main", "ON"), put(5, "navigation_lights", "ON"), *held(8))
    assert lost(early) == {"lights": 0.5} and [gate.id for gate in early.gates] == ["fire"]


# ---- 6: a decision by doing ------------------------------------------------------------------------------------------

WAYS = {
    "id": "way", "kind": "decide", "critical": True,
    "branches": [
        {"id": "go", "when": "battery.main.volts > 20", "says": "Power up",
         "items": [{**BATTERY, "challenge": "Battery", "response": "ON"}]},
        {"id": "stay", "when": "battery.main.volts <= 20", "says": "Stay dark",
         "items": [{**LIGHTS, "id": "dark", "to": "OFF", "challenge": "Lights", "response": "OFF"}]},
    ],
}  # fmt: skip


def test_a_decision_by_doing_comes_after_what_stands_before_it() -> None:
    exercise = strict(VOLTS, WAYS, SIGNS)
    rightly = judge(exercise, METER, call(6), put(9, "battery_main", "ON"), put(12, "seat_signs", "ON"))
    assert lost(rightly) == {}
    assert says_of(rightly, "way") == "Decided by doing it: Power up."
    blindly = judge(exercise, METER, put(5, "battery_main", "ON"), call(9, reading=24.9), put(12, "seat_signs", "ON"))
    assert verdicts(blindly)["way"] == "omitted"
    assert [gate.id for gate in blindly.gates] == ["way"]


def test_false_words_after_a_decision_by_doing_count() -> None:
    exercise = strict(VOLTS, WAYS, SIGNS)
    acts = (METER, call(6), put(9, "battery_main", "ON"))
    said = event(11, "decide", item="way", branch="stay")
    taken_back = judge(exercise, *acts, said, put(14, "seat_signs", "ON"))
    assert verdicts(taken_back)["way"] == "wrong"
    assert "but the last word counts" in says_of(taken_back, "way")
    put_right = judge(exercise, *acts, said, event(12, "decide", item="way", branch="go"), put(14, "seat_signs", "ON"))
    assert lost(put_right) == {"way": 0.25}


def test_a_way_that_begins_with_a_look_is_decided_by_looking() -> None:
    look = {
        "id": "pump",
        "kind": "verify",
        "control": "hydraulic_pump",
        "to": "OFF",
        "challenge": "Pump",
        "response": "OFF",
    }
    ways = {**WAYS, "branches": [{**WAYS["branches"][0], "items": [look]}, WAYS["branches"][1]]}  # type: ignore[index]
    ledger = judge(strict(VOLTS, ways), METER, call(6), event(9, "see", control="hydraulic_pump", position="OFF"))
    assert lost(ledger) == {} and ledger.outcome == "pass"


def test_a_wrong_way_that_is_done_is_one_slip_with_the_decision() -> None:
    exercise = strict(VOLTS, WAYS)
    ledger = judge(exercise, METER, call(6), put(9, "navigation_lights", "ON"), put(11, "navigation_lights", "OFF"))
    assert verdicts(ledger)["way"] == "wrong"
    assert says_of(ledger, "way") == "'Stay dark' was done without being decided, and it was not right."


# ---- 7: a press counts when it is pressed ------------------------------------------------------------------------------


def test_a_press_counts_when_it_is_pressed() -> None:
    """Lights are switched while the button is still in: the press came first, whenever it is let go."""
    exercise = strict(BATTERY, FIRE, LIGHTS)
    press, release = held(5)
    ledger = judge(exercise, put(2, "battery_main", "ON"), press, put(6, "navigation_lights", "ON"), release)
    assert lost(ledger) == {} and ledger.items[1].at == 5.0


START = {"id": "start", "kind": "hold", "control": "apu_start", "seconds": 0.2}


def test_a_press_that_nothing_came_of_is_never_done() -> None:
    ledger = judge(small(START), *held(5, "apu_start"))
    assert verdicts(ledger) == {"start": "wrong"}
    assert says_of(ledger, "start") == "Start was pressed and nothing came of it: that press was lost."


def test_a_test_that_lights_nothing_was_made_all_the_same() -> None:
    """A loop that does not answer is the find: its button was held as it should be."""
    assert verdicts(judge(small(FIRE), *held(5))) == {"fire": "done"}


# ---- 8: what is needed is never an extra -------------------------------------------------------------------------------


def test_one_of_two_units_is_one_slip_though_it_was_moved_on() -> None:
    units = {"id": "align", "kind": "set", "controls": ["inertial_1", "inertial_2"], "to": "ALIGN"}
    on = setting("on", "inertial_1", "NAV")
    ledger = judge(strict(units, on), put(5, "inertial_1", "ALIGN"), put(9, "inertial_1", "NAV"))
    assert lost(ledger) == {"align": 1.0} and ledger.extras == ()
    assert says_of(ledger, "align") == "Only Unit 1 was set to ALIGN; Unit 2 was not."


def test_a_control_that_was_not_brought_back_is_one_slip() -> None:
    sweep = {"id": "rudder", "kind": "sweep", "control": "wheel"}
    exercise = small(sweep)
    ends = exercise.airframe.controls["wheel"].positions
    ledger = judge(exercise, put(5, "wheel", ends[0]), put(8, "wheel", ends[-1]))
    assert lost(ledger) == {"rudder": 1.0} and ledger.extras == ()
    assert f"and not brought back to {exercise.airframe.controls['wheel'].usual}." in says_of(ledger, "rudder")


# ---- 10, 11: words ---------------------------------------------------------------------------------------------------


def test_a_right_call_said_again_is_no_try_of_the_next_item() -> None:
    again = {
        **VOLTS,
        "id": "start",
        "moment": {"when": 'control.meter_selector == "START"', "says": "the meter at START"},
    }
    exercise = strict(VOLTS, again)
    turned = event(12, "set", control="meter_selector", to="START")
    ledger = judge(exercise, METER, call(6), call(9), turned, call(15, reading=25.9))
    assert lost(ledger) == {}


def test_a_false_call_before_its_turn_is_a_slip() -> None:
    dark = {
        "id": "left",
        "kind": "check",
        "instrument": "ac_volts",
        "expect": {"min": 0, "max": 500},
        "read_tolerance": 1,
    }
    exercise = strict(LIGHTS, dark)
    false = event(3, "call", instrument="ac_volts", reading=115, judgement="within")
    ledger = judge(
        exercise, false, put(6, "navigation_lights", "ON"), event(9, "call", instrument="ac_volts", judgement="dead")
    )
    assert lost(ledger) == {"left": 0.25}
    assert says_of(ledger, "left").startswith("AC volts was dark; there was nothing to read. Put right at 0:09")


@pytest.mark.parametrize(("reading", "right"), [(114.5, True), (117.5, True), (114.4, False), (117.6, False)])
def test_a_read_tolerance_is_what_the_document_says(reading: float, right: bool) -> None:
    from lumenstat.items.check import CheckItem, judge_call
    from tests.items.test_kinds import item

    shown = {"instrument": "ac_volts", "expect": Expect(min=100, max=130), "read_tolerance": 1.5, "moment": None}
    check = item("check").model_copy(update=shown)
    assert isinstance(check, CheckItem)
    instrument = small(BATTERY).airframe.instruments["ac_volts"]
    found = judge_call(check, instrument, {"reading": reading, "judgement": "within"}, 116.2, True, {})
    assert found.right is right


def test_a_limit_that_was_added_up_lies_where_it_means() -> None:
    assert meaning_of(24.6, Expect(equals=24.4), {}, 0.2) == "within"


# ---- 12: time --------------------------------------------------------------------------------------------------------


def test_time_that_is_over_ends_a_log() -> None:
    exercise = small(LIGHTS, SIGNS, minutes_at_most=1)
    events = (put(50, "navigation_lights", "ON"), put(70, "seat_signs", "ON"), event(80, "finish"))
    ledger = score(exercise, RunLog(exercise.exercise.id, exercise.digest, "test", events)).ledger
    assert verdicts(ledger) == {"lights": "done", "signs": "omitted"} and ledger.ended_at == 60


# ---- 13: what stands right from the start --------------------------------------------------------------------------------

BRAKE = setting("brake", "parking_brake", "SET")


def test_what_stands_right_from_the_start_is_answered_by_looking() -> None:
    exercise = small(BRAKE, LIGHTS)
    seen = event(3, "see", control="parking_brake", position="SET")
    assert lost(judge(exercise, seen, put(6, "navigation_lights", "ON"))) == {}
    card = Card(exercise.procedure, first={"parking_brake": "SET"})
    card.note(seen)
    assert card.answered == {"brake"}


def test_what_was_moved_is_answered_by_moving_alone() -> None:
    """A look at what somebody has just put there too soon is no act in its place."""
    exercise = small(LIGHTS, BRAKE)
    acts = (put(2, "parking_brake", "OFF"), put(3, "parking_brake", "SET"), put(6, "navigation_lights", "ON"))
    ledger = judge(exercise, *acts, event(9, "see", control="parking_brake", position="SET"))
    assert verdicts(ledger)["brake"] == "out-of-order"
    card = Card(exercise.procedure, first={"parking_brake": "SET"})
    card.note(acts[0])
    card.note(event(4, "see", control="parking_brake", position="SET"))
    assert "brake" not in card.answered


# ---- headline ----------------------------------------------------------------------------------------------------------


def test_every_reason_stands_in_the_headline() -> None:
    ledger = judge(strict(BATTERY, FIRE, MASTER), put(5, "battery_main", "ON"), end=20)
    assert ledger.outcome_words == "Not passed: critical item missed, below 75 %"
    assert words_of_outcome("held", ledger.gates, 80) == "Not passed: critical item missed"


# ---- 14: one definition of when a wait ends -----------------------------------------------------------------------------


@pytest.mark.parametrize("until", ["not lamp.apu_door", "not lamp.ground_ready", "lamp.ground_ready"])
@pytest.mark.parametrize("turn", [{"after": ["ask"]}, {}])
def test_the_time_of_a_wait_that_floats_begins_with_its_turn(until: str, turn: dict[str, Any]) -> None:
    """What it waits for may be there long before; a lamp may be dark only because its bus still is."""
    wait = {"id": "wait", "kind": "wait", "until": until, "at_most": 3, "floats_until": "signs", **turn}
    exercise = small(BATTERY, ASK, wait, LIGHTS, SIGNS, aims=())
    flight = rehearse(exercise)
    assert flight.ok
    assert lost(judge_flown(exercise, flight.events)) == {}
