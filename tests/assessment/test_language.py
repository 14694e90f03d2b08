"""Kinds of item that no shipped exercise needs all of: cycles, sweeps, alternatives, what follows a bad reading."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.runlog import LogEvent
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.runs.open_card import Card
from tests.flights import event, log_of

BASE = Library().bundle(next(path for path in shipped_exercises() if path.stem == "full-cold-start"))


def bundle(*items: dict[str, Any]) -> Bundle:
    """An exercise of just these items, in strict order."""
    each = [{"challenge": item["id"], "response": "So", **item} for item in items]
    checklist = Checklist.model_validate(
        {
            "format": "lumenstat/checklist/1", "id": "it", "name": "It", "airframe": "rowan-r2", "procedure_set": "Test",
            "version": "1", "sections": [{"id": "s", "title": "S", "items": each}],
        }
    )  # fmt: skip
    exercise = BASE.exercise.model_copy(update={"checklists": ("it",), "bands": ()})
    return Bundle(BASE.airframe, (checklist,), exercise)


def judged(exercise: Bundle, *events: LogEvent) -> dict[str, tuple[str, str]]:
    ledger: Ledger = score(exercise, log_of(exercise, [*events, event(200, "finish")])).ledger
    return {row.item: (row.verdict, row.says) for row in ledger.items}


def moves(control: str, *positions: str, begin: float = 10) -> list[LogEvent]:
    return [event(begin + n, "set", control=control, to=position) for n, position in enumerate(positions)]


CYCLE = {"id": "cycle", "kind": "cycle", "control": "seat_signs", "through": ["ON", "OFF", "AUTO"]}
SWEEP = {"id": "sweep", "kind": "sweep", "control": "wheel"}


def test_a_cycle_is_its_positions_one_after_another() -> None:
    assert judged(bundle(CYCLE), *moves("seat_signs", "ON", "OFF", "AUTO"))["cycle"][0] == "done"
    verdict, says = judged(bundle(CYCLE), *moves("seat_signs", "ON", "AUTO", "OFF"))["cycle"]
    assert (verdict, says) == ("wrong", "Seat signs went to AUTO; OFF was next.")
    verdict, says = judged(bundle(CYCLE), *moves("seat_signs", "ON", "AUTO", "ON", "OFF", "AUTO"))["cycle"]
    assert verdict == "done"
    assert "Put right" in says


def test_a_sweep_is_each_end_and_back() -> None:
    assert judged(bundle(SWEEP), *moves("wheel", "LEFT", "RIGHT", "MID"))["sweep"][0] == "done"
    assert judged(bundle(SWEEP), *moves("wheel", "RIGHT", "LEFT", "MID"))["sweep"][0] == "done"
    assert judged(bundle(SWEEP), *moves("wheel", "LEFT", "MID"))["sweep"] == ("wrong", "Wheel came back without RIGHT.")
    assert judged(bundle(SWEEP), *moves("wheel", "LEFT", "RIGHT"))["sweep"][0] == "omitted"


def test_a_sweep_may_want_an_indication() -> None:
    watched = bundle({**SWEEP, "watch": 'control.beacon == "ON"'})
    assert judged(watched, *moves("wheel", "LEFT", "RIGHT", "MID"))["sweep"][0] == "wrong"
    beacon = event(5, "set", control="beacon", to="ON")
    assert judged(watched, beacon, *moves("wheel", "LEFT", "RIGHT", "MID"))["sweep"][0] == "done"


WAYS = (
    {"id": "cart", "kind": "request", "service": "ground_power", "action": "connect", "one_of": "source", "weight": 3},
    {"id": "apu", "kind": "set", "control": "apu_master", "to": "ON", "one_of": "source"},
    {"id": "lights", "kind": "set", "control": "navigation_lights", "to": "ON"},
)


@pytest.mark.parametrize(("done", "left"), [("cart", "apu"), ("apu", "cart")])
def test_of_alternatives_one_counts(done: str, left: str) -> None:
    by = {
        "cart": event(10, "request", service="ground_power", action="connect"),
        "apu": event(10, "set", control="apu_master", to="ON"),
    }
    ledger = judged(bundle(*WAYS), by[done], event(20, "set", control="navigation_lights", to="ON"))
    assert ledger[done][0] == ledger["lights"][0] == "done"
    assert ledger[left] == ("not-applicable", f"'{done}' was done instead.")


def test_of_alternatives_none_is_one_omission() -> None:
    ledger = judged(bundle(*WAYS), event(20, "set", control="navigation_lights", to="ON"))
    assert (ledger["cart"][0], ledger["apu"][0]) == ("omitted", "not-applicable")


BAD = {
    "id": "volts", "kind": "check", "instrument": "battery_volts", "expect": {"min": 29.0}, "read_tolerance": 0.2,
    "moment": {"when": 'control.meter_selector == "MAIN"', "says": "the meter at MAIN"},
    "if_not": {"id": "low", "says": "Low: no flight", "items": [{"id": "park", "kind": "set", "challenge": "Inverter", "response": "ON", "control": "inverter", "to": "ON"}]},
}  # fmt: skip
GOOD = {**BAD, "expect": {"min": 20.0}}


def read(judgement: str) -> list[LogEvent]:
    return [
        event(5, "set", control="meter_selector", to="MAIN"),
        event(9, "call", instrument="battery_volts", reading=25.3, judgement=judgement),
    ]


def test_what_follows_a_bad_reading_counts_only_then() -> None:
    low = judged(bundle(BAD), *read("below"), event(15, "set", control="inverter", to="ON"))
    assert (low["volts"][0], low["park"][0]) == ("done", "done")
    assert judged(bundle(BAD), *read("below"))["park"][0] == "omitted"
    fine = judged(bundle(GOOD), *read("within"))
    assert (fine["volts"][0], fine["park"][0]) == ("done", "not-applicable")


@pytest.mark.parametrize(
    "items", [(CYCLE,), (SWEEP,), WAYS, (BAD,), (GOOD,)], ids=["cycle", "sweep", "ways", "bad", "good"]
)
def test_the_model_flies_them_perfectly(items: tuple[dict[str, Any], ...]) -> None:
    exercise = bundle(*items)
    flight = rehearse(exercise)
    assert flight.stuck == ()
    ledger = score(exercise, log_of(exercise, list(flight.events))).ledger
    assert {row.verdict for row in ledger.items} <= {"done", "not-applicable"}
    assert ledger.percent == 100


def test_the_card_follows() -> None:
    card = Card(bundle(CYCLE, SWEEP, *WAYS, BAD).procedure)
    for each in moves("seat_signs", "ON", "OFF", "AUTO") + moves("wheel", "LEFT", "RIGHT", "MID"):
        card.note(each)
    assert card.answered == {"cycle", "sweep"}
    card.note(event(30, "set", control="apu_master", to="ON"))
    assert "cart" not in {item.id for item in card.items}
    card.note(event(31, "set", control="navigation_lights", to="ON"))
    assert "park" not in {item.id for item in card.items}
    card.note(event(40, "call", instrument="battery_volts", reading=25.3, judgement="below"))
    assert card.current is not None
    assert card.current.id == "park"
