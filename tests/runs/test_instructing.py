"""What an instructor does in a trainee's exercise: it is in the log, it replays, it is told, and it costs nothing."""

from __future__ import annotations

import json

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog, parse_log
from lumenstat.errors import ActionRefused
from lumenstat.runs.clock import Clock
from lumenstat.runs.live import LiveRun
from lumenstat.runs.telling import said_of
from lumenstat.runs.tiles import Pace, Tile, standing, tile_of
from lumenstat.simulation.flight import fly
from lumenstat.simulation.replay import Replay
from tests.runs.conftest import Wall

INJECTED = {"fault": "injected-1", "kind": "battery_weak", "target": "main", "amount": 6.0}


def log_of(live: LiveRun) -> RunLog:
    bundle = live.bundle
    return RunLog(bundle.exercise.id, bundle.digest, "test", tuple(live.log))


def finished(live: LiveRun) -> RunLog:
    live.act("trainee", "finish", {})
    return parse_log(log_of(live).text())


def test_frozen_nothing_moves_but_a_hand_and_a_button_that_springs_back(live: LiveRun, wall: Wall) -> None:
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    wall.seconds += 4
    live.act("trainee", "press", {"control": "lamp_test"})
    live.act("instructor", "freeze", {})
    frozen_at = live.clock.now()
    wall.seconds += 60
    assert live.clock.now() == frozen_at and live.advance() == []
    for verb, args in (("set", {"control": "battery_main", "to": "OFF"}), ("finish", {}), ("confirm", {"item": "log"})):
        with pytest.raises(ActionRefused, match="frozen"):
            live.act("trainee", verb, args)
    live.act("trainee", "hand", {"up": True})
    live.act("trainee", "release", {"control": "lamp_test"})
    with pytest.raises(ActionRefused, match="frozen already"):
        live.act("instructor", "freeze", {})
    live.act("instructor", "resume", {})
    wall.seconds += 1
    assert live.clock.now() == frozen_at + 100
    assert [event.tick for event in live.log[-3:]] == [frozen_at] * 3


def test_a_frozen_run_comes_back_frozen_and_goes_on_from_there(frost: Bundle, live: LiveRun, wall: Wall) -> None:
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    wall.seconds += 4
    live.act("instructor", "freeze", {})
    again = LiveRun("r", frost, live.log, live.clock.now())
    assert again.frozen and not again.clock.running and again.clock.now() == live.clock.now()


def test_started_together_everybody_waits_for_the_word(frost: Bundle, wall: Wall) -> None:
    run = LiveRun("r", frost, [LogEvent(0, "instructor", "freeze")])
    run.clock = Clock(wall=wall)
    with pytest.raises(ActionRefused, match="frozen"):
        run.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    run.act("trainee", "hand", {"up": True})
    wall.seconds += 30
    assert run.clock.now() == 0
    run.act("instructor", "resume", {})
    wall.seconds += 2
    assert run.clock.now() == 200


def test_what_the_instructor_does_before_the_first_act_starts_no_clock(live: LiveRun, wall: Wall) -> None:
    live.act("instructor", "say", {"text": "Good morning"})
    live.act("instructor", "note", {"text": "late"})
    wall.seconds += 50
    assert live.clock.now() == 0


def test_everything_that_moves_is_told_and_what_is_to_be_found_is_not(live: LiveRun) -> None:
    live.act("instructor", "set", {"control": "wipers", "to": "SLOW"})
    live.act("instructor", "point", {"part": "battery_volts"})
    live.act("instructor", "fault", INJECTED)
    live.act("instructor", "note", {"text": "watch the meter"})
    live.act("instructor", "hand-over", {"to": "Casimir"})
    live.act("instructor", "give", {"item": "log", "credit": "none"})
    said = [word.says for word in live.words]
    assert said == [
        "Your instructor set 'Wipers' to SLOW.",
        "Your instructor points at 'Battery volts'.",
        "Casimir is your instructor from here on.",
        "Your instructor skipped 'Technical log'.",
    ]
    assert [event.by for event in live.log] == ["instructor"] * 6
    with pytest.raises(ActionRefused, match="no part 'nose'"):
        live.act("instructor", "point", {"part": "nose"})
    with pytest.raises(ActionRefused, match="cannot be done from here"):
        live.act("trainee", "give", {"item": "log", "credit": "full"})


