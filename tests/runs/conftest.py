"""A live run, and the wall clock that its test moves."""

from __future__ import annotations

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.runs.clock import Clock
from lumenstat.runs.live import LiveRun


class Wall:
    def __init__(self) -> None:
        self.seconds = 100.0

    def __call__(self) -> float:
        return self.seconds


@pytest.fixture
def wall() -> Wall:
    return Wall()


@pytest.fixture
def live(frost: Bundle, wall: Wall) -> LiveRun:
    run = LiveRun("r", frost)
    run.clock = Clock(wall=wall)
    return run
