"""Where everything of an airframe stands in the vectors of the model."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from lumenstat.systems.terms import Drag, Intake, RectifiedDraw


@dataclass
class Places:
    """Names given numbers, in the order they are asked for."""

    numbers: dict[str, int] = field(default_factory=dict)

    def __getitem__(self, name: str) -> int:
        return self.numbers.setdefault(name, len(self.numbers))

    def __len__(self) -> int:
        return len(self.numbers)


@dataclass
class Layout:
    """Where everything of an airframe stands: discrete states `d`, continuous states `x`, outputs `a`, branches, DC
    nodes. Nobody else works out a place."""

    d: Places = field(default_factory=Places)
    x: Places = field(default_factory=Places)
    a: Places = field(default_factory=Places)
    branches: Places = field(default_factory=Places)
    nodes: dict[str, int] = field(default_factory=dict)
    intakes: tuple[Intake, ...] = ()
    rectified: tuple[RectifiedDraw, ...] = ()
    drags: tuple[Drag, ...] = ()
    shafts: Mapping[str, str] = field(default_factory=dict)
    """By the id of what turns, the continuous state that is its speed in percent."""
    events: dict[int, tuple[int, int]] = field(default_factory=dict)
    """By the number of a system, its first priority in the calendar and the number of its first event."""

    given: Places = field(default_factory=Places)
    """What units give beside their states, for the code of outputs."""

    def shaft(self, name: str | None) -> int | None:
        """The place of the speed of what turns, in percent; None where nothing is named."""
        return None if name is None else self.x.numbers[self.shafts[name]]

    def code(self, kind: Literal["x", "volts", "amps", "given"], name: str) -> str:
        """The code that gives a continuous state, a node's volts, a branch's amps or what a unit gives."""
        match kind:
            case "x":
                return f"x{self.x.numbers[name]}"
            case "volts":
                return f"v{self.nodes[name]}"
            case "amps":
                return f"i{self.branches.numbers[name]}"
            case "given":
                return f"g{self.given.numbers[name]}"
