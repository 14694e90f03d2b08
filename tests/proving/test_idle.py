"""Idle waits and faults that never come: found where they are, and nowhere else."""

from __future__ import annotations

from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Fault
from lumenstat.proving.prove import prove
from tests.procedures import ASK, BATTERY_ON, FEED, READY, shipped, small

LONG_READY = {**READY, "challenge": "Ground power"}
WORK = [
    {"id": f"work-{n}", "kind": "hold", "control": "fire_test", "seconds": 2, "at_most": 9, "challenge": f"Work {n}"}
    for n in range(6)
]


def in_sections(*sections: list[dict[str, Any]], **changes: Any) -> Bundle:
    """An exercise whose sections follow one another, each in strict order."""
    one = small(*[item for section in sections for item in section], **changes)
    (checklist,) = one.checklists
    (own,) = checklist.sections
    items, written = list(own.items), []
    for n, section in enumerate(sections):
        taken, items = items[: len(section)], items[len(section) :]
        written.append(own.model_copy(update={"id": f"s{n}", "title": f"S {n}", "items": tuple(taken)}))
    parted: Checklist = checklist.model_copy(update={"sections": tuple(written)})
    return Bundle(one.airframe, (parted,), one.exercise)


def idle(bundle: Bundle) -> list[tuple[str, str]]:
    return [(f.item, f.says) for f in prove(bundle).findings if f.kind == "idle"]


def test_work_that_stands_behind_a_long_wait_for_no_reason_is_told_of() -> None:
    """The cart takes 73 s; the tests after it need nothing of it, but FEED in between holds them up."""
    ((item, says),) = idle(in_sections([BATTERY_ON, ASK], [LONG_READY, FEED], WORK))
    assert item == "ready"
    assert "6 items, 'Work 0' to 'Work 5', could be done already" in says


def test_work_beside_the_wait_is_no_news() -> None:
    assert idle(in_sections([BATTERY_ON, ASK], WORK, [LONG_READY, FEED])) == []


def test_what_is_tied_to_the_wait_or_does_something_else_there_stays_behind_it() -> None:
    """Items that name the wait in `after`, and loads that would find their bus dead."""
    tied = [{**work, "after": ["feed"]} for work in WORK]
    assert idle(in_sections([BATTERY_ON, ASK], [LONG_READY, FEED], tied)) == []
    loads: list[dict[str, Any]] = [
        {"id": name, "kind": "set", "control": name, "to": "ON", "after": []}
        for name in ("avionics_fan", "beacon", "probe_heat", "engine_anti_ice", "navigation_lights")
    ]
    assert idle(in_sections([BATTERY_ON, ASK], [LONG_READY, FEED], loads)) == []


def test_a_fault_that_never_comes_is_told_of() -> None:
    def never(**fault: Any) -> list[str]:
        bundle = shipped("apu-loop-open")
        made = Fault.model_validate({"id": "it", "kind": "supply_out_of_tolerance", "target": "ground", **fault})
        exercise = bundle.exercise.model_copy(update={"faults": (*bundle.exercise.faults, made)})
        proof = prove(Bundle(bundle.airframe, bundle.checklists, exercise))
        return [f.says for f in proof.findings if f.kind == "never-armed"]

    assert never(at=900) == ["The fault 'it' never comes: it is set for 15:00, and everything is done at 1:41"]
    assert never(when="apu.available") == ["The fault 'it' never comes: its condition `apu.available` is never true"]
    assert never(at=30, clear_at=31) == []
    assert never(when='control.seat_signs == "ON"') == []
