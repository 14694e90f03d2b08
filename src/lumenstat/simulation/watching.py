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

from lumenstat.language.expressions import parse
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.plan import Plan
from lumenstat.systems.terms import Discrete, ticks

CACHED_AT_MOST = 64
"""Sets of expressions kept as functions for one airframe; a builder's drafts make new ones without end."""


@dataclass(frozen=True)
class _Tracker:
    """An expression over time: `held`, `since`, `peak` or `rate`, and after how many ticks it counts."""

    kind: str
    after: int


@dataclass
class _Memory:
    """What the trackers remember, by their number: since when, the figure, the slope."""

    ticks: list[int | None]
    figures: list[float | None]
    slopes: list[float | None]

    def copy(self) -> _Memory:
        """The same, to go back to."""
        return _Memory(list(self.ticks), list(self.figures), list(self.slopes))

    def slope(self, n: int, inner: float | None, tick: int) -> float | None:
        """The rate of a figure since it was last looked at, per second."""
        figure, since = self.figures[n], self.ticks[n]
        # Two events on one tick would divide by nothing; the slope is then what it was.
        if inner is None or figure is None or since is None or tick == since:
            return self.slopes[n]
        return (inner - figure) / ((tick - since) / 100)


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
class WatchSnapshot:
    """A watch's memory at one moment: of its trackers, of what had been seen until then, and its flags."""

    memory: _Memory
    flips: tuple[tuple[tuple[int, bool], ...], ...]
    flags: tuple[bool, ...]


class Watch:
    """Watches a list of expressions on one aircraft; `timelines` runs parallel to the list."""

    def __init__(self, aircraft: Aircraft, texts: Sequence[str]) -> None:
        self.aircraft = aircraft
        self._standing, self._figures, self._remember, trackers = _compiled(aircraft.plan, tuple(texts))
        self._stands: list[Discrete] = []
        self._stand: tuple[bool, ...] = ()
        count = self._count = len(trackers)
        self._memory = _Memory([None] * count, [None] * count, [None] * count)
        self._held = [(n, t.after) for n, t in enumerate(trackers) if t.kind == "held"]
        self._seen: list[float] | None = None
        self.timelines = [Timeline() for _ in texts]
        self.flags: tuple[bool, ...] = ()
        self.at_event(aircraft.tick)

    def snapshot(self) -> WatchSnapshot:
        """What has been seen so far, to go back to."""
        return WatchSnapshot(self._memory.copy(), tuple(tuple(line.flips) for line in self.timelines), self.flags)

    def restore(self, kept: WatchSnapshot) -> None:
        """Go back to what had been seen then; what was seen since is forgotten."""
        self._memory, self.flags, self._seen = kept.memory.copy(), kept.flags, None
        for line, flips in zip(self.timelines, kept.flips, strict=True):
            line.flips[:] = flips

    def saw_as(self, kept: WatchSnapshot, ticks_apart: int) -> bool:
        """Whether the same is true as was then, and has been for as long give or take so many ticks."""
        if self.flags != kept.flags:
            return False
        pairs = zip(self._memory.ticks, kept.memory.ticks, strict=True)
        return all(a == b or (a is not None and b is not None and abs(a - b) <= ticks_apart) for a, b in pairs)

    def now(self) -> tuple[bool, ...]:
        """The value of every expression at the aircraft's present tick."""
        return self.flags[self._count :]

    def peek(self, tick: int, a: list[float]) -> tuple[bool, ...]:
        """Their values at a tick between steps, remembering nothing."""
        return self._peek(tick, a)[self._count :]

    def differs(self, tick: int, a: list[float]) -> bool:
        """Whether any of them, or what a `held` or `since` in one of them waits for, is another at a tick between
        steps than it is now."""
        return self._peek(tick, a) != self.flags

    def _peek(self, tick: int, a: list[float]) -> tuple[bool, ...]:
        return self._look(tick, a)[0]

    def _look(self, tick: int, a: list[float]) -> tuple[tuple[bool, ...], tuple[Any, ...]]:
        """Flags, and the trackers' inner values. What reads no figure is cached until something switches."""
        d = self.aircraft.d
        # Most of what is watched reads switches alone, and they move some hundred times in a flight of
        # thousands of steps.
        if d != self._stands:
            self._stands, self._stand = list(d), self._standing(d)
        found: tuple[tuple[bool, ...], tuple[Any, ...]] = self._figures(d, a, tick, self._memory, self._stand)
        return found

    def during_step(self, start: int, end: int, sample: Callable[[int], list[float]]) -> None:
        """Look at the step's end and wherever a `held` runs out in it; find each flip."""
        ticks = self._memory.ticks
        expiries = {tick + after for n, after in self._held if (tick := ticks[n]) is not None}
        last = start
        for point in sorted({tick for tick in expiries if start < tick < end} | {end}):
            self._to(last, point, sample)
            last = point
        self._seen = sample(end)

    def at_event(self, tick: int) -> None:
        """Look at the present state, unless it is the step's end that was just looked at."""
        seen, self._seen = self._seen, None
        if seen is not self.aircraft.a:
            self._note(tick, *self._look(tick, self.aircraft.a))

    def _to(self, low: int, high: int, sample: Callable[[int], list[float]]) -> None:
        while True:
            flags, inners = self._look(high, sample(high))
            if flags == self.flags:
                self._note(high, flags, inners)
                return
            first = high
            while first - low > 1:
                middle = (low + first) // 2
                if self._look(middle, sample(middle))[0] != self.flags:
                    first = middle
                else:
                    low = middle
            self._note(first, *self._look(first, sample(first)))
            if first == high:
                return
            low = first

    def _note(self, tick: int, flags: tuple[bool, ...], inners: tuple[Any, ...]) -> None:
        self._remember(inners, tick, self._memory)
        if flags != self.flags:
            first = self._count
            for timeline, value in zip(self.timelines, flags[first:], strict=True):
                if not timeline.flips or timeline.flips[-1][1] != value:
                    timeline.flips.append((tick, value))
            self.flags = flags


