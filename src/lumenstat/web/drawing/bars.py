"""Small bars over a person's runs: one bar a run, with its figure, so that nothing hangs on its height alone."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.web.rendering import Context

WIDTH, HEIGHT, LEFT, FOOT, TOP = 640.0, 64.0, 34.0, 6.0, 14.0


class ChartBar(Context):
    """One bar, and what it says."""

    x: float
    y: float
    width: float
    height: float
    figure: str
    says: str


class Bars(Context):
    """The drawing, in units of one pixel."""

    width: float
    height: float
    left: float
    foot: float
    bars: tuple[ChartBar, ...]


def draw_bars(values: Sequence[tuple[float | None, str, str]]) -> Bars:
    """Bars of these values, each with its figure and what it says; None leaves a gap."""
    # Nothing but zeros is drawn flat, and not against a scale of nothing.
    most = max((value for value, _, _ in values if value is not None), default=0.0) or 1.0
    step = (WIDTH - LEFT - 16) / max(1, len(values) - 1)
    wide = max(2.0, min(16.0, 0.6 * step))
    bars = []
    for n, (value, figure, says) in enumerate(values):
        if value is None:
            continue
        tall = round((HEIGHT - TOP - FOOT) * value / most, 1)
        x = round(LEFT + 8 + n * step - wide / 2, 1)
        # Figures stand over the bars only where they do not run into each other.
        shown = figure if step >= 18 or len(values) == 1 else ""
        bars.append(
            ChartBar(x=x, y=round(HEIGHT - FOOT - tall, 1), width=round(wide, 1), height=tall, figure=shown, says=says)
        )
    return Bars(width=WIDTH, height=HEIGHT, left=LEFT, foot=HEIGHT - FOOT, bars=tuple(bars))
