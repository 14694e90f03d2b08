"""What an instrument shows of a figure, and what a reading means against the limits of an item."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from lumenstat.items.item import Shown
from lumenstat.language.values import Number, Text, Written
from lumenstat.language.wording import phrase

HAIR = 1e-9


class Expect(Written):
    """What an instrument should show. `equals` and `paper` are met within the read tolerance."""

    min: Annotated[Number | None, Shown(phrase("At least"), "figure", "{unit}")] = None
    max: Annotated[Number | None, Shown(phrase("At most"), "figure", "{unit}")] = None
    equals: Number | None = None
    paper: Text | None = None


def shown_figure(figure: float, decimals: int) -> float:
    """The figure as an instrument shows it: what stands on the page is what is judged."""
    return round(figure, decimals)


def meaning_of(reading: float, expect: Expect, papers: Mapping[str, float | str], tolerance: float) -> str:
    """`within`, `below` or `above`, as the limits of the item have it."""
    low, high = bounds_of(expect, papers, tolerance)
    # A limit that was added up may lie a hair beside the figure that it means.
    if low is not None and reading < low - HAIR:
        return "below"
    if high is not None and reading > high + HAIR:
        return "above"
    return "within"


def bounds_of(expect: Expect, papers: Mapping[str, float | str], tolerance: float) -> tuple[float | None, float | None]:
    """Lowest and highest figure that is within limits."""
    low, high = expect.min, expect.max
    exact = expect.equals if expect.paper is None else papers[expect.paper]
    if isinstance(exact, int | float):
        low, high = exact - tolerance, exact + tolerance
    return low, high
