"""Logs judged by hand: the verdict a human instructor would give, and why."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import LogError
from tests.flights import about, event, inserted, log_of, perfect_frost, without

Change = Callable[[list[LogEvent]], list[LogEvent]]


def judged(bundle: Bundle, events: list[LogEvent]) -> Ledger:
    return score(bundle, log_of(bundle, events)).ledger


def slips(ledger: Ledger) -> dict[str, str]:
    """Every item that applies and is not plainly done, with its verdict."""
    return {
        row.item: ("corrected" if row.corrected else row.verdict)
        for row in ledger.items
        if row.verdict not in ("done", "not-applicable") or row.corrected
    }


def moved(wanted: Callable[[LogEvent], bool], seconds: float) -> Change:
    def change(events: list[LogEvent]) -> list[LogEvent]:
        found = next(e for e in events if wanted(e))
        rest = without(events, wanted)
        return inserted(rest, LogEvent(round(seconds * 100), found.by, found.verb, found.args))

    return change


def replaced(wanted: Callable[[LogEvent], bool], **args: object) -> Change:
    def change(events: list[LogEvent]) -> list[LogEvent]:
        assert any(wanted(e) for e in events)
        return [LogEvent(e.tick, e.by, e.verb, {**e.args, **args}) if wanted(e) else e for e in events]

    return change


def test_a_flight_without_a_slip_earns_everything(frost: Bundle) -> None:
    ledger = judged(frost, perfect_frost())
    assert (ledger.outcome, ledger.percent, slips(ledger), ledger.extras, ledger.limits) == (
        "pass",
        100.0,
        {},
        (),
        (),
    )
    assert ledger.band == "Strong"
    assert (
        ledger.points.earned
        == ledger.points.possible
        == sum(i.weight for s in frost.checklists[0].sections for i in s.items)
        + frost.procedure.by_id["change-cart"].item.weight
    )


HAND_JUDGED: list[tuple[str, Change, dict[str, str]]] = [
    ("the log was never asked for", lambda e: without(e, about("confirm", item="log")), {"log": "omitted"}),
    ("wipers were not looked at; they stood right", lambda e: without(e, about("see", control="wipers")), {"wipers": "omitted"}),
    ("only one of two pumps was looked at", lambda e: without(e, about("see", control="fuel_pump_right")), {"fuel-pumps": "omitted"}),
    ("gear lever said to be UP though it was DOWN", replaced(about("see", control="gear_lever"), position="UP"), {"gear-lever": "wrong"}),
    ("flap lever put to the wrong angle", replaced(about("set", control="flap_lever"), to="8"), {"flap-lever": "wrong"}),
    ("start battery judged within limits at 24.3 V", replaced(about("call", reading=24.3), judgement="within"), {"start-at-rest": "wrong"}),
    ("main battery misread by a volt", replaced(about("call", reading=25.0), reading=24.0, judgement="below"), {"main-at-rest": "wrong"}),
    ("decided to go on with a low battery", replaced(about("decide"), branch="go-on"), {"start-decision": "wrong"}),
    ("first judged within, then put right at once", lambda e: inserted(e, event(29, "call", instrument="battery_volts", reading=24.3, judgement="within")), {"start-at-rest": "corrected"}),
    ("signs put to AUTO, seconds later to ON", lambda e: inserted(e, event(242, "set", control="seat_signs", to="AUTO")), {"signs": "corrected"}),
    ("signs only passed AUTO on the way to ON", lambda e: inserted(e, event(244.2, "set", control="seat_signs", to="AUTO")), {}),
    ("the pump was truly said to be ON before it was set OFF", lambda e: inserted(e, event(11, "see", control="hydraulic_pump", position="ON")), {}),
    ("the pump was said to be OFF while it was ON, then put right", lambda e: inserted(e, event(11, "see", control="hydraulic_pump", position="OFF")), {"hydraulic-pump": "corrected"}),
    ("charge called over before twelve minutes, and again in time", lambda e: inserted(e, event(600, "respond", item="charged")), {"charged": "corrected"}),
    ("charge called over before twelve minutes", moved(about("respond", item="charged"), 600), {"charged": "early"}),
    ("cockpit prepared in another order: any order is right", moved(about("set", control="navigation_lights"), 262), {}),
    ("essential volts called after the cart was asked for", lambda e: replaced(about("call", instrument="essential_volts"), reading=24.3)(moved(about("call", instrument="essential_volts"), 50)(e)), {"essential-volts": "out-of-order"}),
    ("cart asked for only after everything before it but late volts", moved(about("request", action="connect"), 34), {"ask-cart": "out-of-order"}),
    ("left DC judged above limits though it was dead", replaced(about("call", instrument="left_volts"), judgement="above", reading=30), {"left-dark": "wrong"}),
    ("AC volts called dead though alive", replaced(about("call", instrument="ac_volts"), judgement="dead"), {"ac-volts": "wrong"}),
    ("start battery read while the charger held it", moved(about("set", control="battery_start", to="OFF"), 992), {"start-again": "wrong"}),
    ("start battery read seconds after it came off line", moved(about("call", reading=25.4), 965), {"start-again": "wrong"}),
    ("current called while it stood at its limit", moved(about("call", instrument="battery_amps"), 1005), {"current-falls": "wrong"}),
    ("log confirmed last of all: one slip, not thirty", moved(about("confirm", item="log"), 1049), {"log": "out-of-order"}),
    ("altimeter set to the standard value", replaced(about("set", control="altimeter_setting"), to=1014), {"altimeter": "wrong"}),
    ("two hints before the frequency was called", lambda e: inserted(e, event(120, "hint", item="first-frequency", level=1), event(122, "hint", item="first-frequency", level=2)), {"first-frequency": "prompted"}),
]  # fmt: skip


@pytest.mark.parametrize(("change", "expected"), [c[1:] for c in HAND_JUDGED], ids=[c[0] for c in HAND_JUDGED])
def test_hand_judged(frost: Bundle, change: Change, expected: dict[str, str]) -> None:
    ledger = judged(frost, change(perfect_frost()))
    assert slips(ledger) == expected


def test_points_follow_the_contract(frost: Bundle) -> None:
    """Contract: corrected .75, out of order .5, early .5, wrong and omitted 0, each hint level -.25."""
    changes: dict[str, tuple[Change, float]] = {
        "signs": (lambda e: inserted(e, event(242, "set", control="seat_signs", to="AUTO")), 0.75),
        "log": (moved(about("confirm", item="log"), 1049), 1.0),
        "charged": (moved(about("respond", item="charged"), 600), 0.5),
        "first-frequency": (lambda e: inserted(e, *(event(120 + n, "hint", item="first-frequency", level=n) for n in (1, 2, 3))), 0.25),
    }  # fmt: skip
    for item, (change, earned) in changes.items():
        ledger = judged(frost, change(perfect_frost()))
        assert next(row.earned for row in ledger.items if row.item == item) == earned, item
        assert ledger.points.earned == pytest.approx(sum(row.earned for row in ledger.items))


def test_the_hazard_gates_whatever_the_points(frost: Bundle) -> None:
    """Pump left on and lever left wrong: the flaps move when AC comes. Either barrier alone prevents it."""
    pump_on = without(perfect_frost(), about("set", control="hydraulic_pump"))
    both = without(pump_on, about("set", control="flap_lever"))
    ledger = judged(frost, both)
    assert [limit.id for limit in ledger.limits] == ["flaps_moved"]
    assert ledger.limits[0].peak == pytest.approx(0, abs=0.1)
    assert 228 < ledger.limits[0].start < 240
    assert ledger.outcome == "held"
    assert ("limit", "flaps_moved") in [(gate.kind, gate.id) for gate in ledger.gates]
    for one in (pump_on, without(perfect_frost(), about("set", control="flap_lever"))):
        assert judged(frost, one).limits == ()


def test_a_missed_critical_item_holds(frost: Bundle) -> None:
    ledger = judged(frost, without(perfect_frost(), about("confirm", item="outside")))
    assert (ledger.outcome, ledger.percent) == ("held", 94.1)  # 48 of 51
    assert [gate.id for gate in ledger.gates] == ["outside"]


def test_under_the_mark_fails_and_unfinished_says_so(frost: Bundle) -> None:
    assert judged(frost, [e for e in perfect_frost() if e.tick < 4000 or e.verb == "finish"]).outcome == "fail"
    assert judged(frost, perfect_frost()[:-1]).outcome == "unfinished"


@pytest.mark.parametrize(
    ("more", "effect"),
    [
        ([event(300, "set", control="beacon", to="ON"), event(310, "set", control="beacon", to="OFF")], "undone"),
        ([event(300, "set", control="beacon", to="ON")], "deviation"),
        ([event(300, "set", control="inverter", to="ON")], "deviation"),
        ([event(300, "set", control="ground_power", to="OFF"), event(320, "set", control="ground_power", to="FEED")], "deviation"),
        ([event(300, "set", control="wipers", to="SLOW")], "deviation"),
        ([event(300, "set", control="start_left", to="START"), event(303, "set", control="start_left", to="OFF")], "hazard"),
        ([event(300, "press", control="lamp_test"), event(303, "release", control="lamp_test")], "undone"),
    ],
    ids=["beacon on and off", "beacon left on", "inverter left on", "power dropped", "wipers dry", "igniter", "lamp test"],
)  # fmt: skip
def test_extras_are_told_apart_by_what_they_did(frost: Bundle, more: list[LogEvent], effect: str) -> None:
    ledger = judged(frost, inserted(perfect_frost(), *more))
    assert [extra.effect for extra in ledger.extras] == [effect], ledger.extras
    # Power dropped for 20 s begins the twelve minutes of charge anew, so they were called over too early.
    early = more[0].args.get("control") == "ground_power"
    assert slips(ledger) == ({"charged": "early"} if early else {})
    cost = (1 if effect == "deviation" else 0) + (0.5 if early else 0)
    assert ledger.points.earned == ledger.points.possible - cost
    assert (ledger.outcome == "held") == (effect == "hazard")


def test_harmless_and_undone_extras_never_change_the_score(frost: Bundle) -> None:
    base = judged(frost, perfect_frost()).percent
    busy = inserted(
        perfect_frost(), *(event(300 + n, "set", control="beacon", to=("ON", "OFF")[n % 2]) for n in range(6))
    )
    assert judged(frost, busy).percent == base


def test_every_row_gives_one_sentence_and_its_evidence(frost: Bundle) -> None:
    ledger = judged(frost, perfect_frost())
    assert all(row.says.endswith(".") for row in ledger.items)
    row = next(row for row in ledger.items if row.item == "start-at-rest")
    assert {(e.name, e.value) for e in row.evidence} == {
        ("Battery volts", "24.3 V"),
        ("Meter shows", "START"),
    }
    assert row.says == "Showed 24.3 V, called 24.3, judged below limits."


def test_the_same_log_gives_the_same_ledger(frost: Bundle, perfect_log: RunLog) -> None:
    assert score(frost, perfect_log).ledger == score(frost, perfect_log).ledger


def test_a_log_of_another_exercise_or_of_unknown_controls_is_refused(frost: Bundle, perfect_log: RunLog) -> None:
    with pytest.raises(LogError, match="belongs to exercise 'other'"):
        score(frost, RunLog("other", perfect_log.digest, "e", perfect_log.events))
    with pytest.raises(LogError, match="there is no control 'warp'"):
        score(frost, log_of(frost, inserted(perfect_frost(), event(100, "set", control="warp", to="ON"))))