def test_any_fault_that_the_airframe_knows_can_be_injected_now_or_when_a_state_comes(
    frost: Bundle, live: LiveRun, wall: Wall
) -> None:
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    wall.seconds += 5
    live.advance()
    before = live.aircraft.state()["bus.dc_essential.volts"]
    live.act("instructor", "fault", INJECTED)
    assert ("battery_weak", "main") in live.aircraft.faults.active
    wall.seconds += 5
    live.advance()
    assert live.aircraft.state()["bus.dc_essential.volts"] < before - 0.2  # type: ignore[operator]
    waits = {"fault": "later", "kind": "bulb_dead", "target": "apu_available", "when": "service.ground_power == 'in'"}
    with pytest.raises(ActionRefused, match="no target 'door'"):
        live.act("instructor", "fault", {**waits, "target": "door"})
    with pytest.raises(ActionRefused, match="comparator"):
        live.act("instructor", "fault", {**waits, "when": "bus.dc_essential.volts < 20"})
    with pytest.raises(ActionRefused, match=r"fault\.kind"):
        live.act("instructor", "fault", {**waits, "kind": "gremlins"})
    with pytest.raises(ActionRefused, match="no fault 'nobody'"):
        live.act("instructor", "clear", {"fault": "nobody"})
    live.act("instructor", "fault", {**waits, "when": "guard.dc_tie"})
    assert ("bulb_dead", "apu_available") not in live.aircraft.faults.active
    live.act("trainee", "guard", {"control": "dc_tie", "open": True})
    assert ("bulb_dead", "apu_available") in live.aircraft.faults.active
    live.act("instructor", "clear", {"fault": "injected-1"})
    assert dict(tile_of(live).faults) == {"later": "Dead bulb: APU, Available"}
    replay = Replay(frost, tuple(live.log))
    for tick in (live.aircraft.tick, 100, live.aircraft.tick):
        there = dict(replay.at(tick).state)
    assert there["lamp.apu_available"] == live.aircraft.state()["lamp.apu_available"], "back and forth"
    replayed = fly(frost, live.log, end=live.aircraft.tick)
    assert replayed.aircraft.d == live.aircraft.d and replayed.aircraft.x == live.aircraft.x, "to the last bit"


def test_an_item_that_is_given_is_done_by_the_instructors_hand_and_counts_as_said(
    live: LiveRun, wall: Wall, frost: Bundle
) -> None:
    live.act("trainee", "confirm", {"item": "log"})
    for name, credit in (("main-on", "full"), ("wipers", "half"), ("gear", "none"), ("outside", "out")):
        if name in frost.procedure.by_id:
            wall.seconds += 1
            live.act("instructor", "give", {"item": name, "credit": credit})
    on = next(step.item for step in frost.procedure.steps if step.item.id == "main-on")
    assert live.aircraft.state()[f"control.{on.all_controls[0]}"] == "ON"
    ledger = score(frost, finished(live)).ledger
    rows = {row.item: row for row in ledger.items}
    assert (rows["main-on"].verdict, rows["main-on"].earned) == ("done", rows["main-on"].possible)
    assert rows["wipers"].verdict == "prompted" and rows["wipers"].earned == rows["wipers"].possible / 2
    assert rows["outside"].verdict == "not-applicable" and rows["outside"].possible == 0
    assert "instructor" in rows["main-on"].says
    assert not [extra for extra in ledger.extras if extra.control == on.all_controls[0]], "and is no extra"


