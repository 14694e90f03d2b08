"""A small picture of what an exercise lights up: the deck of its airframe, and which of its zones the card works on."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.systems.panel.part import Panel
from lumenstat.web.rendering import Context

COLUMNS, WIDTH, ROW, GAP = 12, 96.0, 12.0, 1.5

KEPT = 256


class LightZone(Context):
    """A zone: where it stands, how wide it is, and whether the exercise works on it."""

    x: float
    y: float
    width: float
    height: float
    lit: bool
    bus: str


class Lights(Context):
    """The picture, in units of one pixel."""

    width: float
    height: float
    zones: tuple[LightZone, ...]


_drawn: dict[tuple[str, bool], Lights] = {}


def lights_of(bundle: Bundle, stacked: bool = False) -> Lights:
    """The picture of an exercise, drawn once; pages of the deck stand side by side, or one below the other."""
    key = (bundle.digest, stacked)
    found = _drawn.get(key)
    if found is None:
        if len(_drawn) >= KEPT:
            _drawn.clear()
        found = _drawn[key] = _draw(bundle, stacked)
    return found


def _draw(bundle: Bundle, stacked: bool) -> Lights:
    # A zone lights up where the exercise has something to do, so that each exercise looks like itself.
    parts = {name for step in bundle.procedure.steps for _, name in step.item.parts()}
    zones: list[LightZone] = []
    left = top = height = 0.0
    pages = list(dict.fromkeys(panel.page for panel in bundle.airframe.panels))
    for page in pages:
        panels = [panel for panel in bundle.airframe.panels if panel.page == page]
        zones += (_zone(panel, left, top, parts) for panel in panels)
        page_height = (max(panel.place[1] for panel in panels) + 1) * ROW
        height = max(height, top + page_height)
        # Pages of a panel side by side, or below each other where the drawing is narrow.
        left, top = (left, top + page_height) if stacked else (left + WIDTH + 2 * GAP, top)
    return Lights(width=WIDTH if stacked else left - 2 * GAP, height=height, zones=tuple(zones))


def _zone(panel: Panel, left: float, top: float, parts: set[str]) -> LightZone:
    column, row, span = panel.place
    return LightZone(
        x=round(left + column * WIDTH / COLUMNS, 2),
        y=top + row * ROW,
        width=round(span * WIDTH / COLUMNS - GAP, 2),
        height=ROW - GAP,
        lit=any(part.id in parts for part in (*panel.controls, *panel.instruments, *panel.lamps)),
        bus=panel.bus,
    )
