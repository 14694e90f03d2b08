"""The deck as it lit up: small pictures of it along the time axis, each zone lit while its bus lived."""

from __future__ import annotations

from collections.abc import Iterator

from lumenstat.documents.airframe import Airframe
from lumenstat.language.wording import phrase
from lumenstat.simulation.trace import Trace
from lumenstat.systems.panel.part import Panel
from lumenstat.web.rendering import Context, clock

PICTURES = 7
COLUMNS = 12
HEIGHT, GAP = 30, 8


class FilmZone(Context):
    """One zone in a picture; pixels, `lit` while its bus was alive."""

    x: float
    y: float
    width: float
    height: float
    lit: bool


class Film(Context):
    """The deck at one moment."""

    seconds: float
    title: str
    x: float
    zones: tuple[FilmZone, ...]


def film(trace: Trace, airframe: Airframe, left: float, plot: float, top: float) -> tuple[Film, ...]:
    """Pictures evenly along the axis; each stands over the moment in its middle."""
    width = plot / PICTURES - GAP
    page = airframe.panels[0].page
    panels = [panel for panel in airframe.panels if panel.page == page]
    found = []
    for n in range(PICTURES):
        # The middle of each picture's share: the first one is no picture of the dark start alone.
        seconds = trace.end * (n + 0.5) / PICTURES
        x = left + plot * (n + 0.5) / PICTURES - width / 2
        zones = tuple(_zones(trace, panels, seconds, x, width, top))
        lit = sum(zone.lit for zone in zones)
        title = phrase("{seconds}: {lit} of {count} zones lit", seconds=clock(seconds), lit=lit, count=len(zones))
        found.append(Film(seconds=round(seconds, 2), title=title, x=round(x, 1), zones=zones))
    return tuple(found)


def _zones(trace: Trace, panels: list[Panel], seconds: float, x: float, width: float, top: float) -> Iterator[FilmZone]:
    alive = {strip.id: any(a <= seconds < b for a, b in strip.alive) for strip in trace.strips}
    rows = max(panel.place[1] for panel in panels) + 1
    tall, wide = HEIGHT / rows, width / COLUMNS
    for panel in panels:
        column, row, span = panel.place
        yield FilmZone(
            x=round(x + column * wide, 1),
            y=round(top + row * tall, 1),
            width=round(span * wide - 0.8, 1),
            height=round(tall - 0.8, 1),
            lit=alive.get(panel.bus, False),
        )
