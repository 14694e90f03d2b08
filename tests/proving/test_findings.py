"""Each kind of finding: a small document that provokes it, and one that just does not."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.checking_order import check_order
from lumenstat.errors import Problem
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Source
from lumenstat.proving.order import order_findings
from lumenstat.proving.proof import Finding
from lumenstat.proving.prove import prove
from lumenstat.systems.registry import quantities_of
from tests.procedures import ASK, BATTERY_ON, ESSENTIAL, FEED, LEFT_DC, READY, small


def found(*items: dict[str, Any], **more: Any) -> list[Finding]:
    return list(prove(small(*items, **more)).findings)


def kinds(*items: dict[str, Any], **more: Any) -> set[tuple[str, str]]:
    return {(finding.item, finding.kind) for finding in found(*items, **more)}


CHARGED = {"id": "decide", "kind": "decide", "branches": [
    {"id": "low", "when": "battery.main.charge < 0.5", "says": "Charge"},
    {"id": "good", "when": "battery.main.charge >= 0.5", "says": "Go on"},
]}  # fmt: skip
GAP = {
    **CHARGED,
    "branches": [CHARGED["branches"][0], {"id": "good", "when": "battery.main.charge > 0.5", "says": "Go on"}],
}
TEST = {"id": "test", "kind": "hold", "control": "fire_test", "seconds": 2, "at_most": 6, "watch": "lamp.apu_fire"}
POWER = (BATTERY_ON, ASK, READY, FEED)

CASES: dict[str, tuple[tuple[dict[str, Any], ...], tuple[dict[str, Any], ...], str]] = {
    "wait-never-ends": ((BATTERY_ON, READY), (BATTERY_ON, ASK, READY), "ready"),
    "cannot-ask": (
        (BATTERY_ON, {**ASK, "id": "away", "action": "remove"}),
        (BATTERY_ON, ASK, READY, {**ASK, "id": "away", "action": "remove"}),
        "away",
    ),
    "never-readable": (
        (BATTERY_ON, {**ESSENTIAL, "moment": {"when": "lamp.ground_ready", "says": "with the cart in"}}),
        (BATTERY_ON, {**ESSENTIAL, "moment": {"when": "bus.dc_essential.alive", "says": "with the bus alive"}}),
        "essential",
    ),
    "cannot-be-reached": ((READY, BATTERY_ON), (BATTERY_ON, ASK, READY), "battery"),
    "dead-instrument": ((BATTERY_ON, LEFT_DC), (*POWER, LEFT_DC), "left"),
    "out-of-limits": (
        (BATTERY_ON, {**ESSENTIAL, "expect": {"min": 27}}),
        (BATTERY_ON, {**ESSENTIAL, "expect": {"min": 27}, "if_not": {"id": "low", "says": "Charge it"}}),
        "essential",
    ),
    "no-indication": ((BATTERY_ON, {**TEST, "watch": "lamp.ground_ready"}), (BATTERY_ON, TEST), "test"),
    "changes-nothing": (
        ({"id": "gear", "kind": "set", "control": "gear_lever", "to": "DOWN"},),
        ({"id": "gear", "kind": "verify", "control": "gear_lever", "to": "DOWN"},),
        "gear",
    ),
    "never-applies": (
        ({**BATTERY_ON, "applies_when": "battery.main.charge < 0.2"},),
        ({**BATTERY_ON, "applies_when": "not bus.dc_essential.alive"},),
        "battery",
    ),
    "always-applies": (
        ({**BATTERY_ON, "applies_when": "battery.main.charge > 0.2"},),
        ({**BATTERY_ON, "applies_when": "not bus.dc_essential.alive"},),
        "battery",
    ),
    "comes-late": (
        (BATTERY_ON, {"id": "low", "kind": "wait", "until": "held(not bus.ac_left.alive, 4000)"}),
        (BATTERY_ON, {"id": "low", "kind": "wait", "until": "held(bus.dc_essential.alive, 2000)"}),
        "low",
    ),
    "already-there": (
        ({"id": "dark", "kind": "wait", "until": "not bus.dc_left.alive"}, BATTERY_ON),
        (BATTERY_ON, {"id": "dark", "kind": "wait", "until": "held(bus.dc_essential.alive, 5)"}),
        "dark",
    ),
    "check-uncovered": (
        (BATTERY_ON, {**ESSENTIAL, "critical": True}),
        (BATTERY_ON, {**ESSENTIAL, "critical": True, "if_not": {"id": "low", "says": "Charge it"}}),
        "essential",
    ),
    "applies-too-late": (
        (BATTERY_ON, {**ASK, "applies_when": "bus.dc_essential.alive"}),
        (BATTERY_ON, {**ASK, "applies_when": "not bus.dc_essential.alive"}),
        "ask",
    ),
    "never-binds": (
        (BATTERY_ON, ASK, READY, {**FEED, "not_before": {"item": "battery", "seconds": 20}}),
        (BATTERY_ON, ASK, READY, {**FEED, "not_before": {"item": "battery", "seconds": 200}}),
        "feed",
    ),
    "decision-uncovered": ((GAP, BATTERY_ON), (CHARGED, BATTERY_ON), "decide"),
}  # fmt: skip


@pytest.mark.parametrize("kind", CASES)
def test_is_found_where_it_is_and_only_there(kind: str) -> None:
    provokes, just_not, item = CASES[kind]
    assert (item, kind) in kinds(*provokes)
    assert kind not in {each for _, each in kinds(*just_not)}


def ending(ends_when: str | None = None, aim: str | None = None) -> set[tuple[str, str]]:
    aims = [] if aim is None else [{"id": "a", "when": aim, "says": "So."}]
    return kinds(BATTERY_ON, ESSENTIAL, ends_when=ends_when, aims=aims)


def test_how_an_exercise_ends_by_itself_and_what_it_aims_at() -> None:
    assert ending('held(control.battery_main == "ON", 5)') == set()
    assert ending('control.battery_main == "ON"') == {("essential", "ends-early")}
    assert ending("lamp.ground_ready") == {("essential", "never-ends")}
    assert ending(aim="bus.dc_essential.alive") == set()
    assert ending(aim="lamp.ground_ready") == {("essential", "aim-missed")}


def test_what_never_comes_and_what_comes_late_are_told_apart() -> None:
    low = found(BATTERY_ON, {"id": "low", "kind": "wait", "until": "held(not bus.ac_left.alive, 4000)"})
    (late,) = (finding for finding in low if finding.kind == "comes-late")
    assert late.says.startswith("It comes only at 66:4")
    high = kinds(BATTERY_ON, {"id": "high", "kind": "wait", "until": "battery.main.charge > 0.99"})
    assert ("high", "wait-never-ends") in high


def test_no_remedy_moves_a_wait_to_before_what_ended_it() -> None:
    """The cart was away at the start only: waiting for that further up would wait for nothing."""
    gone = {"id": "gone", "kind": "wait", "until": 'service.ground_power == "away"'}
    finding = next(f for f in found(BATTERY_ON, ASK, READY, gone) if f.kind == "wait-never-ends")
    assert finding.remedy is None


def test_a_limit_that_the_checklist_itself_exceeds() -> None:
    """The plug is pulled while it feeds the buses; taken off them first, nothing happens."""
    away = {**ASK, "id": "away", "action": "remove"}
    off = {**FEED, "id": "off", "to": "OFF"}
    gone = {"id": "gone", "kind": "wait", "until": 'service.ground_power == "away"'}
    hazards = [f for f in found(*POWER, away, gone) if f.kind == "limit-exceeded"]
    assert [(f.item, f.severity) for f in hazards] == [("gone", "stops")]
    assert hazards[0].at is not None and "arc" in hazards[0].says
    assert not [f for f in found(*POWER, off, away, gone) if f.kind == "limit-exceeded"]


def test_an_order_in_a_circle_and_items_that_cannot_be_told_apart() -> None:
    def problems(*items: dict[str, Any], order: str = "strict") -> list[Problem]:
        bundle = small(*items, order=order)
        checker = Checker(Source("small", {}, {(): 1}), quantities_of(bundle.airframe))
        check_order(bundle.checklists, checker)
        return checker.problems

    circle = problems({**BATTERY_ON, "after": ["essential"]}, ESSENTIAL)
    assert [each["kind"] for each in order_findings(circle)] == ["order"]
    twice = problems(BATTERY_ON, {**BATTERY_ON, "id": "again"}, order="any")
    assert order_findings(twice)[0]["item"] in ("battery", "again")
    assert problems(BATTERY_ON, {**BATTERY_ON, "id": "again"}) == []


def test_a_limit_exceeded_before_anything_can_be_done_is_told_too() -> None:
    """The very first item can never be done, and the start itself is at fault: still an answer, not an error."""
    never = {"id": "never", "kind": "wait", "until": "lamp.ground_ready"}
    begun = {"controls": {"battery_main": "ON", "wipers": "FAST"}}
    assert ("never", "limit-exceeded") in kinds(never, start=begun)


def test_a_waiver_silences_its_rule_and_no_other() -> None:
    low = {**ESSENTIAL, "expect": {"min": 27}}
    waived = {**low, "waives": [{"rule": "out-of-limits", "reason": "It is what the exercise is about."}]}
    assert ("essential", "out-of-limits") in kinds(BATTERY_ON, low)
    assert ("essential", "out-of-limits") not in kinds(BATTERY_ON, waived)
    assert kinds(BATTERY_ON, waived) == kinds(BATTERY_ON, low) - {("essential", "out-of-limits")}


def test_what_is_decided_right_after_a_reading_says_what_then() -> None:
    low = {**ESSENTIAL, "expect": {"min": 27}}
    assert ("essential", "out-of-limits") not in kinds(BATTERY_ON, low, CHARGED)
    assert ("essential", "out-of-limits") in kinds(BATTERY_ON, low, LEFT_DC, CHARGED)


def test_remedies_mend_what_they_say() -> None:
    """The dead instrument is moved behind what lights it; the pointless set becomes a look."""
    dead = next(f for f in found(BATTERY_ON, LEFT_DC, ASK, READY, FEED) if f.kind == "dead-instrument")
    assert dead.remedy is not None and dead.remedy.fields == {"move_after": "feed"}
    assert kinds(BATTERY_ON, ASK, READY, FEED, LEFT_DC) == set()
    pointless = next(f for f in found({"id": "gear", "kind": "set", "control": "gear_lever", "to": "DOWN"}))
    assert pointless.remedy is not None and pointless.remedy.fields == {"kind": "verify"}


def test_the_same_exercise_gives_the_same_proof() -> None:
    assert prove(small(*POWER, LEFT_DC)) == prove(small(*POWER, LEFT_DC))


def test_items_that_hang_on_one_condition_are_told_of_once() -> None:
    """One note, not one for each item."""
    hanging = {"applies_when": "apu.available"}
    items = [{**each, **hanging} for each in (LEFT_DC, {**LEFT_DC, "id": "again", "challenge": "Left DC, again"})]
    never = [finding for finding in found(BATTERY_ON, *items) if finding.kind == "never-applies"]
    assert [finding.item for finding in never] == ["left"]
    assert "the item and 1 more, to 'Left DC, again', never apply" in never[0].says
