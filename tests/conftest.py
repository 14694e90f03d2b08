"""What many tests need: the shipped documents and a log of the shipped exercise."""

from __future__ import annotations

import pytest

from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent, RunLog
from tests.flights import perfect_frost


@pytest.fixture(scope="session")
def library() -> Library:
    return Library()


@pytest.fixture(scope="session")
def frost(library: Library) -> Bundle:
    path = next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp")
    return library.bundle(path)


@pytest.fixture
def perfect_events() -> list[LogEvent]:
    return perfect_frost()


@pytest.fixture
def perfect_log(frost: Bundle, perfect_events: list[LogEvent]) -> RunLog:
    return RunLog(frost.exercise.id, frost.digest, "test", tuple(perfect_events))
