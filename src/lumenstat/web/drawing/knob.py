"""Where the names of a rotary's positions stand around its knob."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

CENTRE_X, CENTRE_Y = 42.0, 40.0
FROM_THE_CENTRE = 23.0
HALF_A_LETTER = 3.5
BESIDE = 0.3
"""From this sine of its angle on, a name stands beside the knob instead of over it."""


@dataclass(frozen=True, slots=True)
class KnobLabel:
    """The name of a position, and at which of its ends it is held."""

    text: str
    x: float
    y: float
    anchor: Literal["start", "middle", "end"]


def sweep(positions: Sequence[str]) -> int:
    """Degrees from straight up to the last position; the first one lies as far on the other side."""
    return {2: 75, 3: 75, 4: 75, 5: 100, 6: 110}.get(len(positions), 130)


def around_a_knob(positions: Sequence[str]) -> Iterator[KnobLabel]:
    """The names of all positions, where a pointer that is turned to them points."""
    last = max(1, len(positions) - 1)
    for n, text in enumerate(positions):
        angle = math.radians(sweep(positions) * (2 * n / last - 1))
        x = CENTRE_X + FROM_THE_CENTRE * math.sin(angle)
        y = CENTRE_Y - FROM_THE_CENTRE * math.cos(angle)
        side = math.sin(angle)
        anchor: Literal["start", "middle", "end"] = "middle" if abs(side) < BESIDE else "start" if side > 0 else "end"
        drop = -2 if anchor == "middle" else HALF_A_LETTER
        yield KnobLabel(text=text, x=round(x, 1), y=round(y + drop, 1), anchor=anchor)
