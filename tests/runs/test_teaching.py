"""Teaching modes: guided goes on only when a step is there and is left; coached says a slip at once; flows come first."""

from __future__ import annotations

from pathlib import Path

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.errors import ActionRefused
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.runs.clock import Clock
from lumenstat.runs.live import LiveRun
from tests.flights import log_of
from tests.runs.conftest import Wall


def open_run(name: str, wall: Wall, assist: str | None = None) -> LiveRun:
    bundle = Library().bundle(next(path for path in shipped_exercises() if path.stem == name))
    if assist:
        exercise = bundle.exercise.model_copy(update={"assist": assist})
        bundle = Bundle(bundle.airframe, bundle.checklists, exercise)
    run = LiveRun("r", bundle)
    run.clock = Clock(wall=wall)
    return run


def act(run: LiveRun, wall: Wall, verb: str, **args: object) -> None:
    wall.seconds += 1
    run.advance()
    run.act("trainee", verb, args)


@pytest.fixture
def wall() -> Wall:
    return Wall()


@pytest.fixture
def guided(wall: Wall) -> LiveRun:
    return open_run("guided-power-up", wall)


def current(run: LiveRun) -> str | None:
    return run.card.current.id if run.card.current else None


def test_guided_goes_on_only_when_it_is_there_and_the_trainee_says_so(guided: LiveRun, wall: Wall) -> None:
    act(guided, wall, "confirm", item="log")
    act(guided, wall, "confirm", item="outside")
    assert current(guided) == "hydraulic-pump"
    with pytest.raises(ActionRefused, match="is not done yet: OFF"):
        guided.act("trainee", "respond", {"item": "hydraulic-pump"})
    act(guided, wall, "see", control="hydraulic_pump", position="OFF")
    assert (current(guided), guided.card.ready) == ("hydraulic-pump", "hydraulic-pump")
    act(guided, wall, "respond", item="hydraulic-pump")
    assert (current(guided), guided.card.ready) == ("flap-lever", None)


def test_guided_says_that_a_step_is_put_right(guided: LiveRun, wall: Wall) -> None:
    for item in ("log", "outside"):
        act(guided, wall, "confirm", item=item)
    act(guided, wall, "see", control="hydraulic_pump", position="ON")
    wrong = guided.words[-1]
    assert wrong.item == "hydraulic-pump"
    act(guided, wall, "see", control="hydraulic_pump", position="OFF")
    assert guided.words[-1].says == "'Electric hydraulic pump' has been put right."
    act(guided, wall, "see", control="hydraulic_pump", position="OFF")
    assert guided.words[-1].says == "'Electric hydraulic pump' has been put right.", "said once"
    assert len(guided.words) == 2


def test_guided_calls_out_acting_ahead_and_keeps_it_in_the_log(guided: LiveRun, wall: Wall) -> None:
    act(guided, wall, "confirm", item="log")
    act(guided, wall, "set", control="battery_main", to="ON")
    said = guided.words[-1].says
    assert said.startswith("That is 'Main battery';")
    note = guided.log[-1]
    assert (note.by, note.verb, note.args["text"]) == ("instructor", "note", f"called out: {said}")
    assert current(guided) == "outside"
    with pytest.raises(ActionRefused, match="Another step is open"):
        guided.act("trainee", "respond", {"item": "main-on"})


def test_guided_says_what_is_wrong_with_a_step_and_waits_for_the_right_one(guided: LiveRun, wall: Wall) -> None:
    for item in ("log", "outside"):
        act(guided, wall, "confirm", item=item)
    for item, control, position in (
        ("hydraulic-pump", "hydraulic_pump", "OFF"), ("flap-lever", "flap_lever", "0"), ("gear-lever", "gear_lever", "DOWN"),
    ):  # fmt: skip
        act(guided, wall, "see", control=control, position=position)
        act(guided, wall, "respond", item=item)
    for side in ("left", "right"):
        act(guided, wall, "see", control=f"fuel_lever_{side}", position="SHUT")
    act(guided, wall, "respond", item="fuel-levers")
    for side in ("left", "right"):
        act(guided, wall, "see", control=f"start_{side}", position="OFF")
    act(guided, wall, "respond", item="start-switches")
    act(guided, wall, "see", control="wipers", position="OFF")
    assert guided.words[-1].says == "Wipers was said to be at OFF, but stood at SLOW."
    assert guided.card.ready is None
    act(guided, wall, "set", control="wipers", to="OFF")
    act(guided, wall, "see", control="wipers", position="OFF")
    act(guided, wall, "respond", item="wipers")
    assert current(guided) == "brake"


def test_a_guided_run_comes_back_from_its_log_as_it_was(guided: LiveRun, wall: Wall) -> None:
    act(guided, wall, "confirm", item="log")
    act(guided, wall, "confirm", item="outside")
    act(guided, wall, "see", control="hydraulic_pump", position="OFF")
    again = LiveRun("r", guided.bundle, guided.log, guided.clock.now())
    assert (current(again), again.card.ready) == (current(guided), guided.card.ready)
    assert again.aircraft.d == guided.aircraft.d


def test_a_guided_log_is_judged_like_any_other(guided: LiveRun, wall: Wall) -> None:
    act(guided, wall, "confirm", item="log")
    act(guided, wall, "set", control="battery_main", to="ON")
    act(guided, wall, "finish")
    ledger = score(guided.bundle, log_of(guided.bundle, guided.log)).ledger
    assert {row.item: row.verdict for row in ledger.items}["log"] == "done"


