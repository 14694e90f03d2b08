"""Each rule of design: a checklist that breaks it, one that just does not, and its waiver."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.checklist import Checklist
from lumenstat.documents.design_rules import LONGEST_SECTION, RULES, lint_checklist


def checklist(*items: dict[str, Any], order: str = "strict") -> Checklist:
    filled = [
        {
            "kind": "confirm",
            "statement": "So.",
            "challenge": f"Item {n}",
            "response": "Closed",
            "who": "captain",
            "why": "Because.",
        }
        | item
        | {"id": f"i{n}"}
        for n, item in enumerate(items)
    ]
    section = {"id": "s", "title": "S", "order": order, "items": filled}
    return Checklist.model_validate(
        {"format": "lumenstat/checklist/1", "id": "c", "name": "C", "airframe": "a", "procedure_set": "p", "version": "1", "sections": [section]}
    )  # fmt: skip


def rules(*items: dict[str, Any], order: str = "strict") -> set[str]:
    return {lint.rule for lint in lint_checklist(checklist(*items, order=order))}


PLAIN: dict[str, Any] = {}
CASES: dict[str, tuple[list[dict[str, Any]], list[dict[str, Any]]]] = {
    "response-says-nothing": ([{"response": "Checked"}], [{"response": "Checked and closed"}]),
    "section-too-long": ([PLAIN] * (LONGEST_SECTION + 1), [PLAIN] * LONGEST_SECTION),
    "near-identical": ([{"challenge": "Brake"}, {"challenge": "brake"}], [{"challenge": "Brake"}, {"challenge": "Brake, again"}]),
    "reason-missing": ([{"why": None}], [{"why": "It holds the aircraft."}]),
}  # fmt: skip


@pytest.mark.parametrize("rule", CASES)
def test_is_named_where_it_is_broken_and_only_there(rule: str) -> None:
    breaks, keeps = CASES[rule]
    assert rules(*breaks) == {rule}
    assert rules(*keeps) == set()
    waived = [{**item, "waives": [{"rule": rule, "reason": "This is intended."}]} for item in breaks]
    assert rules(*waived) == set()


def test_critical_items_come_first_only_where_the_order_is_free() -> None:
    late = [*[PLAIN] * 6, {"critical": True}]
    assert rules(*late, order="any") == {"critical-late"}
    assert rules(*late) == set()
    assert rules({"critical": True}, *[PLAIN] * 6, order="any") == set()


@pytest.mark.parametrize(
    ("rule", "broken", "named"),
    [
        ("response-says-nothing", [PLAIN, {"response": "Checked"}, PLAIN], "i1"),
        ("near-identical", [PLAIN, {"challenge": "Brake"}, {"challenge": "brake"}], "i2"),
        ("reason-missing", [PLAIN, PLAIN, {"why": None}], "i2"),
        ("section-too-long", [PLAIN] * (LONGEST_SECTION + 1), "i0"),
    ],
)
def test_the_item_that_breaks_it_is_named(rule: str, broken: list[dict[str, Any]], named: str) -> None:
    assert [(lint.rule, lint.item) for lint in lint_checklist(checklist(*broken))] == [(rule, named)]


def test_saying_who_acts_is_asked_for() -> None:
    item = checklist(PLAIN).sections[0].items[0].model_dump(exclude_unset=True)
    del item["who"]
    section = {"id": "s", "title": "S", "items": [item]}
    plain = {
        "format": "lumenstat/checklist/1",
        "id": "c",
        "name": "C",
        "airframe": "a",
        "procedure_set": "p",
        "version": "1",
    }
    assert {lint.rule for lint in lint_checklist(Checklist.model_validate({**plain, "sections": [section]}))} == {
        "who-missing"
    }


def test_a_position_that_is_called_set_is_a_state() -> None:
    brake = {"kind": "set", "control": "brake", "to": "SET", "statement": None}
    content = checklist(PLAIN).model_dump(mode="json", exclude_unset=True)
    item = {**content["sections"][0]["items"][0], **brake, "response": "SET"}
    del item["statement"]
    content["sections"][0]["items"] = [item]
    assert list(lint_checklist(Checklist.model_validate(content))) == []


def test_every_rule_names_its_source() -> None:
    assert all(rule.asks and rule.source for rule in RULES.values())
