"""What comes of leaving an item out, held against what the trade says that the item is for."""

from __future__ import annotations

import pytest
from pytest import approx

from lumenstat.assessment.scoring import score
from lumenstat.proving.consequences import Task, consequence_of, tasks_of
from lumenstat.proving.leave_out import leave_out
from lumenstat.proving.proof import Consequence
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.rehearsal.script import Script
from tests.flights import log_of
from tests.procedures import BATTERY_ON, shipped, small


@pytest.fixture(scope="module")
def full() -> Script:
    bundle = shipped("full-cold-start")
    return Script(bundle, rehearse(bundle))


def without(script: Script, item: str) -> Consequence:
    number = [act.item for act in script.acts].index(item)
    return consequence_of(script, Task(number, "left-out"))


# Common practice, no source: what each of these items is there for.
@pytest.mark.parametrize(
    ("item", "effect", "says"),
    [
        ("feed", "fails-later", "AC volts is dark"),
        ("fan", "fails-later", "never comes"),
        ("latitude", "fails-later", "'Inertial units, both: "),
        ("boost", "fails-later", "never comes"),
        ("door", "fails-later", "never comes"),
        ("ground-off", "hazard", "arc"),
        ("beacon", "hazard", "before the ground crew had cleared the area, or with the beacon off"),
        ("area", "hazard", "before the ground crew had cleared the area"),
        ("pumps", "limit", "starter got too hot"),
        ("apu-air", "fails-later", "duct"),
        ("turns-right", "hazard", "gas temperature"),
        ("feed-left", "limit", "starter got too hot"),
        ("generators", "fails-later", "never comes"),
        ("signs", "none", "nothing else in the model depends on it"),
    ],
)
def test_agrees_with_what_the_item_is_for(full: Script, item: str, effect: str, says: str) -> None:
    found = without(full, item)
    assert (found.effect, says in found.says) == (effect, True), found.says
    assert found.critical == (effect == "hazard")


def test_a_limit_is_exceeded_from_where_the_judge_says(full: Script) -> None:
    flown = full.without([act.item for act in full.acts].index("turns-right"))
    before = [event for event in full.as_flown.events if event.tick < flown.events[0].tick]
    judged = score(full.bundle, log_of(full.bundle, [*before, *flown.events])).ledger
    starts = {row.id: row.start for row in judged.limits}
    assert starts and {name: tick / 100 for name, tick in flown.exceeded.items()} == approx(starts, abs=0.02)


def test_a_test_left_out_has_no_consequence_but_its_own() -> None:
    bundle = shipped("apu-and-ground-power-away")
    script = Script(bundle, rehearse(bundle))
    assert without(script, "fire-test").effect == "none"


def test_starting_before_the_door_is_open_is_lost() -> None:
    """The start pressed too early is ignored without a word, as in life: swapped with the wait, the APU never comes."""
    bundle = shipped("apu-and-ground-power-away")
    script = Script(bundle, rehearse(bundle))
    number = [act.item for act in script.acts].index("door")
    found = consequence_of(script, Task(number, "swapped"))
    assert found.effect == "fails-later" and "only after" in found.says and "never comes" in found.says


def test_flown_unchanged_the_script_is_the_flight() -> None:
    for name in ("apu-and-ground-power-away", "engines-to-dark"):
        bundle = shipped(name)
        flight = rehearse(bundle)
        flown = Script(bundle, flight).as_flown
        # Waits are looked at every half second, counted from where each begins.
        assert abs(flown.ready_at - flight.ready_at) <= 50
        assert (flown.missed, dict(flown.exceeded)) == ((), {})


def test_no_flight_leaves_a_trace_in_the_next() -> None:
    """Whatever was flown before it, and from wherever, a change has the same consequence."""
    bundle = shipped("apu-and-ground-power-away")
    flight = rehearse(bundle)
    script = Script(bundle, flight)
    tasks = tasks_of(script)
    forwards = [consequence_of(script, task) for task in tasks]
    backwards = [consequence_of(script, task) for task in reversed(tasks)]
    assert forwards == backwards[::-1]
    last = Script(bundle, flight)
    assert consequence_of(last, tasks[-1]) == forwards[-1]


def test_two_workers_say_what_one_says_and_tell_how_far_they_are() -> None:
    bundle = shipped("battery-and-apu")
    flight = rehearse(bundle)
    seen: list[tuple[int, int]] = []
    apart = leave_out(bundle, flight, 2, lambda done, of: not seen.append((done, of)))  # type: ignore[func-returns-value]
    alone = leave_out(bundle, flight, 1)
    assert apart == alone
    tasks = tasks_of(Script(bundle, flight))
    assert len([each for each in alone if each.change != "both-left-out"]) == len([t for t in tasks if t.other is None])
    assert seen[-1] == (len(tasks), len(tasks))


def test_it_can_be_stopped() -> None:
    bundle = shipped("battery-and-apu")
    assert len(leave_out(bundle, rehearse(bundle), 1, lambda done, of: done < 2)) == 2


def test_an_exercise_that_no_longer_ends_by_itself_is_told() -> None:
    lights = {"id": "lights", "kind": "set", "control": "navigation_lights", "to": "ON"}
    bundle = small(BATTERY_ON, lights, ends_when='held(control.navigation_lights == "ON", 5)')
    found = without(Script(bundle, rehearse(bundle)), "lights")
    assert (found.effect, found.says) == (
        "fails-later",
        "Without 'lights': the exercise does not end by itself any more.",
    )


def test_two_barriers_that_hide_each_other_are_found_together() -> None:
    """Common practice, no source: the pump left on moves flaps that disagree with their lever. Either alone is harmless."""
    found = leave_out(shipped("frost-on-the-ramp"), workers=1)
    alone = {each.item: each.effect for each in found if each.change == "left-out"}
    (both,) = (each for each in found if each.change == "both-left-out")
    assert {alone["hydraulic-pump"], alone["flap-lever"]} == {"none"}
    assert (both.item, both.effect, both.critical) == ("flap-lever", "hazard", True)
    assert "without 'Electric hydraulic pump', each of which alone would do" in both.says


def test_a_pair_is_told_of_only_where_it_is_graver_than_either_alone() -> None:
    found = leave_out(shipped("quick-turn-round"), workers=1)
    assert [each.says for each in found if each.change == "both-left-out"] == []
