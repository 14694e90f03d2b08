"""Decisions by doing, in their time; what a limit costs; items that hang on a branch further up."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.runlog import LogEvent
from lumenstat.runs.open_card import Card
from tests.assessment.test_examiner import BATTERY, LIGHTS, SIGNS, judge, setting, strict, verdicts
from tests.flights import PERFECT, about, event, log_of, without
from tests.procedures import shipped

FAULTS = "start-with-faults"


def perfect() -> list[LogEvent]:
    return PERFECT[FAULTS]()


def hung(events: Sequence[LogEvent]) -> Ledger:
    bundle = shipped(FAULTS)
    return score(bundle, log_of(bundle, list(events))).ledger


def row_of(ledger: Ledger, item: str) -> tuple[str, float]:
    row = next(row for row in ledger.items if row.item == item)
    return row.verdict, row.earned / row.possible


def tick_of(item: str) -> int:
    return next(e.tick for e in perfect() if e.args.get("item") == item)


def later(events: list[LogEvent], since: int, ticks: int) -> list[LogEvent]:
    """Everything from a tick on that much later."""
    return [e if e.tick < since else LogEvent(e.tick + ticks, e.by, e.verb, e.args) for e in events]


def test_aborting_a_hung_start_counts_whether_or_not_the_branch_was_pressed() -> None:
    """An instructor would not care which button was pressed: the fuel is off, at once."""
    pressed = hung(perfect())
    assert pressed.percent == 100.0
    done = hung(without(perfect(), about("decide", item="left-lights")))
    assert row_of(done, "left-lights") == ("done", 1.0)
    assert row_of(done, "abort-fuel") == ("done", 1.0)
    says = next(row.says for row in done.items if row.item == "left-lights")
    assert says == "Decided by doing it: It hangs: fuel off, keep turning."
    assert done.percent == 100.0


def test_the_branch_said_after_the_fuel_is_off_is_no_slip() -> None:
    events = without(perfect(), about("decide", item="left-lights"))
    at = tick_of("left-lights")
    said = LogEvent(at + 500, "trainee", "decide", {"item": "left-lights", "branch": "abort"})
    ledger = hung(sorted([*events, said], key=lambda e: e.tick))
    assert row_of(ledger, "left-lights") == ("done", 1.0)
    assert ledger.percent == 100.0


@pytest.mark.parametrize(("seconds", "verdict"), [(3, "done"), (12, "late")])
def test_a_hung_start_is_judged_from_its_onset(seconds: float, verdict: str) -> None:
    """Eight seconds from when the speed stopped rising are allowed; waiting on heats the engine and is late."""
    ledger = hung(later(perfect(), tick_of("left-lights"), round(seconds * 100)))
    assert row_of(ledger, "left-lights")[0] == verdict


def test_waiting_on_a_clock_burns_the_engine_and_holds() -> None:
    """Fuel off 45 s after light, as the first card had it: far over the limit by then."""
    ledger = hung(later(perfect(), tick_of("left-lights"), 4500))
    assert ledger.outcome == "held"
    assert "gas_hot_left" in [limit.id for limit in ledger.limits]


def test_a_card_goes_on_by_what_was_done() -> None:
    """The open decision is answered by the first item of one of its branches, and that item by the same act."""
    procedure = shipped(FAULTS).procedure
    card = Card(procedure)
    card.answered.update(s.item.id for s in procedure.steps if s.number < procedure.by_id["left-lights"].number)
    card.last = "idle-left"
    assert card.current is not None
    assert card.current.id == "left-lights"
    card.note(event(1, "set", control="fuel_lever_left", to="SHUT"))
    assert card.branches["left-lights"] == "abort"
    assert {"left-lights", "abort-fuel"} <= card.answered
    assert card.current.id == "motored"


CHOOSE = {
    "id": "choose", "kind": "decide",
    "branches": [
        {"id": "on", "when": "battery.main.charge > 0.5", "says": "Go on"},
        {"id": "off", "when": "battery.main.charge <= 0.5", "says": "Leave it"},
    ],
}  # fmt: skip


@pytest.mark.parametrize(("charge", "applies"), [(0.9, True), (0.3, False)])
def test_an_item_can_hang_on_a_branch_further_up(charge: float, applies: bool) -> None:
    hangs = {**SIGNS, "of_branch": {"item": "choose", "branch": "on"}}
    bundle = strict(CHOOSE, BATTERY, hangs, LIGHTS, battery_charge={"main": charge, "start": 0.8})
    ledger = judge(
        bundle,
        event(2, "decide", item="choose", branch="on" if applies else "off"),
        event(4, "set", control="battery_main", to="ON"),
        *([event(6, "set", control="seat_signs", to="ON")] if applies else []),
        event(8, "set", control="navigation_lights", to="ON"),
    )
    assert verdicts(ledger)["signs"] == ("done" if applies else "not-applicable")
    assert ledger.percent == 100.0


def test_a_limit_costs_a_point_even_where_an_item_asked_for_the_act() -> None:
    """The wipers are asked for by the card itself, on a dry windscreen."""
    ask = [
        {"id": "ask", "kind": "request", "service": "ground_power", "action": "connect"},
        {"id": "ready", "kind": "wait", "until": "lamp.ground_ready"},
        setting("feed", "ground_power", "FEED"),
    ]
    bundle = strict(BATTERY, *ask, setting("wipers", "wipers", "SLOW"), SIGNS)
    flown = (
        event(2, "set", control="battery_main", to="ON"),
        event(4, "request", service="ground_power", action="connect"),
        event(80, "respond", item="ready"),
        event(82, "set", control="ground_power", to="FEED"),
        event(90, "set", control="wipers", to="SLOW"),
        event(100, "set", control="seat_signs", to="ON"),
    )
    ledger = judge(bundle, *flown)
    (limit,) = ledger.limits
    assert (limit.id, limit.cost) == ("wipers_dry", 1.0)
    assert ledger.points.earned == ledger.points.possible - 1
    free = bundle.exercise.model_copy(update={"credit": bundle.exercise.credit.model_copy(update={"limit": 0.0})})
    spared = judge(type(bundle)(bundle.airframe, bundle.checklists, free), *flown)
    assert spared.points.earned == spared.points.possible


def test_a_limit_that_an_extra_is_charged_for_costs_nothing_more() -> None:
    events = sorted(
        [*PERFECT["frost-on-the-ramp"](), event(400, "set", control="wipers", to="SLOW")], key=lambda e: e.tick
    )
    bundle = shipped("frost-on-the-ramp")
    ledger = score(bundle, log_of(bundle, events)).ledger
    assert [(extra.effect, extra.limit) for extra in ledger.extras] == [("deviation", "wipers_dry")]
    assert [limit.cost for limit in ledger.limits] == [0.0]
    assert ledger.points.earned == ledger.points.possible - 1


def test_switching_on_to_have_a_look_before_the_decision_is_an_extra() -> None:
    """The battery that turns out to be under its minimum was on for a moment: that stands in the ledger."""
    bundle = shipped("night-stop-no-cart")
    look = [event(14.2, "set", control="battery_main", to="ON"), event(14.8, "set", control="battery_main", to="OFF")]
    flown = sorted([*PERFECT["night-stop-no-cart"](), *look], key=lambda e: e.tick)
    ledger = score(bundle, log_of(bundle, flown)).ledger
    assert [(extra.control, extra.effect) for extra in ledger.extras] == [("battery_main", "harmless")]


def test_one_of_two_put_right_and_then_both_said_is_no_extra() -> None:
    levers = {"id": "levers", "kind": "verify", "controls": ["fuel_lever_left", "fuel_lever_right"], "to": "SHUT"}
    bundle = strict(levers, BATTERY, controls={"fuel_lever_left": "FEED"})
    ledger = judge(
        bundle,
        event(2, "set", control="fuel_lever_left", to="SHUT"),
        event(3, "see", control="fuel_lever_left", position="SHUT"),
        event(4, "see", control="fuel_lever_right", position="SHUT"),
        event(6, "set", control="battery_main", to="ON"),
    )
    assert verdicts(ledger) == {"levers": "done", "battery": "done"}
    assert ledger.extras == ()
    assert ledger.percent == 100.0
