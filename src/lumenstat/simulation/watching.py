"""Watches yes-or-no expressions while an aircraft flies, and knows to the tick when each one flips.

Watching changes nothing: step ends and events are looked at as they come, and a flip inside a step is found by
bisection on ticks. `held` and `since` remember when their inner expression became true, `peak` the highest figure yet,
`rate` the slope since the last look.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.expressions import parse
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.plan import Plan, ticks


@dataclass
class _Tracker:
    """Memory of one expression over time: `held`, `since`, `peak` or `rate`."""

    kind: str
    after: int
    tick: int | None = None
    figure: float | None = None
    slope: float | None = None

    def value(self, inner: Any, tick: int) -> Any:
        """The value at a tick, without remembering anything."""
        match self.kind:
            case "held":
                return bool(inner) and tick - (tick if self.tick is None else self.tick) >= self.after
            case "since":
                return (tick - (tick if self.tick is None else self.tick)) / 100 if inner else None
            case "peak":
                return self.figure if inner is None else inner if self.figure is None else max(inner, self.figure)
            case _:
                if inner is None or self.figure is None or self.tick is None or tick == self.tick:
                    return self.slope
                return (inner - self.figure) / ((tick - self.tick) / 100)

    def note(self, inner: Any, tick: int) -> None:
        """Remember what was seen at a tick."""
        match self.kind:
            case "held" | "since":
                self.tick = (tick if self.tick is None else self.tick) if inner else None
            case "peak":
                self.figure = self.value(inner, tick)
            case _:
                self.slope = self.value(inner, tick)
                self.figure, self.tick = inner, tick


@dataclass
class Timeline:
    """When an expression flipped: its value from each tick on."""

    flips: list[tuple[int, bool]] = field(default_factory=list)

    def at(self, tick: int) -> bool:
        """Its value at a tick, everything that happened on that tick included."""
        index = bisect_right(self.flips, tick, key=lambda flip: flip[0]) - 1
        return self.flips[index][1] if index >= 0 else False

    def first_true(self, after: int = 0) -> int | None:
        """The first tick from `after` on at which it is true."""
        if self.at(after):
            return after
        return next((tick for tick, value in self.flips if value and tick > after), None)

    def spans(self, end: int) -> list[tuple[int, int]]:
        """Every stretch of ticks over which it is true, the last one cut at `end`."""
        spans, since = [], None
        for tick, value in self.flips:
            if value and since is None:
                since = tick
            elif not value and since is not None:
                spans.append((since, tick))
                since = None
        if since is not None:
            spans.append((since, end))
        return [(a, b) for a, b in spans if b > a]


@dataclass(frozen=True)
class WatchKept:
    """A watch's memory at one moment: of its trackers, of how much had been seen, and its flags."""

    memory: tuple[tuple[int | None, float | None, float | None], ...]
    lengths: tuple[int, ...]
    flags: tuple[bool, ...]


class Watch:
    """Watches a list of expressions on one aircraft; `timelines` runs parallel to the list."""

    def __init__(self, aircraft: Aircraft, texts: Sequence[str]) -> None:
        self.aircraft = aircraft
        self.trackers: list[_Tracker] = []
        self._look = _compile(aircraft.plan, texts, self.trackers)
        self.timelines = [Timeline() for _ in texts]
        self.flags: tuple[bool, ...] = ()
        self.at_event(aircraft.tick)

    def keep(self) -> WatchKept:
        """What has been seen so far, to go back to."""
        memory = tuple((t.tick, t.figure, t.slope) for t in self.trackers)
        return WatchKept(memory, tuple(len(line.flips) for line in self.timelines), self.flags)

    def put_back(self, kept: WatchKept) -> None:
        """Go back to what had been seen then; what was seen since is forgotten."""
        for tracker, (tick, figure, slope) in zip(self.trackers, kept.memory, strict=True):
            tracker.tick, tracker.figure, tracker.slope = tick, figure, slope
        for line, length in zip(self.timelines, kept.lengths, strict=True):
            del line.flips[length:]
        self.flags = kept.flags

    def now(self) -> tuple[bool, ...]:
        """The value of every expression at the aircraft's present tick."""
        return self.flags[len(self.trackers) :]

    def peek(self, tick: int, a: list[float]) -> tuple[bool, ...]:
        """Their values at a tick between steps, remembering nothing."""
        return self._flags(tick, a)[len(self.trackers) :]

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Look at the step's end and wherever a `held` runs out in it; find each flip."""
        expiries = {t.tick + t.after for t in self.trackers if t.kind == "held" and t.tick is not None}
        last = start
        for point in sorted({tick for tick in expiries if start < tick < end} | {end}):
            self._to(last, point, sample)
            last = point

    def at_event(self, tick: int) -> None:
        """Look at the present state."""
        self._note(tick, self.aircraft.a)

    def _to(self, low: int, high: int, sample: Callable[[int], list[float]]) -> None:
        while self._differs(high, sample(high)):
            first = high
            while first - low > 1:
                middle = (low + first) // 2
                if self._differs(middle, sample(middle)):
                    first = middle
                else:
                    low = middle
            self._note(first, sample(first))
            low = first
            if first == high:
                return
        self._note(high, sample(high))

    def _differs(self, tick: int, a: list[float]) -> bool:
        return self._flags(tick, a) != self.flags

    def _flags(self, tick: int, a: list[float]) -> tuple[bool, ...]:
        flags: tuple[bool, ...] = self._look(self.aircraft.d, a, tick, self.trackers)[0]
        return flags

    def _note(self, tick: int, a: list[float]) -> None:
        flags, inners = self._look(self.aircraft.d, a, tick, self.trackers)
        for tracker, inner in zip(self.trackers, inners, strict=True):
            tracker.note(inner, tick)
        if flags != self.flags:
            first = len(self.trackers)
            for timeline, value in zip(self.timelines, flags[first:], strict=True):
                if not timeline.flips or timeline.flips[-1][1] != value:
                    timeline.flips.append((tick, value))
            self.flags = flags


def _compile(plan: Plan, texts: Sequence[str], trackers: list[_Tracker]) -> Callable[..., Any]:
    """One generated function: flags of trackers and expressions, and the trackers' inner values."""
    body: list[str] = []

    def timed(kind: str, code: str, seconds: float, nullable: bool) -> str:
        number = len(trackers)
        trackers.append(_Tracker(kind, ticks(seconds)))
        body.append(f"    i{number} = {code}")
        body.append(f"    v{number} = T[{number}].value(i{number}, tick)")
        return f"v{number}"

    emitter = plan.emitter(timed)
    outer = [emitter.truth(parse(text)) for text in texts]
    flags = [f"i{n}" if t.kind in ("held", "since") else "False" for n, t in enumerate(trackers)]
    inners = [f"i{n}" for n in range(len(trackers))]
    joined = "".join(f"{each}, " for each in [*flags, *outer])
    source = "\n".join(
        [
            "def look(d, a, tick, T):",
            *body,
            f"    return ({joined}), ({''.join(f'{i}, ' for i in inners)})",
            "",
        ]
    )
    look: Callable[..., Any] = plan.function(source, "look")
    return look
