"""What happened in a run is told by the names that stand on the deck."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.runlog import LogEvent
from lumenstat.runs.instructing import told as told_by_instructor
from lumenstat.runs.telling import said_of
from tests.procedures import shipped

CONNECT = {"service": "ground_power", "action": "connect"}
NOWHERE = {"service": "no_such", "action": "never"}


@pytest.mark.parametrize(
    ("verb", "args", "says"),
    [
        ("request", CONNECT, "Asked the crew: Ground power, Connect"),
        ("request", {**CONNECT, "action": "never"}, "Asked the crew: Ground power, never"),
        ("request", NOWHERE, "Asked the crew: no_such, never"),
        ("point", {"part": "apu_available"}, "Pointed at Available"),
        ("point", {"part": "no_such"}, "Pointed at no_such"),
        ("fault", {"fault": "f", "kind": "bulb_dead", "target": "apu_available"}, "Fault: Dead bulb: APU, Available"),
        ("fault", {"fault": "of-the-exercise"}, "Fault: of-the-exercise"),
    ],
)
def test_an_event_is_said_by_the_names_of_what_it_is_about(verb: str, args: dict[str, Any], says: str) -> None:
    assert said_of(LogEvent(100, "trainee", verb, args), shipped("frost-on-the-ramp")) == says


def test_what_an_instructor_asks_the_crew_is_said_by_its_names() -> None:
    event = LogEvent(100, "instructor", "request", CONNECT)
    says = told_by_instructor(event, shipped("frost-on-the-ramp"))
    assert says == "Your instructor asked the ground crew: Ground power, Connect."
