"""Flies a run log: the same aircraft, the same actions at the same ticks, and what was seen on the way."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from lumenstat.documents.airframe import Limit
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused
from lumenstat.simulation.actions import carried_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.snapshot import CrewLine
from lumenstat.simulation.watcher import Watcher
from lumenstat.simulation.watching import Timeline, Watch
from lumenstat.systems.terms import Discrete


@dataclass(frozen=True)
class Moment:
    """The aircraft just before an event of the log, and whether the event took effect."""

    index: int
    event: LogEvent
    state: Mapping[str, Discrete | None]
    flags: tuple[bool, ...]
    accepted: bool
    refusal: str | None = None
    """What the crew outside answered where they did not do what was asked."""
    took: bool = True
    """Whether a button that was pressed did anything."""


@dataclass(frozen=True)
class Exceedance:
    """A limit that was exceeded, in ticks, with the figure that lay furthest out."""

    limit: Limit
    start: int
    end: int
    peak: float | None


@dataclass(frozen=True)
class TracePoint:
    """Every figure and every state at one tick."""

    tick: int
    d: tuple[Discrete, ...]
    a: tuple[float, ...]


@dataclass
class Flight:
    """A flown log."""

    aircraft: Aircraft
    end: int
    moments: list[Moment]
    timelines: dict[str, Timeline]
    exceedances: list[Exceedance]
    trace: list[TracePoint]
    finished: bool

    @property
    def crew(self) -> list[CrewLine]:
        """What was said on the ground crew line."""
        return self.aircraft.crew


@dataclass
class Recorder:
    """Keeps every step end and event as a trace point."""

    aircraft: Aircraft
    points: list[TracePoint] = field(default_factory=list)

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Nothing to do: step ends are enough, steps are short where figures bend."""

    def at_event(self, tick: int) -> None:
        """Keep the present state; of several on one tick the last."""
        point = TracePoint(tick, tuple(self.aircraft.d), tuple(self.aircraft.a))
        # The state before the first and after the last event of a tick: a chart draws the jump between them.
        if self.points and self.points[-1].tick == tick and len(self.points) > 1 and self.points[-2].tick == tick:
            self.points[-1] = point
        else:
            self.points.append(point)


def fly(
    bundle: Bundle,
    events: Sequence[LogEvent],
    watch: Sequence[str] = (),
    end: int | None = None,
    lenient: bool = False,
    also: Sequence[Callable[[Aircraft], Watcher]] = (),
) -> Flight:
    """Fly the events to their end. `lenient` passes over actions that the aircraft refuses; `also` makes more watchers.

    Raises ActionRefused for an action the aircraft does not have, ModelError if the model fails.
    """
    aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
    limits = bundle.airframe.limits
    texts = [*dict.fromkeys([*watch, *(limit_text(limit) for limit in limits)])]
    watcher = Watch(aircraft, texts)
    recorder = Recorder(aircraft)
    recorder.at_event(0)
    aircraft.watchers += [watcher, recorder, *(make(aircraft) for make in also)]
    moments: list[Moment] = []
    finished = False
    for index, event in enumerate(events):
        aircraft.arrive(event.tick)
        moments.append(happen(aircraft, watcher, index, event, lenient))
        if event.verb == "finish":
            finished = True
            break
    last = end if end is not None else aircraft.tick
    aircraft.arrive(last)
    timelines = dict(zip(texts, watcher.timelines, strict=True))
    return flown(bundle, aircraft, moments, timelines, recorder.points, finished)


def happen(aircraft: Aircraft, watch: Watch, index: int, event: LogEvent, lenient: bool = False) -> Moment:
    """Let an event happen at the present tick, and note how things stood before it. Raises ActionRefused."""
    # Before the act: a switch is judged by what could be seen when the hand went to it.
    state, flags = aircraft.reading(), watch.now()
    refusal = None
    try:
        # Asked before the act: the crew's answer goes by how things stood when they were called.
        if event.verb == "request":
            refusal = aircraft.units.hindrance(event.verb, event.args)
        # A switch moved to where it stands already was still moved; a request that nobody follows was none.
        changed, took = carried_out(aircraft, event)
        accepted = changed or event.verb != "request"
    except ActionRefused:
        if not lenient:
            raise
        accepted, took = False, True
    return Moment(index, event, state, flags, accepted, refusal, took)


def flown(
    bundle: Bundle,
    aircraft: Aircraft,
    moments: list[Moment],
    timelines: dict[str, Timeline],
    trace: list[TracePoint],
    finished: bool,
    end: int | None = None,
) -> Flight:
    """A flight that has come to its end, that of its aircraft where none is given, with the limits that it exceeded."""
    flight = Flight(aircraft, aircraft.tick if end is None else end, moments, timelines, [], trace, finished)
    flight.exceedances = [
        _exceedance(flight, limit, start, stop)
        for limit in bundle.airframe.limits
        for start, stop in timelines[limit_text(limit)].spans(flight.end)
    ]
    flight.exceedances.sort(key=lambda each: each.start)
    return flight


def limit_text(limit: Limit) -> str:
    """When a limit is exceeded, as one expression."""
    return f"held({limit.when}, {limit.for_seconds:g})" if limit.for_seconds else limit.when


def _exceedance(flight: Flight, limit: Limit, start: int, stop: int) -> Exceedance:
    if limit.measures is None:
        return Exceedance(limit, start, stop, None)
    slot = flight.aircraft.plan.a.numbers[limit.measures]
    first = bisect_left(flight.trace, start, key=lambda point: point.tick)
    last = bisect_right(flight.trace, stop, key=lambda point: point.tick)
    figures = [point.a[slot] for point in flight.trace[first:last]]
    # Furthest from where it came, not largest: a limit may be one for falling volts.
    before = flight.trace[first - 1].a[slot] if first else figures[0] if figures else 0.0
    return Exceedance(limit, start, stop, max(figures, key=lambda f: abs(f - before), default=before))
