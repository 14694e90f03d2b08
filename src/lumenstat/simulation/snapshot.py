"""What an aircraft was at one moment, to go back to, and what was said on its ground crew line."""

from __future__ import annotations

from dataclasses import dataclass

from lumenstat.simulation.calendar import Calendar
from lumenstat.simulation.dynamics import Solution
from lumenstat.systems.terms import Discrete


@dataclass(frozen=True, slots=True)
class CrewLine:
    """Something said on the ground crew line."""

    tick: int
    by: str
    says: str


@dataclass(frozen=True)
class Snapshot:
    """All that an aircraft's future depends on."""

    tick: int
    d: list[Discrete]
    x: list[float]
    solution: Solution
    curvatures: list[float]
    step_ticks: int
    calendar: Calendar
    memory: tuple[tuple[object, ...], tuple[object, ...]]