def test_a_limit_that_the_instructors_hand_brought_costs_nothing(live: LiveRun, wall: Wall, frost: Bundle) -> None:
    """A start switch on the ramp with people about is a hazard, whoever's hand is on it; it holds the trainee's only."""
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    wall.seconds += 2
    live.act("instructor", "set", {"control": "start_left", "to": "START"})
    wall.seconds += 4
    live.advance()
    live.act("instructor", "set", {"control": "start_left", "to": "OFF"})
    instructors = score(frost, finished(live)).ledger
    trainees = tuple(LogEvent(event.tick, "trainee", event.verb, event.args) for event in live.log)
    own = score(frost, RunLog(frost.exercise.id, frost.digest, "test", trainees)).ledger
    assert (
        [row.id for row in own.limits]
        == [row.id for row in instructors.limits]
        == ["cranked_near_people", "igniter_live"]
    )
    assert {row.severity for row in instructors.limits} == {"waived"} and {row.severity for row in own.limits} == {
        "hazard"
    }
    assert "limit" in {gate.kind for gate in own.gates} and "limit" not in {gate.kind for gate in instructors.gates}
    assert not instructors.extras and own.extras


def test_a_wait_is_sped_up_by_the_instructor_in_any_exercise_and_only_a_wait(live: LiveRun, wall: Wall) -> None:
    assert live.bundle.exercise.time_lapse == "waits"
    live.act("trainee", "confirm", {"item": "log"})
    with pytest.raises(ActionRefused, match="nothing to do but wait"):
        live.act("instructor", "rate", {"times": 5})
    live.act("trainee", "request", {"service": "ground_power", "action": "connect"})
    live.act("instructor", "rate", {"times": 5})
    wall.seconds += 2
    assert live.clock.now() == 1000
    live.act("instructor", "say", {"text": "Take your time"})
    assert live.clock.rate == 5, "a word does not slow it down"


def test_a_tile_tells_how_somebody_stands(live: LiveRun, wall: Wall) -> None:
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    wall.seconds += 95
    live.advance()
    tile = tile_of(live)
    assert tile.zones["dc_essential"] == "live" and tile.zones["ac_left"] == "dead"
    assert (tile.slips, tile.done, tile.item) == (1, 1, live.card.current.id if live.card.current else None)
    assert tile.idle == pytest.approx(95)
    assert standing(tile, None).stuck and standing(tile, None).behind is None
    names = [step.item.id for step in live.card.procedure.steps]
    pace = Pace({n: 10.0 * k for k, n in enumerate(names)}, {n: 10.0 * k + 10 for k, n in enumerate(names)}, 300)
    stands = standing(tile, pace)
    assert stands.behind == pytest.approx(95 - 20) and stands.stuck and stands.needs == pytest.approx(10)
    assert Tile.from_message(json.loads(json.dumps(tile.message()))) == tile, "it goes from process to process"
    live.act("instructor", "freeze", {})
    assert not standing(tile_of(live), pace).stuck


def test_every_event_has_words(live: LiveRun, frost: Bundle, perfect_events: list[LogEvent]) -> None:
    more = [
        LogEvent(0, "instructor", "fault", INJECTED),
        LogEvent(0, "instructor", "hand-over", {"to": "Casimir"}),
        LogEvent(0, "instructor", "skip", {"seconds": 3}),
        LogEvent(0, "trainee", "hint", {"item": "log", "level": 1}),
        LogEvent(0, "instructor", "give", {"item": "log", "credit": "half"}),
        LogEvent(0, "trainee", "acknowledge", {"caution": "hot"}),
    ]
    said = [said_of(event, frost) for event in [*perfect_events, *more]]
    assert all(said)
    assert said[-6:] == [
        "Fault: Weak battery: Main battery",
        "Handed over to Casimir",
        "3 s passed over",
        "1 Technical log: hint 1 taken",
        "1 Technical log: given, half credit",
        "Caution marked seen: hot",
    ]
