"""Statements of runs and items, read by a library that knows nothing of us.

Source: xAPI 1.0.3 (IEEE 9274.1.1) as `tincan` 1.0.0 reads it; the rules that it does not hold are from memory: a
statement's id is a UUID, verbs and activities are named by IRIs, a scaled score lies between -1 and 1 and a raw one
between min and max, a duration is ISO 8601, a timestamp has a zone.
"""

from __future__ import annotations

import copy
import json
import re
import uuid
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

import pytest
import tincan

from lumenstat.records.database import Database
from lumenstat.runs.run_statements import run_statements
from lumenstat.standins.record_store import problem_of
from tests.flights import about, perfect_frost, without
from tests.school import ledger_of, person, signed

HOME = "https://academy.invalid"
SLIPPED = without(perfect_frost(), about("see", control="wipers"))


@pytest.fixture
def made(database: Database) -> list[dict[str, Any]]:
    run = signed(database, events=SLIPPED)
    found: list[dict[str, Any]] = database.read(lambda s: run_statements(s, run, HOME))
    return found


def read(statement: dict[str, Any]) -> tincan.Statement:
    return tincan.Statement.from_json(json.dumps(statement))


def test_the_library_reads_every_statement_and_writes_it_back_the_same(made: list[dict[str, Any]]) -> None:
    for statement in made:
        again = json.loads(read(statement).to_json(tincan.Version.latest))
        for name in ("id", "actor", "verb", "object"):
            assert again[name] == {**statement, "object": again["object"]}[name]
        assert again["object"]["id"] == statement["object"]["id"]
        assert again["result"]["score"] == statement["result"]["score"]
        assert again["context"]["registration"] == statement["context"]["registration"]


def test_the_rules_of_statements_are_kept(made: list[dict[str, Any]]) -> None:
    ids = [statement["id"] for statement in made]
    assert len(set(ids)) == len(ids)
    for statement in made:
        uuid.UUID(statement["id"])
        for address in (statement["verb"]["id"], statement["object"]["id"], statement["actor"]["account"]["homePage"]):
            assert urlsplit(address).scheme in ("http", "https") and urlsplit(address).netloc
        score = statement["result"].get("score")
        if score:
            assert -1 <= score["scaled"] <= 1 and score["min"] <= score["raw"] <= score["max"]
        if "duration" in statement["result"]:
            assert re.fullmatch(r"PT\d+(\.\d+)?S", statement["result"]["duration"])
        assert datetime.fromisoformat(statement["timestamp"]).utcoffset() is not None
        assert None not in _leaves(statement), "a statement holds no nulls"
        assert problem_of(statement) is None


def _leaves(value: Any) -> list[Any]:
    if isinstance(value, dict):
        return [leaf for each in value.values() for leaf in _leaves(each)]
    return [leaf for each in value for leaf in _leaves(each)] if isinstance(value, list) else [value]


def test_they_say_what_the_record_says(database: Database) -> None:
    run = signed(database, events=SLIPPED)
    made = database.read(lambda s: run_statements(s, run, HOME))
    ledger = ledger_of(database, run)
    whole, items = made[0], made[1:]
    assert whole["verb"]["display"]["en"] == "passed" and whole["result"]["success"] is True
    assert len(items) == sum(row.reached and row.verdict != "not-applicable" for row in ledger.items)
    by_item = {each["object"]["id"].rsplit("/", 1)[1]: each for each in items}
    assert by_item["wipers"]["result"]["success"] is False and by_item["wipers"]["result"]["score"]["raw"] == 0
    assert by_item["log"]["result"]["response"].startswith("Wrong"), "the instructor's verdict counts"
    assert {each["context"]["registration"] for each in made} == {whole["context"]["registration"]}


def test_made_twice_they_are_the_same_and_hold_no_name(database: Database) -> None:
    run = signed(database, events=SLIPPED)
    one, other = (database.read(lambda s: run_statements(s, run, HOME)) for _ in range(2))
    assert one == other
    text = json.dumps(one)
    assert "Okafor" not in text and "Marrash" not in text
    assert one[0]["actor"]["account"]["name"] == f"person-{person(database, 'ines')}"
    elsewhere = database.read(lambda s: run_statements(s, run, "https://other.invalid"))
    assert {s["id"] for s in one}.isdisjoint({s["id"] for s in elsewhere}), "two schools never share an id"


SPOILED = [
    ("id", "no uuid"), ("actor", None), ("verb", {"id": "passed"}), ("object", {"id": "frost"}),
    ("result", {"score": {"scaled": 4}}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "value"), SPOILED)
def test_what_is_wrong_is_refused_by_the_store_and_by_the_library(
    made: list[dict[str, Any]], name: str, value: Any
) -> None:
    spoiled = copy.deepcopy(made[0])
    spoiled[name] = value
    assert problem_of(spoiled) is not None
    if name == "id":
        with pytest.raises(Exception, match=r"."):
            read(spoiled)
