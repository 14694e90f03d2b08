"""A small picture of what an exercise lights up: the deck of its airframe, and which of its zones the card works on."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
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


_drawn: dict[str, Lights] = {}


def lights_of(bundle: Bundle) -> Lights:
    """The picture of an exercise, drawn once."""
    found = _drawn.get(bundle.digest)
    if found is None:
        if len(_drawn) >= KEPT:
            _drawn.clear()
        found = _drawn[bundle.digest] = _draw(bundle)
    return found


def _draw(bundle: Bundle) -> Lights:
    parts = {name for step in bundle.procedure.steps for _, name in step.item.parts()}
    zones, top = [], 0.0
    pages = list(dict.fromkeys(panel.page for panel in bundle.airframe.panels))
    for page in pages:
        panels = [panel for panel in bundle.airframe.panels if panel.page == page]
        for panel in panels:
            column, row, span = panel.place
            mine = (*panel.controls, *panel.instruments, *panel.lamps)
            zones.append(
                LightZone(
                    x=round(column * WIDTH / COLUMNS, 2),
                    y=top + row * ROW,
                    width=round(span * WIDTH / COLUMNS - GAP, 2),
                    height=ROW - GAP,
                    lit=any(part.id in parts for part in mine),
                    bus=panel.bus,
                )
            )
        top += (max(panel.place[1] for panel in panels) + 1) * ROW
    return Lights(width=WIDTH, height=top, zones=tuple(zones))