def test_coached_says_a_slip_as_it_happens_and_examined_says_nothing(wall: Wall) -> None:
    for assist, words in (("coached", 1), ("examined", 0)):
        run = open_run("apu-and-ground-power-away", wall, assist)
        act(run, wall, "confirm", item="log")
        act(run, wall, "set", control="apu_master", to="ON")
        assert len(run.words) == words
    coached = open_run("apu-and-ground-power-away", wall, "coached")
    act(coached, wall, "set", control="inverter", to="ON")
    assert coached.words[-1].says == "Nothing on the card asks for that."
    act(coached, wall, "set", control="battery_main", to="ON")
    assert "comes first" in coached.words[-1].says
    act(coached, wall, "request", service="ground_power", action="connect")
    assert len(coached.words) == 3


def test_hints_are_there_for_guided_and_coached_only(wall: Wall) -> None:
    for assist, there in (("guided", True), ("coached", True), ("examined", False)):
        run = open_run("full-cold-start", wall, assist)
        if there:
            run.act("trainee", "hint", {"item": "main-rest", "level": 1})
        else:
            with pytest.raises(ActionRefused, match="no such hint"):
                run.act("trainee", "hint", {"item": "main-rest", "level": 1})


def test_a_flow_is_done_from_memory_and_then_checked(wall: Wall) -> None:
    run = open_run("full-start-by-flows", wall, "examined")
    assert (run.card.flow, run.card.current) == ("safety-flow", None)
    act(run, wall, "note", text="flow done: safety-flow")  # as logs of 0.1 say it
    assert (run.card.flow, current(run)) == (None, "outside")
    act(run, wall, "confirm", item="outside")
    for item in ("hydraulics", "levers", "fuel-levers", "start-switches", "brake"):
        found = run.card.procedure.by_id[item].item
        for control in getattr(found, "all_controls", ()):
            act(run, wall, "see", control=control, position=str(run.aircraft.state()[f"control.{control}"]))
    assert current(run) == "main-rest"


def test_what_is_set_in_a_flow_is_answered_by_its_response_not_by_the_move(wall: Wall) -> None:
    run = open_run("full-start-by-flows", wall, "examined")
    run.card.answered = {s.item.id for s in run.card.procedure.steps if s.section < 3}
    assert run.card.flow == "cockpit-flow"
    act(run, wall, "set", control="navigation_lights", to="ON")
    act(run, wall, "note", text="The flow is done.", flow="cockpit-flow")
    assert current(run) == "navigation-lights"
    act(run, wall, "respond", item="navigation-lights")
    assert current(run) == "signs"


def test_modes_are_what_the_documents_say() -> None:
    assert Path(__file__).parents[2].joinpath("docs/authoring.md").read_text().count("guided|coached|examined") == 1


FREE = [path.stem for path in shipped_exercises() if path.stem != "guided-power-up"]


@pytest.mark.parametrize("name", FREE)
def test_a_flight_without_a_slip_is_told_nothing(name: str, wall: Wall) -> None:
    """The first of two switches, a test that belongs to a later reading, a meter's selector: the card asks for them."""
    run = open_run(name, wall)
    begun = wall.seconds
    for event in rehearse(run.bundle).events:
        wall.seconds = begun + event.tick / 100
        run.advance()
        run.act("trainee", event.verb, dict(event.args))
    assert [word.says for word in run.coach.words if word.says.startswith("Nothing on the card")] == []


def test_what_the_card_does_not_ask_for_is_said(wall: Wall) -> None:
    run = open_run("full-cold-start", wall)
    act(run, wall, "set", control="wipers", to="FAST")
    assert [word.says for word in run.coach.words] == ["Nothing on the card asks for that."]


def test_an_examined_card_tells_that_something_was_answered_and_not_that_it_was_right(wall: Wall) -> None:
    """A figure that was entered is ticked whatever it is; a coached card waits for the right one."""
    for assist, ticked in (("examined", True), ("coached", False)):
        run = open_run("frost-on-the-ramp", wall, assist)
        run.act("trainee", "set", {"control": "altimeter_setting", "to": 1013})
        assert ("altimeter" in run.card.answered) is ticked, assist
        run.act("trainee", "set", {"control": "altimeter_setting", "to": 1026})
        assert "altimeter" in run.card.answered


def test_no_card_ticks_a_switch_that_stands_elsewhere(wall: Wall) -> None:
    """Where a switch stands is plain to see: a tick beside another position would mislead, and one at its own tells
    nothing."""
    for assist in ("examined", "coached"):
        run = open_run("frost-on-the-ramp", wall, assist)
        run.act("trainee", "set", {"control": "wipers", "to": "SLOW"})
        assert "wipers" not in run.card.answered
        run.act("trainee", "set", {"control": "wipers", "to": "OFF"})
        assert "wipers" in run.card.answered


def test_of_two_items_about_one_control_the_one_that_is_meant_is_ticked(wall: Wall) -> None:
    run = open_run("frost-on-the-ramp", wall, "examined")
    run.act("trainee", "set", {"control": "battery_start", "to": "AUTO"})
    assert "start-auto" in run.card.answered and "start-stays-off" not in run.card.answered
