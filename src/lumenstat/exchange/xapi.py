"""Judged runs as xAPI 1.0.3 statements: one for the run, one for each item that was reached.

Ids come from the run and the item, so that a statement made twice is the same one. People are named by an account of
the school, by number: no name leaves with a statement, and none has to be taken back when a person is erased.
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.ledger import VERDICT_WORDS, ItemRow, Ledger
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Step

VERSION = "1.0.3"
NAMESPACE = uuid.UUID("8b1f6f0e-0c57-5b6e-9a57-6c756d656e73")
ADL = "http://adlnet.gov/expapi"
LANGUAGE = "en"


@dataclass(frozen=True)
class AboutRun:
    """What statements say beside the ledger. `home` is the address under which the school's accounts stand."""

    run_id: str
    home: str
    person: str
    instructor: str
    exercise_id: str
    ended: datetime
    seconds: float
    mode: str


def statements(bundle: Bundle, ledger: Ledger, about: AboutRun) -> list[dict[str, Any]]:
    """The statements of a run as it counts: the run first, then its items in the card's order."""
    steps = bundle.procedure.by_id
    whole = _statement(about, about.run_id, _verb(ledger), _exercise(bundle, about), _result(ledger, about))
    items = [
        _statement(about, f"{about.run_id}/{row.item}", _answered(), _item(bundle, about, steps[row.item]), _of(row))
        for row in ledger.items
        # What the trainee never came to is no answer.
        if row.reached and row.verdict != "not-applicable"
    ]
    for each in items:
        each["context"]["contextActivities"]["parent"] = [{"id": _address(about), "objectType": "Activity"}]
    return [whole, *items]


def _statement(
    about: AboutRun, of: str, verb: dict[str, Any], activity: dict[str, Any], result: dict[str, Any]
) -> dict[str, Any]:
    return {
        # Made of the run, so that sending it again makes no second statement.
        "id": str(uuid.uuid5(NAMESPACE, f"{about.home}/{of}")),
        "actor": _account(about, about.person),
        "verb": verb,
        "object": activity,
        "result": result,
        "context": {
            "registration": str(uuid.uuid5(NAMESPACE, f"{about.home}/runs/{about.run_id}")),
            "instructor": _account(about, about.instructor),
            "platform": ENGINE_VERSION,
            "language": LANGUAGE,
            "contextActivities": {"category": [{"id": f"{about.home}/modes/{about.mode}", "objectType": "Activity"}]},
        },
        "timestamp": _time(about.ended),
        "version": VERSION,
    }


def _account(about: AboutRun, name: str) -> dict[str, Any]:
    return {"objectType": "Agent", "account": {"homePage": about.home, "name": name}}


def _time(at: datetime) -> str:
    return at.replace(tzinfo=UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _verb(ledger: Ledger) -> dict[str, Any]:
    name = {"pass": "passed", "unfinished": "terminated"}.get(ledger.outcome, "failed")
    return {"id": f"{ADL}/verbs/{name}", "display": {LANGUAGE: name}}


def _answered() -> dict[str, Any]:
    return {"id": f"{ADL}/verbs/answered", "display": {LANGUAGE: "answered"}}


def _address(about: AboutRun) -> str:
    return f"{about.home}/exercises/{about.exercise_id}"


def _exercise(bundle: Bundle, about: AboutRun) -> dict[str, Any]:
    definition = {
        "type": f"{ADL}/activities/simulation",
        "name": {LANGUAGE: bundle.exercise.title},
        "description": {LANGUAGE: bundle.exercise.brief},
        "extensions": {f"{about.home}/extensions/digest": bundle.digest},
    }
    return {"objectType": "Activity", "id": _address(about), "definition": definition}


def _item(bundle: Bundle, about: AboutRun, step: Step) -> dict[str, Any]:
    definition = {
        "type": f"{ADL}/activities/interaction",
        "interactionType": "performance",
        "name": {LANGUAGE: step.item.challenge},
        "description": {LANGUAGE: step.item.response},
    }
    return {"objectType": "Activity", "id": f"{_address(about)}/items/{step.item.id}", "definition": definition}


def _result(ledger: Ledger, about: AboutRun) -> dict[str, Any]:
    points, gates = ledger.points, [gate.says for gate in ledger.gates]
    return {
        # The standard wants a score within its bounds; hazards can take a total below nothing.
        "score": _score(max(0.0, min(points.earned, points.possible)), points.possible),
        "success": ledger.outcome == "pass",
        "completion": ledger.outcome != "unfinished",
        "response": ledger.outcome_words,
        "duration": f"PT{about.seconds:.2f}S",
        "extensions": {f"{about.home}/extensions/gates": gates},
    }


def _of(row: ItemRow) -> dict[str, Any]:
    result: dict[str, Any] = {
        "success": row.verdict == "done",
        "response": f"{VERDICT_WORDS[row.verdict]}. {row.says}",
    }
    if row.possible > 0:
        result["score"] = _score(row.earned, row.possible)
    return result


def _score(earned: float, possible: float) -> dict[str, float]:
    scaled = earned / possible if possible > 0 else 0.0
    return {"scaled": round(scaled, 4), "raw": round(earned, 4), "min": 0.0, "max": round(possible, 4)}
