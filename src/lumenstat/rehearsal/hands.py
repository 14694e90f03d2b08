"""A perfect trainee's hands and eyes on one aircraft: every act takes its time, leaves its event, and is right."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.checklist import (
    CheckItem,
    ControlItem,
    DecideItem,
    HoldItem,
    Item,
    RequestItem,
    SetItem,
    SweepItem,
    WaitItem,
)
from lumenstat.documents.procedure import Procedure, target_of
from lumenstat.documents.readings import meaning_of, shown_figure
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import position_text
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft, Snapshot
from lumenstat.simulation.watching import Watch, WatchKept
from lumenstat.systems.terms import ticks

PACE_SECONDS = {
    "set": 1.5, "verify": 1.0, "check": 2.5, "hold": 1.0, "wait": 1.0, "request": 2.0, "decide": 2.0, "confirm": 2.0,
    "guard": 0.5, "see": 0.5, "finish": 1.0,
}  # fmt: skip
"""How long an act takes from deciding on it to having done it: a brisk hand. Our own figures, no source."""

LOOK_TICKS = 50
"""While waiting a trainee looks every half second."""
HOLD_MARGIN_SECONDS = 0.2
HOLD_LONGEST_SECONDS = 60.0
LOOK_AHEAD_TICKS = 24_000


@dataclass(frozen=True, slots=True)
class Sight:
    """What there is to see at one tick: the figures, and which watched expressions are true."""

    tick: int
    a: list[float]
    flags: tuple[bool, ...]


Kept = tuple[Snapshot, WatchKept, int]
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

    def __post_init__(self) -> None:
        self.aircraft = ready(self.bundle.airframe, self.bundle.exercise.start, self.bundle.exercise.faults)
        self.watch = Watch(self.aircraft, self.texts)
        self.aircraft.watchers.append(self.watch)
        self._numbers = {text: n for n, text in enumerate(self.texts)}

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
        carry_out(self.aircraft, done)
        self.events.append(done)

    # ---- controls ----------------------------------------------------------------------------------------

    def stands(self, control: str) -> str:
        """Where a control stands."""
        return str(position_text(self.aircraft.d[self.aircraft.plan.d[f"control.{control}"]]))

    def move(self, control: str, to: str) -> None:
        """Put a control somewhere, its guard first."""
        part = self.bundle.airframe.controls[control]
        if part.kind == "guarded-toggle" and not self.aircraft.d[self.aircraft.plan.d[f"guard.{control}"]]:
            self.event("guard", control=control, open=True)
        figure = float(to) if part.kind == "entry" else to
        self.event("set", control=control, to=figure)

    def control_item(self, item: ControlItem) -> None:
        """Set, or look at, every control of a line; what is out of place is put right first."""
        wanted = target_of(item, self.procedure.papers)
        for control in item.all_controls:
            if isinstance(item, SetItem):
                self.move(control, wanted)
                continue
            if self.stands(control) != wanted:
                self.move(control, wanted)
            self.event("see", control=control, position=wanted)

    def sweep(self, item: SweepItem) -> None:
        """Each end, and back to where it stood."""
        stood, positions = self.stands(item.control), self.bundle.airframe.controls[item.control].positions
        for end in (positions[0], positions[-1], stood):
            if end != self.stands(item.control):
                self.move(item.control, end)

    def hold(self, item: HoldItem) -> bool:
        """Press, wait until it is long enough and the indication is there, let go; whether it was there."""
        self.event("press", PACE_SECONDS["hold"], control=item.control)
        began = self.tick
        longest = item.at_most if item.at_most is not None else HOLD_LONGEST_SECONDS
        self.pass_time(min(item.seconds + HOLD_MARGIN_SECONDS, max(longest, item.seconds)))
        while item.watch and not self.flag(item.watch) and (self.tick - began) / 100 < longest - HOLD_MARGIN_SECONDS:
            self.pass_time(HOLD_MARGIN_SECONDS)
        there = item.watch is None or self.flag(item.watch)
        self.event("release", 0.0, control=item.control)
        return there

    def there(self, item: Item, reading: str = "within", sight: Sight | None = None) -> bool:
        """Whether what an item waits for is there, now or as seen; of a check, that its reading means `reading` in its
        moment."""
        match item:
            case WaitItem():
                return self.flag(item.until, sight)
            case RequestItem():
                return self.can_ask(item)
            case DecideItem():
                return any(self.flag(branch.when, sight) for branch in item.branches)
            case CheckItem():
                moment = item.moment is None or self.flag(item.moment.when, sight)
                return moment and self.meaning(item, sight) == reading
            case _:
                return True

    def sees(self, item: Item, sight: Sight) -> tuple[bool, str]:
        """Whether what an item waits for is there, and of a check in its moment what its reading means."""
        if isinstance(item, CheckItem) and (item.moment is None or self.flag(item.moment.when, sight)):
            means = self.meaning(item, sight)
            return means == "within", means
        return self.there(item, sight=sight), ""

    def can_ask(self, item: RequestItem) -> bool:
        """Whether a request would be heard, and done, if it were made now."""
        return self.aircraft.units.hindrance("request", {"service": item.service, "action": item.action}) is None

    # ---- readings ----------------------------------------------------------------------------------------

    def reads(self, instrument: str, sight: Sight | None = None) -> float | None:
        """What an instrument shows, now or as seen."""
        read = self.aircraft.plan.reader(f"instrument.{instrument}.reads")
        shown = read(self.aircraft.d, sight.a if sight else self.aircraft.a)
        return float(shown) if isinstance(shown, int | float) else None

    def meaning(self, item: CheckItem, sight: Sight | None = None) -> str:
        """What the instrument's reading means for this item: within, below, above or dead."""
        shown = self.reads(item.instrument, sight)
        if shown is None:
            return "dead"
        exact = shown_figure(shown, self.bundle.airframe.instruments[item.instrument].decimals)
        return meaning_of(exact, item.expect, self.procedure.papers, item.read_tolerance)

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
        kept = self.keep()
        until, found = self.tick + LOOK_AHEAD_TICKS, None
        while found is None and self.tick < until:
            self.look_on(until, lambda sight: self.meaning(item, sight))
            found = self.tick if self.meaning(item) in meanings else None
        self.go_back(*kept)
        return found

    def keep(self) -> Kept:
        """How it is now, to go back to."""
        return self.aircraft.snapshot(), self.watch.keep(), len(self.aircraft.crew)

    def go_back(self, snapshot: Snapshot, watch: WatchKept, crew: int) -> None:
        """Back to how it was; what was said on the crew line since is unsaid."""
        self.aircraft.restore(snapshot)
        self.watch.put_back(watch)
        del self.aircraft.crew[crew:]

    def call(self, item: CheckItem) -> str:
        """Read an instrument aloud and judge it, as it stands when the words are out; gives the judgement."""
        self.pass_time(PACE_SECONDS["check"])
        shown, means = self.reads(item.instrument), self.meaning(item)
        args: dict[str, Any] = {"instrument": item.instrument, "judgement": means}
        if shown is not None:
            args["reading"] = shown_figure(shown, self.bundle.airframe.instruments[item.instrument].decimals)
        self.event("call", 0.0, **args)
        return means
