"""Where the names of positions stand around a knob and beside a lever, and how much room they need."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

CENTRE_X, CENTRE_Y = 42.0, 40.0
FROM_THE_CENTRE = 23.0
HALF_A_LETTER = 3.5
LETTER_WIDTH = 6.7
"""Of the boldest name, in units of the drawing."""
LEVER_NAMES_FROM = 33.0
SMALLEST_HALF, SMALLEST_LEVER = 42.0, 58.0
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


def knob_half(positions: Sequence[str]) -> float:
    """How far a knob's drawing reaches to each side of its centre, so that the longest name is whole."""
    half = SMALLEST_HALF
    for label in around_a_knob(positions):
        length = LETTER_WIDTH * len(label.text) / (2 if label.anchor == "middle" else 1)
        half = max(half, abs(label.x - CENTRE_X) + length)
    return round(half, 1)


def lever_width(positions: Sequence[str]) -> float:
    """How wide a lever's drawing is with the names beside it."""
    return round(max(SMALLEST_LEVER, LEVER_NAMES_FROM + LETTER_WIDTH * max(map(len, positions))), 1)


def entry_letters(least: float, most: float, step: float) -> int:
    """How many characters the longest figure has that an entry takes."""
    decimals = max(0, -Decimal(str(step)).as_tuple().exponent) if step else 0  # type: ignore[operator]
    return max(len(f"{figure:.{decimals}f}") for figure in (least, most))
