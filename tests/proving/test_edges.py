"""Limits of batteries at rest, held against the edge that the model has."""

from __future__ import annotations

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Start
from lumenstat.proving.consequences import Task, consequence_of
from lumenstat.proving.edges import edges_of
from lumenstat.proving.proof import Consequence
from lumenstat.rehearsal.neighbours import with_changes
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.rehearsal.script import Script
from tests.procedures import shipped


def at_limits(bundle: Bundle) -> dict[str, Consequence]:
    script = Script(bundle, rehearse(bundle))
    return {
        script.acts[edge.number].item: consequence_of(script, Task(edge.number, "at-limit", edge=edge))
        for edge in edges_of(script)
    }


def with_limit(bundle: Bundle, item: str, least: float) -> Bundle:
    """The same exercise with another least figure in one check."""
    lists = []
    for each in bundle.checklists:
        written = each.model_dump(mode="json", by_alias=True)
        for section in written["sections"]:
            for row in section["items"]:
                if row["id"] == item:
                    row["expect"]["min"] = least
        lists.append(Checklist.model_validate(written))
    return Bundle(bundle.airframe, tuple(lists), bundle.exercise)


def test_a_limit_that_does_what_its_reason_says_keeps_something_in_hand() -> None:
    found = at_limits(shipped("battery-and-apu"))
    assert set(found) == {"main-at-rest", "start-at-rest"}
    assert {each.effect for each in found.values()} == {"none"}
    assert "'APU: Available' never comes" in found["start-at-rest"].says
    assert "V in hand" in found["start-at-rest"].says


@pytest.mark.parametrize(("least", "effect"), [(24.8, "limit"), (25.4, "none")])
def test_a_limit_that_lets_a_battery_pass_that_is_too_weak_is_found(least: float, effect: str) -> None:
    """One battery turns the APU and both engines: at 24.8 V the last one is not turned fast enough any more."""
    (found,) = at_limits(with_limit(shipped("sides-moved-by-hand"), "at-rest", least)).values()
    assert found.effect == effect, found.says
    assert ("which it lets pass, is too weak" in found.says) == (effect == "limit")


def test_what_was_charged_in_between_is_not_what_was_found() -> None:
    """Frost reads the start battery again after it was charged: its charge at the start says nothing of that."""
    assert set(at_limits(shipped("frost-on-the-ramp"))) == {"main-at-rest"}


def test_a_limit_below_an_empty_battery_never_binds() -> None:
    (found, _) = at_limits(with_limit(shipped("battery-and-apu"), "main-at-rest", 12.0)).values()
    assert "never binds" in found.says


def test_nothing_is_said_where_the_check_finds_too_little() -> None:
    bundle = shipped("battery-and-apu")
    start = bundle.exercise.start.model_dump(mode="json", by_alias=True)
    start["battery_charge"] = {"main": 0.1, "start": 0.9}
    weak = with_changes(bundle, start=Start.model_validate(start))
    assert "main-at-rest" not in at_limits(weak)
