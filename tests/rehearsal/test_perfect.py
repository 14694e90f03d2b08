"""The perfect flight: complete, without a slip, no slower than a good hand, and honest about what cannot be done."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Exercise
from lumenstat.items.saying import WaitItem
from lumenstat.rehearsal import perfect
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.systems.electrical.batteries import BatteriesSection
from tests.flights import HAND_FLOWN, log_of
from tests.procedures import ASK, BATTERY_ON, READY, small

EXERCISES = {path.stem: path for path in shipped_exercises()}


def bundle(name: str) -> Bundle:
    return Library().bundle(EXERCISES[name])


@pytest.mark.parametrize("name", HAND_FLOWN)
def test_is_no_slower_than_a_flight_by_hand(name: str) -> None:
    assert rehearse(bundle(name)).ready_at <= HAND_FLOWN[name]()[-1].tick


def test_long_waits_start_as_early_as_they_may() -> None:
    """The alignment takes seven minutes: the APU, which could come first, has to wait for it instead."""
    acts = {act.item: act for act in rehearse(bundle("full-cold-start")).acts}
    assert acts["align"].starts < acts["navigation-lights"].starts
    assert acts["aligned"].ends - acts["align"].ends < 450 * 100


LIGHTS = {"id": "lights", "kind": "set", "control": "navigation_lights", "to": "ON"}
SIGNS = {"id": "signs", "kind": "set", "control": "seat_signs", "to": "ON"}


def test_what_a_long_wait_hangs_on_comes_first_whatever_the_card_says() -> None:
    """In any order the cart is asked for before the lights: the wait for it is the longest tail."""
    exercise = small(LIGHTS, SIGNS, BATTERY_ON, {**ASK, "after": ["battery"]}, {**READY, "after": ["ask"]}, order="any")
    flight = rehearse(exercise)
    order = [act.item for act in flight.acts]
    assert order[:2] == ["battery", "ask"]
    assert order[-1] == "ready"


def test_the_better_of_two_flights_is_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    """With its tails turned round the second flight is the slower one, so the first, in the order of the card, counts."""
    early = (BATTERY_ON, {**ASK, "after": ["battery"]}, {**READY, "after": ["ask"]}, LIGHTS, SIGNS)
    exercise = small(*early, order="any")
    plain = rehearse(exercise)
    tails = perfect._tails
    monkeypatch.setattr(perfect, "_tails", lambda *of: {n: -length for n, length in tails(*of).items()})
    turned = rehearse(exercise)
    assert [act.item for act in turned.acts][:2] == ["battery", "ask"]
    assert turned.ready_at == plain.ready_at


def test_on_every_airframe_the_perfect_flight_is_judged_whole() -> None:
    """A card of moves for each test airframe: what can be moved is, one after another."""
    for path in sorted((Path(__file__).parents[1] / "airframes").glob("*.yaml")):
        airframe = Library().load(path).usable()
        assert isinstance(airframe, Airframe)
        exercise = moving(airframe)
        flight = rehearse(exercise)
        assert flight.ok, path.stem
        ledger = score(exercise, log_of(exercise, list(flight.events))).ledger
        assert (ledger.percent, ledger.extras) == (100.0, ()), path.stem


def moving(airframe: Airframe) -> Bundle:
    """An exercise that looks at every control that stands in positions, and moves some."""
    controls = [c for c in airframe.controls.values() if c.kind in ("toggle", "guarded-toggle", "rotary", "lever")]
    moved = {"kind": "set", "challenge": "Move", "response": "There", "who": "either", "why": "For a test."}
    items: list[dict[str, Any]] = [
        {**moved, "id": f"look-{n}", "kind": "verify", "control": c.id, "to": c.usual} for n, c in enumerate(controls)
    ]
    for n, control in enumerate(controls[:6]):
        to = next(position for position in control.positions if position != control.usual)
        items.append({**moved, "id": f"move-{n}", "control": control.id, "to": to})
    checklist = Checklist.model_validate(
        {
            "format": "lumenstat/checklist/1", "id": "it", "name": "It", "airframe": airframe.id, "procedure_set": "Test",
            "version": "1", "sections": [{"id": "s", "title": "S", "items": items}],
        }
    )  # fmt: skip
    base = bundle("guided-power-up").exercise
    batteries = airframe.section(BatteriesSection).batteries
    start = {
        "place": {"name": "Field", "latitude_degrees": 50, "longitude_degrees": 0},
        "battery_charge": {battery.id: 0.8 for battery in batteries},
    }
    written = base.model_dump(mode="json", by_alias=True) | {
        "airframe": airframe.id,
        "checklists": ["it"],
        "start": start,
    }
    exercise = Exercise.model_validate({**written, "faults": [], "papers": [], "aims": [], "bands": []})
    return Bundle(airframe, (checklist,), exercise)


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


def test_what_does_not_apply_when_its_section_begins_holds_nothing_up_and_is_left() -> None:
    """The judge agrees: its turn is over once what comes after it is done."""
    hanging = {**LIGHTS, "applies_when": "bus.dc_essential.alive"}
    exercise = small(hanging, BATTERY_ON, ASK, READY)
    flight = rehearse(exercise)
    assert [act.item for act in flight.acts] == ["battery", "ask", "ready"]
    ledger = score(exercise, log_of(exercise, list(flight.events))).ledger
    assert {row.item: row.verdict for row in ledger.items}["lights"] == "not-applicable"
    assert ledger.percent == 100.0
