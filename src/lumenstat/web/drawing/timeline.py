"""Places a judged run on one time axis: volts, buses, actions and exceedances under each other."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lumenstat.assessment.ledger import Ledger
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.procedure import Procedure
from lumenstat.language.wording import phrase
from lumenstat.simulation.trace import Line, Trace
from lumenstat.systems.registry import systems_of
from lumenstat.web.drawing.film import HEIGHT, Film, film
from lumenstat.web.rendering import Context, clock

WIDTH = 860
LEFT, RIGHT = 118, 64
VOLTS_TOP, VOLTS_HEIGHT = 20, 120
STRIP, SECTION = 13, 15
SHOWN_LINES = 3
STEADY = ("running", "aligned", "navigating")
Scale = Callable[[float], float]
"""From seconds or volts to a place in the drawing."""


class Path(Context):
    """A line of volts as an SVG path, with its name at the right end."""

    name: str
    d: str
    style: str
    last: str
    y: float


class Tick(Context):
    """A mark on the axis."""

    x: float
    label: str


class StripBar(Context):
    """A stretch over which a bus was alive."""

    x: float
    width: float


class StripRow(Context):
    """One bus."""

    name: str
    y: float
    bars: tuple[StripBar, ...]


class MachineBar(Context):
    """A stretch in which a machine did one thing; `steady` once it is what it is there for."""

    x: float
    width: float
    steady: bool
    title: str


class MachineRow(Context):
    """The APU, an engine or an inertial unit."""

    name: str
    y: float
    bars: tuple[MachineBar, ...]


class ItemMark(Context):
    """One judged item."""

    x: float
    seconds: float
    y: float
    verdict: str
    title: str


class SectionRow(Context):
    """One section's line of marks."""

    title: str
    y: float


class Span(Context):
    """An exceedance."""

    x: float
    width: float
    severity: str
    title: str


class TimeAxis(Context):
    """The drawing, in units of one pixel."""

    width: int
    height: float
    left: int
    plot_width: float
    volts_top: int
    volts_foot: int
    volts_marks: tuple[Tick, ...]
    ticks: tuple[Tick, ...]
    paths: tuple[Path, ...]
    strips: tuple[StripRow, ...]
    machines: tuple[MachineRow, ...]
    films: tuple[Film, ...]
    film_y: float
    sections: tuple[SectionRow, ...]
    marks: tuple[ItemMark, ...]
    spans: tuple[Span, ...]
    axis_y: float
    end: float

    def x(self, seconds: float) -> float:
        """Where a time lies."""
        return round(self.left + self.plot_width * min(seconds, self.end) / self.end, 1)


