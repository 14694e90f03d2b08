"""Logs judged by hand as an examiner would: who is blamed, for what, and what is left alone."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Aim
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import LogError
from tests.assessment.test_language import BASE
from tests.assessment.test_scoring import judged, slips
from tests.assessment.test_shipped import EXERCISES
from tests.flights import PERFECT, about, event, inserted, log_of, perfect_frost, rehearsed, without

Items = list[dict[str, Any]]


def sections(*each: dict[str, Any], aims: tuple[Aim, ...] = (), **start: Any) -> Bundle:
    """An exercise of these sections; challenge and response are made up where they are not given."""
    written = []
    for n, section in enumerate(each):
        items = [{"challenge": item["id"].title(), "response": "So", **item} for item in section["items"]]
        written.append({"id": f"s{n}", "title": f"Section {n}", **section, "items": items})
    checklist = Checklist.model_validate(
        {
            "format": "lumenstat/checklist/1", "id": "it", "name": "It", "airframe": "rowan-r2", "procedure_set": "Test",
            "version": "1", "sections": written,
        }
    )  # fmt: skip
    begun = BASE.exercise.start.model_copy(update=start)
    exercise = BASE.exercise.model_copy(update={"checklists": ("it",), "start": begun, "aims": aims, "bands": ()})
    return Bundle(BASE.airframe, (checklist,), exercise)


def strict(*items: dict[str, Any], **more: Any) -> Bundle:
    return sections({"order": "strict", "items": list(items)}, **more)


def judge(bundle: Bundle, *events: LogEvent, end: float = 200) -> Ledger:
    return score(bundle, log_of(bundle, [*events, event(end, "finish")])).ledger


def verdicts(ledger: Ledger) -> dict[str, str]:
    return {row.item: "corrected" if row.corrected else row.verdict for row in ledger.items}


def setting(name: str, control: str, to: str, **more: Any) -> dict[str, Any]:
    return {"id": name, "kind": "set", "control": control, "to": to, **more}


BATTERY = setting("battery", "battery_main", "ON")
LIGHTS = setting("lights", "navigation_lights", "ON")
SIGNS = setting("signs", "seat_signs", "ON")
FIRE = {"id": "fire", "kind": "hold", "control": "fire_test", "seconds": 1, "critical": True}
MASTER = setting("master", "apu_master", "ON")
VOLTS = {
    "id": "volts", "kind": "check", "instrument": "battery_volts", "expect": {"min": 20.0}, "read_tolerance": 0.2,
    "moment": {"when": 'control.meter_selector == "MAIN"', "says": "the meter at MAIN"},
}  # fmt: skip
METER = event(4, "set", control="meter_selector", to="MAIN")


def put(seconds: float, control: str, to: str) -> LogEvent:
    return event(seconds, "set", control=control, to=to)


def held(seconds: float, control: str = "fire_test") -> list[LogEvent]:
    return [event(seconds, "press", control=control), event(seconds + 1.5, "release", control=control)]


def call(seconds: float, judgement: str = "within", reading: float = 25.3) -> LogEvent:
    return event(seconds, "call", instrument="battery_volts", reading=reading, judgement=judgement)


def says_of(ledger: Ledger, item: str) -> str:
    return next(row.says for row in ledger.items if row.item == item)


# ---- who is blamed -------------------------------------------------------------------------------------------


def test_what_was_done_too_soon_is_blamed_and_the_late_critical_item_gates() -> None:
    exercise = strict(BATTERY, FIRE, {**MASTER, "weight": 5}, LIGHTS)
    late = judge(
        exercise,
        put(5, "battery_main", "ON"),
        put(8, "apu_master", "ON"),
        *held(12),
        put(20, "navigation_lights", "ON"),
    )
    assert verdicts(late) == {"battery": "done", "fire": "done", "master": "out-of-order", "lights": "done"}
    assert [(gate.kind, gate.id) for gate in late.gates] == [("item", "fire")]
    assert late.gates[0].says == "Fire: Done at 0:12, only after 'Master' (0:08), which has to wait for it."
    assert late.outcome_words == "Not passed: critical item missed, below 75 %"
    assert says_of(late, "master").startswith("Done at 0:08, before 'Fire' (0:12), which comes first.")


def test_a_critical_item_done_last_of_all_is_one_slip_and_gates() -> None:
    exercise = strict(BATTERY, FIRE, MASTER, LIGHTS, SIGNS)
    acts = [
        put(5, "battery_main", "ON"),
        put(8, "apu_master", "ON"),
        put(10, "navigation_lights", "ON"),
        put(12, "seat_signs", "ON"),
    ]
    late = judge(exercise, *acts, *held(20))
    assert [item for item, verdict in verdicts(late).items() if verdict != "done"] == ["fire"]
    assert [gate.id for gate in late.gates] == ["fire"]
    assert says_of(late, "fire").startswith("Done at 0:20, only after 'Master' (0:08), which comes later.")


def test_weights_decide_nothing_about_who_is_blamed() -> None:
    for weights in ((1, 5), (5, 1)):
        exercise = strict({**LIGHTS, "weight": weights[0]}, {**SIGNS, "weight": weights[1]})
        swapped = judge(exercise, put(5, "seat_signs", "ON"), put(9, "navigation_lights", "ON"))
        assert verdicts(swapped) == {"lights": "done", "signs": "out-of-order"}


# ---- the attempt that counts ---------------------------------------------------------------------------------


def test_a_start_pressed_too_early_and_lost_then_pressed_right_is_one_item_corrected() -> None:
    name = "battery-and-apu"
    events = PERFECT[name]()
    press = next(e for e in events if about("press", control="apu_start")(e))
    release = next(e for e in events if about("release", control="apu_start")(e))
    early = [LogEvent(e.tick - 700, e.by, e.verb, e.args) for e in (press, release)]
    ledger = judged(Library().bundle(EXERCISES[name]), inserted(events, *early))
    assert {item: slip for item, slip in slips(ledger).items() if slip != "not-applicable"} == {"start": "corrected"}
    assert [extra for extra in ledger.extras if extra.effect != "harmless"] == []
    row = next(row for row in ledger.items if row.item == "start")
    assert (row.verdict, row.earned / row.possible) == ("done", 0.75)
    assert "that press was lost" in row.says and "at least 8 s have to pass" in row.says
    assert "Put right at" in row.says


# ---- where a section begins ----------------------------------------------------------------------------------

ALIVE = {"applies_when": "bus.dc_essential.alive"}


def conditional() -> Bundle:
    first = {"items": [BATTERY, setting("signs-off", "seat_signs", "OFF")]}
    return sections(first, {"items": [{**SIGNS, **ALIVE}, {**LIGHTS, **ALIVE}]})


def test_a_section_begins_with_its_own_first_act_not_with_one_on_a_control_it_also_uses() -> None:
    ledger = judge(
        conditional(),
        put(3, "seat_signs", "OFF"),
        put(5, "battery_main", "ON"),
        put(9, "seat_signs", "ON"),
        put(12, "navigation_lights", "ON"),
    )
    found = verdicts(ledger)
    assert (found["signs"], found["lights"]) == ("done", "done")
    assert ledger.extras == ()


def test_what_does_not_apply_when_its_section_begins_is_left_out() -> None:
    ledger = judge(
        conditional(), put(3, "seat_signs", "OFF"), put(9, "seat_signs", "ON"), put(12, "navigation_lights", "ON")
    )
    found = verdicts(ledger)
    assert (found["battery"], found["signs"], found["lights"]) == ("omitted", "not-applicable", "not-applicable")


# ---- doing is looking ----------------------------------------------------------------------------------------

PUMP = {"id": "pump", "kind": "verify", "control": "hydraulic_pump", "to": "OFF"}
PUMP_ON = {"controls": {"hydraulic_pump": "ON"}}


def test_a_control_that_is_put_right_was_looked_at() -> None:
    ledger = judge(strict(PUMP, LIGHTS, **PUMP_ON), put(5, "hydraulic_pump", "OFF"), put(9, "navigation_lights", "ON"))
    assert verdicts(ledger) == {"pump": "done", "lights": "done"}
    assert "put to OFF" in ledger.items[0].says
    assert ledger.extras == ()


def test_saying_so_after_putting_it_right_costs_nothing() -> None:
    seen = event(20, "see", control="hydraulic_pump", position="OFF")
    ledger = judge(
        strict(PUMP, LIGHTS, **PUMP_ON), put(5, "hydraulic_pump", "OFF"), put(9, "navigation_lights", "ON"), seen
    )
    assert verdicts(ledger) == {"pump": "done", "lights": "done"}


def test_moving_it_away_and_back_is_an_extra_and_no_look() -> None:
    ledger = judge(
        strict(PUMP, LIGHTS),
        put(5, "hydraulic_pump", "ON"),
        put(7, "hydraulic_pump", "OFF"),
        put(9, "navigation_lights", "ON"),
    )
    assert verdicts(ledger)["pump"] == "omitted"
    assert ledger.items[0].says == "Never seen at OFF, though it was put back there at 0:07."
    assert [extra.effect for extra in ledger.extras] == ["undone"]


# ---- guards, lines, selectors --------------------------------------------------------------------------------

TIE = setting("tie", "dc_tie", "OPEN")


def guard(seconds: float, up: bool) -> LogEvent:
    return event(seconds, "guard", control="dc_tie", open=up)


def test_a_guard_that_an_item_needs_belongs_to_it() -> None:
    assert judge(strict(TIE), guard(5, True), put(6, "dc_tie", "OPEN"), guard(7, False)).extras == ()
    assert judge(strict(TIE, LIGHTS), guard(5, True), put(9, "navigation_lights", "ON")).extras == ()


def test_a_guard_that_an_item_needs_stays_its_own_whatever_else_is_moved() -> None:
    stray = put(8, "hydraulic_pump", "ON")
    extras = judge(strict(TIE), guard(5, True), put(6, "dc_tie", "OPEN"), guard(7, False), stray).extras
    assert [extra.control for extra in extras] == ["hydraulic_pump"]


def test_a_guard_and_its_switch_moved_wrongly_are_one_extra() -> None:
    ledger = judge(
        strict(LIGHTS), put(2, "navigation_lights", "ON"), guard(5, True), put(6, "dc_tie", "OPEN"), guard(7, False)
    )
    assert [(extra.effect, extra.t) for extra in ledger.extras] == [("deviation", 6.0)]


def test_a_line_with_one_of_two_moved_is_one_slip() -> None:
    both = {"id": "pumps", "kind": "set", "controls": ["fuel_pump_left", "fuel_pump_right"], "to": "ON"}
    ledger = judge(strict(both, LIGHTS), put(5, "fuel_pump_left", "ON"), put(9, "navigation_lights", "ON"))
    assert (verdicts(ledger), ledger.extras) == ({"pumps": "omitted", "lights": "done"}, ())
    assert ledger.items[0].says == "Only Pump left was set to ON; Pump right was not."


def test_a_selector_that_was_not_parked_is_omitted_and_never_wrong() -> None:
    park = setting("park", "meter_selector", "OFF")
    ledger = judge(strict(VOLTS, park), METER, call(8), put(9, "meter_selector", "START"))
    assert verdicts(ledger) == {"volts": "done", "park": "omitted"}
    assert ledger.extras == ()
    assert ledger.items[1].says == "Never set to OFF; it was put to START at 0:09 and left there."


# ---- extras --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("control", "to"), [("parking_brake", "OFF"), ("beacon", "ON"), ("transponder", "STBY")])
def test_what_was_left_elsewhere_is_a_deviation_though_nothing_came_of_it(control: str, to: str) -> None:
    ledger = judge(strict(LIGHTS), put(5, "navigation_lights", "ON"), put(9, control, to))
    assert [(extra.control, extra.effect) for extra in ledger.extras] == [(control, "deviation")]
    stood = BASE.airframe.controls[control].usual
    assert ledger.extras[0].says.endswith(f"it stood at {stood} before and was left at {to}.")


def test_moved_twice_and_left_is_one_deviation() -> None:
    ledger = judge(
        strict(LIGHTS), put(5, "navigation_lights", "ON"), put(9, "seat_signs", "ON"), put(12, "seat_signs", "AUTO")
    )
    assert [extra.effect for extra in ledger.extras] == ["deviation"]


def test_the_act_that_took_power_away_is_blamed_not_the_one_that_gave_it_back() -> None:
    frost = inserted(perfect_frost(), put(300, "ground_power", "OFF"), put(320, "ground_power", "FEED"))
    extras = judged(Library().bundle(EXERCISES["frost-on-the-ramp"]), frost).extras
    assert [(extra.t, extra.effect) for extra in extras] == [(300.0, "deviation")]
    assert "was dead 20.0 s longer" in extras[0].says


def test_a_right_call_repeated_costs_nothing() -> None:
    ledger = judge(strict(VOLTS, LIGHTS), METER, call(8), call(9), put(12, "navigation_lights", "ON"), call(15))
    assert (ledger.percent, verdicts(ledger), ledger.extras) == (100.0, {"volts": "done", "lights": "done"}, ())


# ---- the last word -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("calls", "verdict"),
    [
        (("below", "within"), "corrected"),
        (("within", "below"), "wrong"),
        (("within", "below", "within"), "corrected"),
        (("below", "within", "below"), "wrong"),
    ],
)
def test_the_last_word_counts_for_calls(calls: tuple[str, ...], verdict: str) -> None:
    said = [call(8 + n, each) for n, each in enumerate(calls)]
    ledger = judge(strict(VOLTS, LIGHTS), METER, *said, put(30, "navigation_lights", "ON"))
    assert verdicts(ledger) == {"volts": verdict, "lights": "done"}


CHOICE = {
    "id": "choice", "kind": "decide",
    "branches": [
        {"id": "go", "when": "battery.main.volts > 20", "says": "Go on"},
        {"id": "stay", "when": "battery.main.volts <= 20", "says": "Stay"},
    ],
}  # fmt: skip


@pytest.mark.parametrize(("chosen", "verdict"), [("stay go", "corrected"), ("go stay", "wrong")])
def test_the_last_word_counts_for_decisions(chosen: str, verdict: str) -> None:
    said = [event(8 + n, "decide", item="choice", branch=branch) for n, branch in enumerate(chosen.split())]
    assert verdicts(judge(strict(CHOICE, LIGHTS), *said, put(30, "navigation_lights", "ON")))["choice"] == verdict


@pytest.mark.parametrize(("said", "verdict"), [(("ON", "OFF"), "corrected"), (("OFF", "ON"), "wrong")])
def test_the_last_word_counts_for_what_is_looked_at(said: tuple[str, str], verdict: str) -> None:
    looks = [event(8 + n, "see", control="hydraulic_pump", position=each) for n, each in enumerate(said)]
    assert verdicts(judge(strict(PUMP, LIGHTS), *looks, put(30, "navigation_lights", "ON")))["pump"] == verdict


def test_said_to_be_there_but_not_coming_is_wrong_and_too_soon_is_early() -> None:
    alive = {"id": "alive", "kind": "wait", "until": "held(bus.dc_essential.alive, 60)"}
    said = event(20, "respond", item="alive")
    never = judge(strict(alive), said)
    assert (verdicts(never), never.items[0].says) == (
        {"alive": "wrong"},
        "'Alive: So' was said, but it was not so and was not coming.",
    )
    soon = judge(strict(BATTERY, alive), put(5, "battery_main", "ON"), said, end=30)
    assert verdicts(soon)["alive"] == "early"
    assert "would have been so at 1:05" in soon.items[1].says


# ---- flow, then check ----------------------------------------------------------------------------------------


def flow() -> Bundle:
    return sections({"style": "flow-then-check", "order": "any", "items": [LIGHTS, SIGNS]})


def answers(*items: str) -> list[LogEvent]:
    return [event(20 + n, "respond", item=item) for n, item in enumerate(items)]


FLOWN = (put(5, "navigation_lights", "ON"), put(8, "seat_signs", "ON"))


def test_in_a_flow_the_answers_are_judged() -> None:
    assert verdicts(judge(flow(), *FLOWN, *answers("lights", "signs"))) == {"lights": "done", "signs": "done"}
    one = judge(flow(), *FLOWN, *answers("lights"))
    assert verdicts(one) == {"lights": "done", "signs": "omitted"}
    assert one.items[1].says == "It was done at 0:08, but nobody answered when the check was read."
    false = judge(flow(), *FLOWN, put(15, "seat_signs", "AUTO"), *answers("lights", "signs"))
    assert verdicts(false) == {"lights": "done", "signs": "wrong"}
    assert "Seat signs stood at AUTO" in false.items[1].says


def test_a_check_that_was_never_read_is_one_slip() -> None:
    ledger = judge(flow(), *FLOWN)
    assert verdicts(ledger) == {"lights": "omitted", "signs": "done"}
    assert "the check of 'Section 0' was never read" in ledger.items[0].says


# ---- how it ends ---------------------------------------------------------------------------------------------


def test_a_run_that_ends_early_says_so_once() -> None:
    frost = Library().bundle(EXERCISES["frost-on-the-ramp"])
    short = [e for e in perfect_frost() if e.tick < 4000]
    ledger = score(frost, log_of(frost, [*short, event(41, "finish")])).ledger
    assert ledger.ending == "Ended at 0:41 after 'Main battery'; 19 items not reached."
    left = [row for row in ledger.items if not row.reached]
    assert len(left) == 19
    assert {(row.verdict, row.says) for row in left} == {("omitted", "Not reached.")}
    assert ledger.time is not None
    assert ledger.time.needed < 60


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda e: e, "Passed"),
        (lambda e: without(e, about("confirm", item="outside")), "Not passed: critical item missed"),
        (lambda e: without(without(e, about("set", control="hydraulic_pump")), about("set", control="flap_lever")), "Not passed: hazard, critical item missed, aim missed"),
        (lambda e: [x for x in e if x.tick < 4000 or x.verb == "finish"], "Not passed: critical item missed, aim missed, below 75 %"),
        (lambda e: e[:-1], "Not finished"),
    ],
)  # fmt: skip
def test_words_that_cannot_be_misread(change: Any, words: str) -> None:
    ledger = judged(Library().bundle(EXERCISES["frost-on-the-ramp"]), change(perfect_frost()))
    assert ledger.outcome_words == words
    assert (ledger.band is None) == (words != "Passed")


def test_below_the_mark_names_the_mark() -> None:
    ledger = judge(strict(LIGHTS, SIGNS, BATTERY), put(5, "navigation_lights", "ON"))
    assert ledger.outcome_words == f"Not passed: below {BASE.exercise.pass_mark:g} %"


def aim(gating: bool) -> Aim:
    return Aim(id="off", when='control.battery_main == "OFF"', says="The battery is off.", gating=gating)


@pytest.mark.parametrize("gating", [True, False])
def test_an_aim_that_is_missed(gating: bool) -> None:
    exercise = strict(BATTERY, aims=(aim(gating),))
    ledger = judge(exercise, put(5, "battery_main", "ON"))
    assert [(row.id, row.met) for row in ledger.aims] == [("off", False)]
    assert ledger.outcome_words == ("Not passed: aim missed" if gating else "Passed")
    assert ledger.percent == 100.0
    put_off = judge(exercise, put(5, "battery_main", "ON"), put(9, "battery_main", "OFF"))
    assert [row.met for row in put_off.aims] == [True]


# ---- a stop --------------------------------------------------------------------------------------------------

STOP = {
    "id": "choice", "kind": "decide", "critical": True,
    "branches": [
        {"id": "go", "when": "battery.main.volts > 30", "says": "Go on"},
        {"id": "stop", "when": "battery.main.volts <= 30", "says": "Not under power: tell the engineer", "stop": True,
         "items": [{"id": "placard", "kind": "confirm", "challenge": "Placard", "response": "Set", "statement": "The placard hangs."}]},
    ],
}  # fmt: skip
STOPPED = event(8, "decide", item="choice", branch="stop")
PLACARD = event(12, "confirm", item="placard")


def test_where_it_is_to_stop_what_comes_after_does_not_count() -> None:
    ledger = judge(strict(STOP, BATTERY, LIGHTS), STOPPED, PLACARD)
    assert verdicts(ledger) == {
        "choice": "done",
        "placard": "done",
        "battery": "not-applicable",
        "lights": "not-applicable",
    }
    assert (ledger.percent, ledger.outcome) == (100.0, "pass")
    assert ledger.items[2].says == "Did not apply: the exercise was to stop at 'Choice'."
    assert verdicts(judge(strict(STOP, BATTERY), STOPPED))["placard"] == "omitted"


def test_going_on_all_the_same_is_the_one_slip() -> None:
    on = [put(20, "battery_main", "ON"), put(25, "navigation_lights", "ON")]
    wrong = judge(strict(STOP, BATTERY, LIGHTS), event(8, "decide", item="choice", branch="go"), PLACARD, *on)
    assert (verdicts(wrong)["choice"], wrong.extras, [g.id for g in wrong.gates]) == ("wrong", (), ["choice"])
    after = judge(strict(STOP, BATTERY, LIGHTS), STOPPED, PLACARD, *on)
    assert (verdicts(after)["choice"], after.extras, [g.id for g in after.gates]) == ("wrong", (), ["choice"])
    assert after.items[0].says.endswith("Yet at 0:20 the crew went on, where the exercise was to stop.")


# ---- logs that cannot be ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("bad", "says"),
    [
        (event(60, "confirm", item="warp"), r"line 24: at 60.00 s: there is no item 'warp'"),
        (
            event(60, "decide", item="start-decision", branch="fly"),
            r"'start-decision' has no branch 'fly'; there is charge",
        ),
        (event(60, "release", control="fire_test"), r"'fire_test' is let go, but nobody was pressing it"),
    ],
)
def test_a_log_that_cannot_be_is_refused_with_line_and_time(bad: LogEvent, says: str) -> None:
    frost = Library().bundle(EXERCISES["frost-on-the-ramp"])
    with pytest.raises(LogError, match=says):
        judged(frost, inserted(perfect_frost(), bad))


# ---- an act that was asked for, done so early that it brought a limit ------------------------------------------


def test_an_act_that_brought_a_limit_by_coming_too_early_is_early() -> None:
    """The wait for 22 percent is answered at once and the fuel follows: both too early, and the engine pays for it."""
    name = "apu-out-air-cart"
    exercise, events = Library().bundle(EXERCISES[name]), rehearsed(name)()
    start = next(e.tick for e in events if about("set", control="start_left", to="START")(e))
    turned = about("respond", item="turns-left")
    fed = about("set", control="fuel_lever_left", to="FEED")
    rest = [e for e in events if not turned(e) and not fed(e)]
    answer = LogEvent(start + 150, "trainee", "respond", {"item": "turns-left"})
    fuel = LogEvent(start + 300, "trainee", "set", {"control": "fuel_lever_left", "to": "FEED"})
    ledger = judged(exercise, inserted(rest, answer, fuel))
    row = next(row for row in ledger.items if row.item == "feed-left")
    assert row.verdict == "early"
    assert "too early. It brought" in row.says
    assert "it would not have" in row.says
    assert slips(ledger)["turns-left"] == "early"
    assert judged(exercise, events).limits == ()
