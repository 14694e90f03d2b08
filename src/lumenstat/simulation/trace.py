"""What a flight looked like over time: lines and strips for a chart, or evenly spaced rows for a table."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from pydantic import BaseModel, ConfigDict

from lumenstat.language import naming
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import Flight, TracePoint
from lumenstat.systems.terms import Discrete

# Volts. Less than a pixel of the debrief's chart.
FLAT = 0.01
# A chart that is cut out of the middle still finds a point near its edge.
LONGEST_GAP_TICKS = 1000


class Strip(BaseModel):
    """When a bus was alive, as stretches of seconds."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    alive: tuple[tuple[float, float], ...]


class Line(BaseModel):
    """Volts over seconds; points lie close where the line bends."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    points: tuple[tuple[float, float], ...]


class MachineSpans(BaseModel):
    """The APU, an engine or an inertial unit: what it was doing over which seconds, rest left out."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    spans: tuple[tuple[float, float, str], ...]


class Trace(BaseModel):
    """A flight as a chart: `end` in seconds."""

    model_config = ConfigDict(frozen=True)
    end: float
    lines: tuple[Line, ...]
    strips: tuple[Strip, ...]
    machines: tuple[MachineSpans, ...] = ()


def trace_of(flight: Flight) -> Trace:
    """Lines of all DC bus volts, strips of all buses."""
    airframe = flight.aircraft.plan.airframe
    a_slots, d_slots = flight.aircraft.plan.a.numbers, flight.aircraft.plan.d.numbers
    lines = tuple(
        Line(id=bus.id, name=bus.name, points=_line(flight.trace, a_slots[naming.bus_volts(bus.id)]))
        for bus in airframe.electrical.buses
        if bus.kind == "dc"
    )
    strips = tuple(
        Strip(id=bus.id, name=bus.name, alive=_alive(flight, d_slots[naming.bus_alive(bus.id)]))
        for bus in airframe.electrical.buses
    )
    return Trace(end=flight.end / 100, lines=lines, strips=strips, machines=tuple(_machines(flight)))


def _line(points: Sequence[TracePoint], slot: int) -> tuple[tuple[float, float], ...]:
    kept: list[TracePoint] = []
    for n, point in enumerate(points):
        # The last point before a bend stays, or the line would begin to bend too early.
        near = kept and abs(point.a[slot] - kept[-1].a[slot]) < FLAT
        follows = n + 1 < len(points) and abs(points[n + 1].a[slot] - point.a[slot]) < FLAT
        if near and follows and point.tick - kept[-1].tick < LONGEST_GAP_TICKS:
            continue
        kept.append(point)
    return tuple((point.tick / 100, round(point.a[slot], 2)) for point in kept)


REST = ("off", "stopped", "")


def _machines(flight: Flight) -> Iterator[MachineSpans]:
    """Every machine that did something."""
    slots = flight.aircraft.plan.d.numbers
    named = [(each.name, each.phase) for system in flight.aircraft.plan.systems for each in system.machines()]
    for name, quantity in named:
        spans: list[tuple[float, float, str]] = []
        for point, after in zip(flight.trace, [*flight.trace[1:], None], strict=True):
            phase = str(point.d[slots[quantity]])
            until = (after.tick if after else flight.end) / 100
            if phase in REST:
                continue
            if spans and spans[-1][2] == phase and spans[-1][1] == point.tick / 100:
                spans[-1] = (spans[-1][0], until, phase)
            else:
                spans.append((point.tick / 100, until, phase))
        if kept := tuple(span for span in spans if span[1] > span[0]):
            yield MachineSpans(id=quantity, name=name, spans=kept)


def _alive(flight: Flight, slot: int) -> tuple[tuple[float, float], ...]:
    spans: list[tuple[float, float]] = []
    since: int | None = None
    for point in flight.trace:
        if point.d[slot] and since is None:
            since = point.tick
        elif not point.d[slot] and since is not None:
            spans.append((since / 100, point.tick / 100))
            since = None
    if since is not None:
        spans.append((since / 100, flight.end / 100))
    return tuple(spans)


@dataclass
class Sampler:
    """A watcher that keeps every quantity at even intervals of `every` ticks."""

    aircraft: Aircraft
    every: int
    rows: list[dict[str, Discrete | None]] = field(default_factory=list)
    _next: int = 0

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Sample wherever an interval ends inside the step."""
        while self._next <= end:
            if self._next >= start:
                self.rows.append(self.aircraft.state(sample(max(self._next, start))))
            self._next += self.every

    def at_event(self, tick: int) -> None:
        """Events fall between samples; the next step tells what they did."""
