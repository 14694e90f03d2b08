"""A perfect trainee's hands and eyes on one aircraft: every act takes its time, leaves its event, and is right."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.check import CheckItem
from lumenstat.items.registry import Item
from lumenstat.language import naming
from lumenstat.language.values import position_text
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.snapshot import Snapshot
from lumenstat.simulation.watching import Watch, WatchSnapshot
from lumenstat.systems.panel.part import Control, Instrument
from lumenstat.systems.terms import ticks

PACE_SECONDS = {
    "set": 1.5, "press": 1.0, "request": 2.0, "decide": 2.0, "confirm": 2.0, "guard": 0.5, "see": 0.5, "finish": 1.0,
}  # fmt: skip
"""How long an act takes from deciding on it to having done it: a brisk hand. Our own figures, no source."""

LOOK_TICKS = 50
"""While waiting a trainee looks every half second."""
LOOK_AHEAD_TICKS = 24_000
STILL = 1e-4
STANDING_TICKS, LONGEST_TICKS = 90_000, 4 * 360_000
"""A quarter of an hour, and four hours: what has not come by then is taken not to come in any exercise."""


@dataclass(frozen=True, slots=True)
class Sight:
    """What there is to see at one tick: the figures, and which watched expressions are true."""

    tick: int
    a: list[float]
    flags: tuple[bool, ...]


HandsSnapshot = tuple[Snapshot, WatchSnapshot, int]
"""The aircraft, what was seen of it, and how many lines the crew line had."""


@dataclass
class Hands:
    """Acts on an aircraft and writes down what was done."""

    bundle: Bundle
    procedure: Procedure
    texts: tuple[str, ...]
    aircraft: Aircraft = field(init=False)
    watch: Watch = field(init=False)
    events: list[LogEvent] = field(default_factory=list)
    before: list[tuple[bool, ...]] = field(default_factory=list)
    """By event, what was true of the watched expressions just before it."""
    controls: Mapping[str, Control] = field(init=False)
    instruments: Mapping[str, Instrument] = field(init=False)
    papers: Mapping[str, float | str] = field(init=False)

    def __post_init__(self) -> None:
        self.aircraft = ready(self.bundle.airframe, self.bundle.exercise.start, self.bundle.exercise.faults)
        self.watch = Watch(self.aircraft, self.texts)
        self.aircraft.watchers.append(self.watch)
        self._numbers = {text: n for n, text in enumerate(self.texts)}
        self.controls, self.instruments = self.bundle.airframe.controls, self.bundle.airframe.instruments
        self.papers = self.procedure.papers

    @property
    def tick(self) -> int:
        """Now."""
        return self.aircraft.tick

    @property
    def sight(self) -> Sight:
        """What there is to see now."""
        return Sight(self.tick, self.aircraft.a, self.watch.now())

    def flag(self, text: str, sight: Sight | None = None) -> bool:
        """Whether an expression is true, now or as seen."""
        return (sight.flags if sight else self.watch.now())[self._numbers[text]]

    def pass_time(self, seconds: float) -> None:
        """Let time pass."""
        self.aircraft.arrive(self.aircraft.tick + ticks(seconds))

    def look_on(self, until: int, seen: Callable[[Sight], object]) -> None:
        """Wait, a look every half second, to the first look at which what is `seen` or anything watched is another.

        At least one look is taken; none comes after the next event, nor after `until` but the first.
        """
        begun, before = self.tick, seen(self.sight)

        def same(look: int) -> bool:
            tick = begun + look * LOOK_TICKS
            a = self.aircraft.peek(tick)
            return not self.watch.differs(tick, a) and seen(Sight(tick, a, self.watch.peek(tick, a))) == before

        looks = max(1, (min(self.aircraft.next_change, until) - begun) // LOOK_TICKS)
        # Many looks show the same: by halves to the first that differs, as if every one had been taken.
        if looks > 1 and not same(looks):
            low = 0
            while looks - low > 1:
                middle = (low + looks) // 2
                low, looks = (middle, looks) if same(middle) else (low, middle)
        self.aircraft.arrive(begun + looks * LOOK_TICKS)

    def event(self, verb: str, pace: float | None = None, **args: Any) -> None:
        """Do one thing, after the time it takes."""
        self.pass_time(PACE_SECONDS.get(verb, 0.5) if pace is None else pace)
        done = LogEvent(self.tick, "trainee", verb, args)
        # Taken after the hand has moved there: what was seen last is what the act is judged by.
        self.before.append(self.watch.now())
        carry_out(self.aircraft, done)
        self.events.append(done)

    # ---- controls ----------------------------------------------------------------------------------------

    def stands(self, control: str) -> str:
        """Where a control stands."""
        return str(position_text(self.aircraft.d[self.aircraft.plan.d[naming.control(control)]]))

    def untouched(self, control: str) -> str | None:
        """Where a control stands that nobody has moved since the exercise began; None for one that was moved."""
        moved = any(event.verb == "set" and event.args["control"] == control for event in self.events)
        return None if moved else self.stands(control)

    def move(self, control: str, to: str) -> None:
        """Put a control somewhere, its guard first."""
        part = self.bundle.airframe.controls[control]
        if part.kind == "guarded-toggle" and not self.aircraft.d[self.aircraft.plan.d[naming.guard(control)]]:
            self.event("guard", control=control, open=True)
        figure = float(to) if part.kind == "entry" else to
        self.event("set", control=control, to=figure)

    def there(self, item: Item, meaning: str = "within", sight: Sight | None = None) -> bool:
        """Whether what an item waits for is there, now or as seen; of a reading, that it has this meaning."""
        return item.there(self, meaning, sight)

    def sees(self, item: Item, sight: Sight) -> tuple[bool, str]:
        """Whether what an item waits for is there, and of a check in its moment what its reading means."""
        if means := item.means(self, sight):
            return means == "within", means
        return item.there(self, sight=sight), ""

    def can(self, verb: str, **args: Any) -> bool:
        """Whether an act would be done if it were made now."""
        return self.aircraft.units.hindrance(verb, args) is None

    # ---- readings ----------------------------------------------------------------------------------------

    def reads(self, instrument: str, sight: Sight | None = None) -> float | None:
        """What an instrument shows, now or as seen."""
        read = self.aircraft.plan.reader(naming.reads(instrument))
        shown = read(self.aircraft.d, sight.a if sight else self.aircraft.a)
        return float(shown) if isinstance(shown, int | float) else None

    def select(self, item: CheckItem) -> None:
        """Turn the instrument's selector, and its brightness, to where this item can be read."""
        instrument = self.bundle.airframe.instruments[item.instrument]
        if instrument.dimmer and self.stands(instrument.dimmer) not in instrument.visible_at and instrument.visible_at:
            self.move(instrument.dimmer, instrument.visible_at[-1])
        if instrument.selector is None or self._suits(item):
            return
        stood = self.stands(instrument.selector)
        for position in instrument.by_position:
            kept = self.aircraft.snapshot()
            carry_out(
                self.aircraft, LogEvent(self.tick, "trainee", "set", {"control": instrument.selector, "to": position})
            )
            # Tried on a snapshot: a selector that shows nothing useful must leave no event behind.
            suits = self._suits(item)
            self.aircraft.restore(kept)
            self.watch.at_event(self.tick)
            if suits:
                if position != stood:
                    self.move(instrument.selector, position)
                return

    def _suits(self, item: CheckItem) -> bool:
        if self.reads(item.instrument) is None:
            return False
        return item.moment is None or self.flag(item.moment.when)

    def will_be(self, item: CheckItem, *meanings: str) -> int | None:
        """The tick at which the reading comes to mean one of these by itself if one waits, if it does."""
        kept = self.snapshot()
        until, found = self.tick + LOOK_AHEAD_TICKS, None
        while found is None and self.tick < until:
            self.look_on(until, lambda sight: item.reading_means(self, sight))
            found = self.tick if item.reading_means(self) in meanings else None
        self.restore(*kept)
        return found

    def comes(self, there: Callable[[Sight], bool]) -> int | None:
        """The tick at which something is there if one waits on, for hours if need be; None where it never will be.

        Nothing comes any more once the aircraft stands as it stood a quarter of an hour before.
        """
        kept = self.snapshot()
        begun, found = self.tick, None
        while found is None and self.tick < begun + LONGEST_TICKS:
            stood, until = list(self.aircraft.x), self.tick + STANDING_TICKS
            while found is None and self.tick < until:
                self.look_on(until, there)
                found = self.tick if there(self.sight) else None
            pairs = zip(self.aircraft.x, stood, strict=True)
            still = all(math.isclose(now, then, rel_tol=STILL, abs_tol=STILL) for now, then in pairs)
            # Something that is still to come, a cart on its way, may wake what stands.
            if still and not self.aircraft.calendar.due():
                break
        self.restore(*kept)
        return found

    def snapshot(self) -> HandsSnapshot:
        """How it is now, to go back to."""
        return self.aircraft.snapshot(), self.watch.snapshot(), len(self.aircraft.crew)

    def restore(self, snapshot: Snapshot, watch: WatchSnapshot, crew: int) -> None:
        """Back to how it was; what was said on the crew line since is unsaid."""
        self.aircraft.restore(snapshot)
        self.watch.restore(watch)
        del self.aircraft.crew[crew:]