def lay_out(trace: Trace, ledger: Ledger, procedure: Procedure, airframe: Airframe) -> TimeAxis:
    """The time axis of one run."""
    plot = WIDTH - LEFT - RIGHT
    # A run that was ended at once still has an axis.
    end = max(trace.end, 1.0)

    def x(seconds: float) -> float:
        return round(LEFT + plot * min(seconds, end) / end, 1)

    low, high = _volts_range(trace)

    def y(volts: float) -> float:
        return round(VOLTS_TOP + VOLTS_HEIGHT * (high - min(max(volts, low), high)) / (high - low), 1)

    strips_top = VOLTS_TOP + VOLTS_HEIGHT + 18
    strips = tuple(
        StripRow(
            name=strip.name,
            y=strips_top + n * STRIP,
            # Half a pixel at least: what was alive for a moment is seen.
            bars=tuple(StripBar(x=x(a), width=max(0.5, round(x(b) - x(a), 1))) for a, b in strip.alive),
        )
        for n, strip in enumerate(trace.strips)
    )
    film_top = strips_top + len(strips) * STRIP + 6
    machines_top = film_top + HEIGHT + 8
    # A trace holds phases as codes; the airframe has the words of each.
    words = {
        each.phase: {word: word for word in each.phases}
        for system in systems_of(airframe)
        for each in system.machines()
    }
    machines = tuple(
        MachineRow(
            name=machine.name,
            y=machines_top + n * STRIP,
            bars=tuple(
                MachineBar(
                    x=x(a),
                    width=max(0.5, round(x(b) - x(a), 1)),
                    steady=phase in STEADY,
                    title=phrase(
                        "{machine}: {phase}, {start} to {end}",
                        machine=machine.name,
                        phase=words.get(machine.id, {}).get(phase, phase),
                        start=clock(a),
                        end=clock(b),
                    ),
                )
                for a, b, phase in machine.spans
            ),
        )
        for n, machine in enumerate(trace.machines)
    )
    sections_top = machines_top + len(machines) * STRIP + 14
    sections = tuple(
        SectionRow(title=section.title, y=sections_top + n * SECTION) for n, section in enumerate(procedure.sections)
    )
    axis = sections_top + len(sections) * SECTION + 4
    return TimeAxis(
        width=WIDTH,
        height=axis + 24,
        left=LEFT,
        plot_width=plot,
        volts_top=VOLTS_TOP,
        volts_foot=VOLTS_TOP + VOLTS_HEIGHT,
        volts_marks=tuple(Tick(x=y(v), label=f"{v:g}") for v in _volt_marks(low, high)),
        ticks=tuple(Tick(x=x(t), label=clock(t)) for t in _time_marks(end)),
        paths=tuple(_paths(trace, x, y)),
        strips=strips,
        machines=machines,
        films=film(trace, airframe, LEFT, plot, film_top),
        film_y=film_top,
        sections=sections,
        marks=tuple(_marks(ledger, procedure, x, sections_top)),
        spans=tuple(
            Span(
                x=x(e.start),
                width=max(3.0, round(x(e.end) - x(e.start), 1)),
                severity=e.severity,
                title=e.says,
            )
            for e in ledger.limits
        ),
        axis_y=axis,
        end=end,
    )


def _volts_range(trace: Trace) -> tuple[float, float]:
    volts = [v for line in trace.lines for _, v in line.points if v > 15]
    return (min(volts, default=22.0) // 1 - 0.5, max(volts, default=29.0) // 1 + 1.5)


def _volt_marks(low: float, high: float) -> Iterator[float]:
    at = int(low) + 1
    while at < high:
        yield at
        at += 2 if high - low > 6 else 1


def _time_marks(end: float) -> Iterator[float]:
    step = next((s for s in (30, 60, 120, 300, 600) if end / s <= 9), 1200)
    at = 0
    while at <= end:
        yield at
        at += step


def _paths(trace: Trace, x: Scale, y: Scale) -> Iterator[Path]:
    styles = ("solid", "dashed", "dotted")
    for line, style in zip(_busiest(trace), styles, strict=False):
        started = False
        parts = []
        for seconds, volts in line.points:
            # A bus that is dead has no line at the foot of the chart; its strip says that it is dead.
            if volts < 15:
                started = False
                continue
            parts.append(f"{'L' if started else 'M'}{x(seconds)} {y(volts)}")
            started = True
        last = line.points[-1][1] if line.points else 0.0
        yield Path(name=line.name, d=" ".join(parts), style=style, last=f"{last:.1f}", y=y(last))


def _busiest(trace: Trace) -> list[Line]:
    """The batteries' own buses first: those that were alive from the beginning, then the next to come alive."""

    def comes_alive(line: Line) -> float:
        return next((seconds for seconds, volts in line.points if volts > 15), trace.end)

    return sorted(trace.lines, key=comes_alive)[:SHOWN_LINES]


def _marks(ledger: Ledger, procedure: Procedure, x: Scale, top: float) -> Iterator[ItemMark]:
    for row in sorted(ledger.items, key=lambda row: row.verdict != "done"):  # slips are drawn on top
        if row.at is not None:
            step = procedure.by_id[row.item]
            title = phrase("{at}  {item}: {verdict:low}", at=clock(row.at), item=step.item.challenge, verdict=row.words)
            yield ItemMark(
                x=x(row.at), seconds=row.at, y=top + step.section * SECTION, verdict=row.verdict, title=title
            )
