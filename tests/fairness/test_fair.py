"""Every plausible flight of every shipped exercise is judged as is due to it; and what is not would be found."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from lumenstat.assessment import gating, scoring
from lumenstat.documents.bundles import shipped_exercises
from lumenstat.fairness import fair as fairness
from lumenstat.fairness.changed_flights import ChangedFlights
from lumenstat.fairness.changes import HARMLESS, changes_of
from lumenstat.fairness.fair import Fairness, JudgedFlight, fair
from lumenstat.fairness.fairness_lines import fairness_json, fairness_lines
from lumenstat.items import check
from lumenstat.rehearsal.perfect import rehearse
from tests.procedures import BATTERY_ON, ESSENTIAL, shipped, small

NAMES = [path.stem for path in shipped_exercises()]
SMALL = "battery-and-apu"


def findings(found: Fairness) -> list[tuple[str, str, str]]:
    return [(each.kind, each.item, str(each.wrong)) for each in found.findings]


@pytest.mark.parametrize("name", NAMES)
def test_the_judge_is_fair_to_every_shipped_exercise(name: str) -> None:
    found = fair(shipped(name), workers=1)
    assert findings(found) == []
    assert len(found.flights) > len(shipped(name).procedure.steps)
    assert found.flights[0].percent == 100


def test_a_flight_that_goes_on_as_before_is_the_same_flown_whole() -> None:
    """What stands as it stood is not flown on; the verdicts are those of flights that are flown to their end."""
    bundle = shipped(SMALL)
    flight = rehearse(bundle)
    own, whole = fairness._Own(bundle, flight), fairness._Own(bundle, flight)
    whole.course = replace(whole.course, whole=True)
    whole.course.unchanged()
    for number in range(len(own.changes)):
        assert own.judged(number) == whole.judged(number), own.changes[number].says


def test_every_kind_of_change_is_made() -> None:
    kinds = set()
    for name in ("start-with-faults", "apu-loop-open"):
        course = ChangedFlights(shipped(name), rehearse(shipped(name)))
        course.unchanged()
        kinds |= {change.kind for change in changes_of(course)}
    assert kinds >= {
        "left out", "done twice", "swapped", "too soon", "too late", "misread", "misjudged", "read a little off",
        "half done", "decided wrongly", "wrong way done", "decided by doing", "said again", "something between",
    }  # fmt: skip


FIRE = {"id": "fire", "kind": "hold", "control": "fire_test", "seconds": 1, "critical": True}
MASTER = {"id": "master", "kind": "set", "control": "apu_master", "to": "ON"}
EXERCISE = (BATTERY_ON, ESSENTIAL, FIRE, MASTER)
NOTHING_HOLDS = "a critical item is missed, and nothing holds the outcome"


@pytest.mark.parametrize(
    ("owner", "name", "broken", "finding"),
    [
        (scoring, "GATING", (), ("left out", "fire", NOTHING_HOLDS)),
        (gating.PassedBy, "gates", lambda *_: iter(()), ("swapped", "fire", NOTHING_HOLDS)),
        (check, "_misread", lambda *_: False, ("misread", "essential", "nothing is lost by it")),
    ],
)
def test_a_judge_that_is_unfair_is_found(
    monkeypatch: pytest.MonkeyPatch, owner: Any, name: str, broken: Any, finding: tuple[str, str, str]
) -> None:
    exercise = small(*EXERCISE, aims=())
    assert findings(fair(exercise, workers=1)) == []
    monkeypatch.setattr(owner, name, broken)
    assert finding in findings(fair(exercise, workers=1))


def test_what_is_due_to_a_harmless_change_is_nothing() -> None:
    assert (HARMLESS.items, HARMLESS.loses, HARMLESS.gates) == (frozenset(), (), False)


def test_it_is_told_in_lines_and_as_an_object() -> None:
    wrong = JudgedFlight(kind="left out", item="a", change="'A' left out", outcome="Passed", percent=100, says="Nothing is lost.", wrong="nothing is lost by it")  # fmt: skip
    found = Fairness(exercise="it", flights=(wrong, wrong.model_copy(update={"wrong": None})))
    assert list(fairness_lines(found)) == [
        "2 flights judged, 1 findings",
        "  2 left out",
        "  'A' left out: Passed, 100 %",
        "    says: Nothing is lost.",
        "    but: nothing is lost by it",
    ]
    assert fairness_json(found)["ok"] is False


def test_it_stops_where_it_is_told_to() -> None:
    found = fair(shipped(SMALL), workers=1, progress=lambda done, _of: done < 5)
    assert len(found.flights) <= 5
