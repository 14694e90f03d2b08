"""By doing: a flight becomes a checklist, which the model proves and a perfect flight of it passes."""

from __future__ import annotations

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.drafting.beginnings import copy_of
from lumenstat.drafting.doing import items_of
from lumenstat.drafting.draft import Draft, read_draft
from lumenstat.drafting.edits import append_section, remove_item
from lumenstat.proving.prove import prove
from lumenstat.rehearsal.perfect import rehearse
from tests.flights import PERFECT, event, log_of
from tests.procedures import BATTERY_ON, shipped, small


def test_acts_waits_and_requests_become_items_in_their_order() -> None:
    bundle = shipped("apu-and-ground-power-away")
    items = items_of(bundle, PERFECT["apu-and-ground-power-away"]())
    kinds = [
        (item["kind"], item.get("control") or item.get("instrument") or item.get("service") or item.get("until"))
        for item in items
    ]
    for expected in (
        ("verify", "gear_lever"),
        ("set", "battery_main"),
        ("check", "essential_volts"),
        ("request", "ground_power"),
        ("wait", 'service.ground_power == "plugged"'),
        ("set", "ground_power"),
        ("hold", "fire_test"),
        ("set", "apu_master"),
        ("wait", "lamp.apu_door"),
        ("hold", "apu_start"),
        ("wait", "lamp.apu_available"),
        ("set", "apu_generator"),
    ):  # fmt: skip
        assert expected in kinds, kinds
    assert kinds.index(("wait", "lamp.apu_door")) < kinds.index(("hold", "apu_start"))


def test_a_switch_thrown_twice_at_once_is_one_item() -> None:
    moved = [event(5, "set", control="beacon", to="ON"), event(6, "set", control="beacon", to="OFF")]
    apart = [event(5, "set", control="beacon", to="ON"), event(16, "set", control="beacon", to="OFF")]
    assert [item["to"] for item in items_of(small(BATTERY_ON), moved)] == ["OFF"]
    assert [item["to"] for item in items_of(small(BATTERY_ON), apart)] == ["ON", "OFF"]


def made_of(name: str) -> Draft:
    bundle = shipped(name)
    draft = copy_of(bundle, "By doing")
    draft = Draft(draft.exercise, draft.checklists[:1])
    sections = read_draft(draft).checklists[0].sections
    draft = append_section(draft, "By doing", items_of(bundle, rehearse(bundle).events))
    for item in [item.id for section in sections for item in section.items]:
        draft = remove_item(draft, item)
    return draft


@pytest.mark.parametrize("name", ["guided-power-up", "battery-and-apu"])
def test_build_by_doing_then_prove_then_fly_gives_a_pass(name: str) -> None:
    read = read_draft(made_of(name))
    assert read.bundle is not None, [p.says for p in read.problems if p.stops]
    proof = prove(read.bundle)
    assert proof.ok, [f.says for f in proof.findings]
    flight = rehearse(read.bundle)
    ledger = score(read.bundle, log_of(read.bundle, list(flight.events))).ledger
    assert (ledger.outcome, ledger.percent) == ("pass", 100.0)