_Compiled = tuple[Callable[..., tuple[bool, ...]], Callable[..., Any], Callable[..., None], tuple[_Tracker, ...]]


def _compiled(plan: Plan, texts: tuple[str, ...]) -> _Compiled:
    """The functions of these expressions on a plan, generated once: every run of an exercise watches the same."""
    found: _Compiled | None = plan.compiled.get(texts)
    if found is None:
        if len(plan.compiled) >= CACHED_AT_MOST:
            plan.compiled.clear()
        trackers: list[_Tracker] = []
        functions = _compile(plan, texts, trackers)
        found = plan.compiled[texts] = (*functions, tuple(trackers))
    return found


def _compile(
    plan: Plan, texts: Sequence[str], trackers: list[_Tracker]
) -> tuple[Callable[..., tuple[bool, ...]], Callable[..., Any], Callable[..., None]]:
    """Three generated functions: the expressions of which no figure and no time is asked; flags of trackers and of all
    expressions, given those, with the trackers' inner values; and remembering."""
    body: list[str] = []

    def timed(kind: str, code: str, seconds: float, nullable: bool) -> str:
        n = len(trackers)
        trackers.append(_Tracker(kind, ticks(seconds)))
        body.append(f"    i{n} = {code}")
        body.extend(f"    {line}" for line in _value(n, trackers[-1]))
        return f"v{n}"

    emitter = plan.emitter(timed)
    outer, standing = [], []
    for text in texts:
        before = len(trackers)
        code = emitter.truth(parse(text))
        if len(trackers) == before and "a[" not in code:
            standing.append(code)
            code = f"s{len(standing) - 1}"
        outer.append(code)
    flags = [f"i{n}" if t.kind in ("held", "since") else "False" for n, t in enumerate(trackers)]
    inners = "".join(f"i{n}, " for n in range(len(trackers)))
    joined = "".join(f"{each}, " for each in [*flags, *outer])
    look = [
        "def look(d, a, tick, M, S_):",
        "    K, F = M.ticks, M.figures",
        *([f"    {''.join(f's{n}, ' for n in range(len(standing)))}= S_"] if standing else []),
        *body,
        f"    return ({joined}), ({inners})",
        "",
    ]
    stands = f"def stands(d):\n    return ({''.join(f'{each}, ' for each in standing)})\n"
    remember = ["def remember(inners, tick, M):", "    K, F, L = M.ticks, M.figures, M.slopes"]
    if trackers:
        remember.append(f"    {inners}= inners")
    for n, tracker in enumerate(trackers):
        remember.extend(f"    {line}" for line in _noting(n, tracker))
    found: Callable[..., Any] = plan.function("\n".join(look), "look")
    noted: Callable[..., None] = plan.function("\n".join([*remember, ""]), "remember")
    return plan.function(stands, "stands"), found, noted


def _value(n: int, tracker: _Tracker) -> Sequence[str]:
    """Code of a tracker's value at a tick, from its inner value and what is remembered."""
    match tracker.kind:
        case "held":
            return (f"k = K[{n}]", f"v{n} = bool(i{n}) and tick - (tick if k is None else k) >= {tracker.after}")
        case "since":
            return (f"k = K[{n}]", f"v{n} = (tick - (tick if k is None else k)) / 100 if i{n} else None")
        case "peak":
            return (f"f = F[{n}]", f"v{n} = f if i{n} is None else i{n} if f is None or i{n} > f else f")
        case _:
            return (f"v{n} = M.slope({n}, i{n}, tick)",)


def _noting(n: int, tracker: _Tracker) -> Sequence[str]:
    """Code that remembers what was seen at a tick."""
    match tracker.kind:
        case "held" | "since":
            return (f"if not i{n}: K[{n}] = None", f"elif K[{n}] is None: K[{n}] = tick")
        case "peak":
            return (f"if i{n} is not None and (F[{n}] is None or i{n} > F[{n}]): F[{n}] = i{n}",)
        case _:
            return (f"L[{n}] = M.slope({n}, i{n}, tick)", f"F[{n}], K[{n}] = i{n}, tick")
