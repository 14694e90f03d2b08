"""Whoever looks on while an aircraft flies."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol


class Watcher(Protocol):
    """Sees an aircraft pass; must not change it."""

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Figures moved from tick `start` to `end`; `sample(tick)` gives them at any tick between."""

    def at_event(self, tick: int) -> None:
        """Something discrete happened, or a step ended, at this tick."""
