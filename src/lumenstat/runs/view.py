"""What the viewers of a run have been shown, and what has changed since: only what stands on their page."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import Any

from lumenstat.language.wording import as_json
from lumenstat.runs.live import LiveRun
from lumenstat.runs.seats import Seat, encoded, send_all
from lumenstat.simulation.plan import Plan
from lumenstat.systems.terms import Discrete

Values = tuple[Discrete | None, ...]
ReadShown = Callable[[list[Discrete], list[float]], Values]
Frame = dict[str, Any]

VOLT_DECIMALS, OTHER_DECIMALS = 2, 1
QUIET_TICKS = 20
"""A step that ends later than this is worth a look at its end: where nothing shown changes by then, nothing is looked
at until then."""


class View:
    """One run as its viewers see it."""

    def __init__(self, live: LiveRun, names: Sequence[str]) -> None:
        self.live = live
        # An airframe need not have all that a card could show.
        self.all_names = [name for name in names if name in live.aircraft.plan.codes]
        self.quiet_until = 0
        self._called: frozenset[str] | None = None
        self._names: list[str] = []
        self._values: Values = ()
        self._read: ReadShown = lambda d, a: ()
        self._tick = self._second = self._acts = -1
        self._clock: Frame = {}
        self._card: Frame = {}
        self._crew = self._words = 0
        self._hand = False
        self._pointed = live.pointed

    def whole(self) -> Frame:
        """Everything as it was told last, for somebody who has just come."""
        return {
            "type": "state",
            "whole": True,
            "t": self._tick / 100,
            "clock": self._clock,
            "quantities": dict(zip(self._names, self._values, strict=True)),
            "card": self._card,
            "crew": self._crew_lines(0)[: self._crew],
            "hand": self._hand,
        }

    def changes(self) -> Frame | None:
        """What is shown and has changed since it was told last; None where nothing has."""
        live = self.live
        frame: Frame = {}
        tick = live.clock.now()
        figures = live.figures()
        if quantities := self._changed(figures):
            frame["quantities"] = quantities
        elif live.clock.running and live.clock.rate == 1:
            self._look_ahead(tick)
        self._add_acts(frame)
        clock = {
            "running": live.clock.running,
            "frozen": live.frozen,
            "finished": live.finished,
            "rate": live.clock.rate,
            "rates": live.rates_allowed(figures),
        }
        if clock != self._clock:
            frame["clock"] = self._clock = clock
        return self._framed(frame, tick)

    def passing(self) -> Frame | None:
        """The clock alone, once a second, while nothing else that is shown can change."""
        return self._framed({}, self.live.clock.now())

    def _framed(self, frame: Frame, tick: int) -> Frame | None:
        second = tick // 100
        self._tick = tick
        if not frame and second == self._second:
            return None
        self._second = second
        return {"type": "state", "t": tick / 100, **frame}

    def _add_acts(self, frame: Frame) -> None:
        """What only acts change: the card, the crew line, what was said."""
        live = self.live
        if live.acts != self._acts:
            # Acts are few and cards long, so a card is put together only after one.
            self._acts = live.acts
            card = _card(live)
            if card != self._card:
                frame["card"] = self._card = card
            words = live.words
            if self._words < len(words):
                new = words[self._words :]
                frame["words"] = [as_json(word.says) for word in new]
                frame["from_instructor"] = [as_json(word.says) for word in new if word.instructs]
                self._words = len(words)
            if live.hand_up != self._hand:
                frame["hand"] = self._hand = live.hand_up
            if live.pointed is not None and live.pointed != self._pointed:
                self._pointed = live.pointed
                frame["pointed"] = live.pointed[1]
        if self._crew < len(live.aircraft.crew):
            frame["crew"] = self._crew_lines(self._crew)
            self._crew = len(live.aircraft.crew)

    def _crew_lines(self, after: int) -> list[Frame]:
        lines = self.live.aircraft.crew[after:]
        return [{"t": line.tick / 100, "by": line.by, "says": as_json(line.says)} for line in lines]

    def _changed(self, figures: list[float]) -> dict[str, Discrete | None]:
        if self._called is None or self._called != self.live.called:
            return self._anew(figures)
        values = self._read(self.live.aircraft.d, figures)
        if values == self._values:
            return {}
        before, self._values = self._values, values
        self.quiet_until = 0
        return {name: new for name, old, new in zip(self._names, before, values, strict=True) if old != new}

    def _anew(self, figures: list[float]) -> dict[str, Discrete | None]:
        """Read other quantities from here on: a hot bus shows its volts once somebody has called them."""
        before = dict(zip(self._names, self._values, strict=True)) if self._called is not None else {}
        self._called = frozenset(self.live.called)
        hidden = self.live.hidden
        self._names = [name for name in self.all_names if name not in hidden]
        self._read = _reader(self.live.aircraft.plan, tuple(self._names))
        self._values = self._read(self.live.aircraft.d, figures)
        self.quiet_until = 0
        now = dict(zip(self._names, self._values, strict=True))
        return {name: value for name, value in now.items() if name not in before or before[name] != value}

    def _look_ahead(self, tick: int) -> None:
        """Where the step under way ends, or is half over, with all shown as it is now, nothing is looked at before."""
        # The end of the step first; half of it where the end shows something else.
        aircraft = self.live.aircraft
        end = aircraft.next_change
        for until in (end, tick + (end - tick) // 2):
            if until - tick < QUIET_TICKS:
                return
            figures = aircraft.peek(until)
            if self._read(aircraft.d, figures) == self._values and not self.live.watch.differs(until, figures):
                self.quiet_until = until
                return


class Views:
    """What the trainee of a run sees, and what onlookers see: one view where both are the same."""

    def __init__(self, live: LiveRun, trainee: Sequence[str], onlookers: Sequence[str]) -> None:
        self.live = live
        self.onlookers = View(live, onlookers)
        self.trainee = self.onlookers if list(trainee) == list(onlookers) else View(live, trainee)

    def anew(self, live: LiveRun) -> Views:
        """The same of another run: one that was flown again up to where it is."""
        return Views(live, self.trainee.all_names, self.onlookers.all_names)

    def of(self, seat: Seat) -> View:
        """What somebody in a seat sees."""
        return self.trainee if seat.flies else self.onlookers

    def _before(self, seats: Collection[Seat]) -> list[View]:
        """The views that somebody has before them."""
        return [
            view for view in dict.fromkeys((self.trainee, self.onlookers)) if any(self.of(s) is view for s in seats)
        ]

    def quiet_until(self, seats: Collection[Seat]) -> int:
        """Until when nothing changes for anybody who looks."""
        return min((view.quiet_until for view in self._before(seats)), default=0)

    def send(self, seats: Collection[Seat], told: Callable[[View], Frame | None]) -> None:
        """Tell everybody what their view has to tell; a view that nobody has before them is not looked at."""
        for view in self._before(seats):
            if (frame := told(view)) is not None:
                send_all([seat for seat in seats if self.of(seat) is view], encoded(frame))


def _card(live: LiveRun) -> Frame:
    card = live.card
    return {
        "current": card.current.id if card.current else None,
        "answered": sorted(card.answered),
        "items": [item.id for item in card.items],
        "hints": dict(card.hints),
        "ready": card.ready,
        "flow": card.flow,
    }


def _reader(plan: Plan, names: tuple[str, ...]) -> ReadShown:
    """A generated function that reads these quantities as they are shown; kept with the plan."""
    key = ("shown", names)
    found: ReadShown | None = plan.compiled.get(key)
    if found is None:
        lines = ["def shown(d, a):", "    return (", *(f"        {_shown(plan, name)}," for name in names), "    )", ""]
        found = plan.compiled[key] = plan.function("\n".join(lines), "shown")
    return found


def _shown(plan: Plan, name: str) -> str:
    """Code of a quantity as it is shown: a reading as `shown_figure` has it, others a decimal finer than drawn."""
    code, group = plan.codes[name], name.split(".", maxsplit=1)[0]
    if plan.quantities[name].kind != "number" or group == "control":
        return code
    if group == "instrument":
        decimals = plan.instruments[name.split(".")[1]].decimals
        return f"(None if (v := {code}) is None else round(v, {decimals}))"
    if name.endswith(".seconds_left"):
        return f"-(-({code}) // 1)"
    return f"round({code}, {VOLT_DECIMALS if name.endswith('.volts') else OTHER_DECIMALS})"
