"""A person's points over their runs: one mark a run, told apart by shape, on a scale from 0 to 100."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.language.wording import phrase
from lumenstat.records.statistics import TrendPoint
from lumenstat.web.rendering import Context

WIDTH, HEIGHT, LEFT, TOP, FOOT = 640.0, 170.0, 34.0, 10.0, 24.0


class TrendMark(Context):
    """One run: where, passed or not, assessed or practice, and what it was."""

    x: float
    y: float
    passed: bool
    assessed: bool
    run_id: str
    says: str


class Trend(Context):
    """The drawing, in units of one pixel."""

    width: float
    height: float
    left: float
    marks: tuple[TrendMark, ...]
    line: str
    scale: tuple[tuple[float, str], ...]


def draw_trend(points: Sequence[TrendPoint]) -> Trend:
    """The trend of these runs, oldest on the left; the line joins what was assessed."""
    step = (WIDTH - LEFT - 16) / max(1, len(points) - 1)
    marks = tuple(
        TrendMark(
            x=round(LEFT + 8 + n * step, 1),
            y=_y(point.percent),
            passed=point.outcome == "pass",
            assessed=point.mode == "assessed",
            run_id=point.run_id,
            says=phrase("{at:%-d %B}: {title}, {percent:g} %", at=point.at, title=point.title, percent=point.percent),
        )
        for n, point in enumerate(points)
    )
    joined = [mark for mark in marks if mark.assessed]
    line = "M" + "L".join(f"{mark.x} {mark.y}" for mark in joined) if len(joined) > 1 else ""
    scale = tuple((_y(percent), f"{percent:g}") for percent in (0.0, 50.0, 75.0, 100.0))
    return Trend(width=WIDTH, height=HEIGHT, left=LEFT, marks=marks, line=line, scale=scale)


def _y(percent: float) -> float:
    return round(TOP + (HEIGHT - TOP - FOOT) * (1 - percent / 100), 1)
