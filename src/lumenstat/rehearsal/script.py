"""A perfect flight as a script: its acts can be flown again in another order, one left out or one held back.

Every act waits again for what it waited for; what does not come within patience is noted, passed over, and the flight
goes on to its end. Flights share what came before the change through snapshots.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import watched_texts
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused
from lumenstat.items.check import CheckItem
from lumenstat.items.registry import Item
from lumenstat.language import naming
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.rehearsal.hands import Hands, HandsSnapshot, Sight
from lumenstat.rehearsal.perfect import Acted, Rehearsal
from lumenstat.simulation.actions import carry_out
from lumenstat.simulation.flight import limit_text
from lumenstat.systems.terms import Discrete

HELD_BACK_SECONDS = 4.0
TICKS_ALIKE = 50
TICKS_EARLIER = 500
"""A flight that stands as the script unchanged stood, at most so much later or earlier, is taken to go on as that one
did: half a second is no delay, and one that is ahead has only longer to wait."""
PATIENCE_SECONDS = 120.0
PATIENCE_LATER_SECONDS = 20.0
SETTLING_SECONDS = 30.0


@dataclass(frozen=True)
class Missed:
    """What an act did not find: a wait or a request that never came, a reading or an indication that was another."""

    item: str
    tick: int
    kind: str
    says: str


@dataclass(frozen=True)
class Lit:
    """A lamp that came on, and the act it followed."""

    lamp: str
    tick: int
    after: str
    after_tick: int


@dataclass(frozen=True)
class ScriptFlight:
    """A flight of the script to its end; ticks. `ends` tells whether the exercise ends by itself, where it is to."""

    ready_at: int
    missed: tuple[Missed, ...]
    exceeded: Mapping[str, int]
    lit: tuple[Lit, ...]
    end: Mapping[str, Discrete | None]
    events: tuple[LogEvent, ...] = ()
    ends: bool = True


@dataclass
class Script:
    """The acts of one perfect flight of one exercise, ready to be flown again."""

    bundle: Bundle
    flight: Rehearsal

    def __post_init__(self) -> None:
        self.procedure = self.bundle.procedure
        limits = [limit_text(limit) for limit in self.bundle.airframe.limits]
        lamps = [naming.lamp(lamp) for lamp in self.bundle.airframe.lamps]
        self.ends_when = self.bundle.exercise.ends_when
        ends = [] if self.ends_when is None else [self.ends_when]
        self.texts = tuple(dict.fromkeys([*watched_texts(self.procedure), *limits, *lamps, *ends]))
        self.acts: tuple[Acted, ...] = self.flight.acts
        self._kept: list[HandsSnapshot] = []
        self.called = {
            act.item: event.args["judgement"]
            for act in self.acts
            for event in self.flight.events[act.first : act.last]
            if event.verb == "call"
        }

    @cached_property
    def hands(self) -> Hands:
        """Who flies it; there only once something is flown."""
        return Hands(self.bundle, self.procedure, self.texts)

    @cached_property
    def as_flown(self) -> ScriptFlight:
        """The script unchanged, with snapshots kept before every act."""
        self._kept.clear()
        flying = _Flying(self, list(range(len(self.acts))))
        for n in flying.order:
            self._kept.append(self.hands.snapshot())
            flying.act(n)
        return flying.flown()

    def changed(self, begin: int, order: Sequence[int]) -> ScriptFlight:
        """Fly `order` from the moment before act `begin`."""
        base = self.as_flown
        self._go_back(begin)
        flying = _Flying(self, list(order), frozenset(lit.lamp for lit in base.lit))
        for n in flying.order:
            if n > begin + 1 and self._stands_as_before(n):
                return flying.as_before(base, self._kept[n][0].tick)
            flying.act(n)
        return flying.flown()

    def _stands_as_before(self, n: int) -> bool:
        """Whether before act `n` all is as it was there in the script unchanged, so that nothing more can differ."""
        there, seen, _ = self._kept[n]
        alike = self.hands.aircraft.stands_as(there, TICKS_EARLIER, TICKS_ALIKE)
        return alike and self.hands.watch.saw_as(seen, TICKS_EARLIER)

    def held_back(self, n: int, seconds: float) -> ScriptFlight:
        """Fly with act `n` and all after it beginning that much after their turn."""
        _ = self.as_flown
        self._go_back(n)
        flying = _Flying(self, list(range(n, len(self.acts))))
        for m in flying.order:
            flying.act(m, seconds if m == n else 0.0)
        return flying.flown()

    def only(self, order: Sequence[int]) -> ScriptFlight:
        """Fly these acts alone, from the start; to be called once, before anything else is flown."""
        flying = _Flying(self, list(order))
        for n in flying.order:
            flying.act(n)
        return flying.flown()

    def without(self, n: int) -> ScriptFlight:
        """Fly with act `n` left out."""
        return self.changed(n, range(n + 1, len(self.acts)))

    def without_both(self, n: int, other: int) -> ScriptFlight:
        """Fly with act `n` and a later one left out."""
        return self.changed(n, [m for m in range(n + 1, len(self.acts)) if m != other])

    def swapped(self, n: int) -> ScriptFlight:
        """Fly with act `n` and the one after it swapped."""
        return self.changed(n, [n + 1, n, *range(n + 2, len(self.acts))])

    def reactions(self, begin: int, order: Sequence[int]) -> list[frozenset[str]]:
        """Fly `order` from the moment before act `begin`: by act, what in the aircraft stands otherwise for it.

        It is compared with an aircraft that was left alone meanwhile. Controls themselves and the crew outside, who
        come in their own time, are left out.
        """
        _ = self.as_flown
        self._go_back(begin)
        flying = _Flying(self, list(order))
        found = []
        for n in flying.order:
            before = self.hands.snapshot()
            flying.act(n)
            after, done = self._turned(), self.hands.snapshot()
            self.hands.restore(*before)
            self.hands.aircraft.arrive(done[0].tick)
            alone = self._turned()
            self.hands.restore(*done)
            found.append(frozenset(name for name, value in after.items() if alone[name] != value))
        return found

    def _turned(self) -> dict[str, Discrete]:
        state = self.hands.aircraft.state()
        left = ("control.", "service.", "lamp.")
        return {k: v for k, v in state.items() if isinstance(v, bool | str) and not k.startswith(left)}

    def is_check(self, act: Acted) -> bool:
        """Whether an act reads an instrument."""
        return isinstance(self.procedure.by_id[act.item].item, CheckItem)

    def cause_of(self, n: int) -> int | None:
        """The act that what act `n` waited for counts from; None where it waited for nothing that was done.

        It is the last act whose delay delays the indication: holding back what comes after it changes nothing.
        """
        return self._last(n, lambda held: self._moves(held, n))

    def came_of(self, n: int) -> tuple[int, int] | None:
        """Of a wait that was over before its turn: the act that it counts from, and the tick at which it was over.

        None where nothing that was done made it so. Such an act has no more slack than there was until the turn.
        """
        text = self._item_of(n).waits_for
        _ = self.as_flown
        self._go_back(n)
        there = None if text is None else self._onset(text)
        if text is None or not there:
            return None
        cause = self._last(n, lambda held: self._moves_onset(held, n, text, there))
        return None if cause is None else (cause, there)

    def _last(self, n: int, moves: Callable[[int], bool]) -> int | None:
        """The last act before act `n` of which this is true: it is true of none after one of which it is not."""
        low, high, back = -1, n - 1, 1
        while high >= 0:
            at = max(0, n - back)
            if moves(at):
                low = at
                break
            high, back = at - 1, back * 2
        if low < 0:
            return None
        while low < high:
            middle = (low + high + 1) // 2
            if moves(middle):
                low = middle
            else:
                high = middle - 1
        return low

    def _item_of(self, n: int) -> Item:
        return self.procedure.by_id[self.acts[n].item].item

    def _onset(self, text: str) -> int | None:
        """Since when something has been true, now; None where it is not."""
        line = self.hands.watch.timelines[self.texts.index(text)]
        spans = line.spans(self.hands.tick + 1)
        return spans[-1][0] if spans and spans[-1][1] > self.hands.tick else None

    def _moves_onset(self, held: int, n: int, text: str, there: int) -> bool:
        """Whether what act `n` does not have to wait for comes later with act `held` and all after it held back."""
        self._go_back(held)
        flying = _Flying(self, [])
        for m in range(held, n):
            flying.act(m, HELD_BACK_SECONDS if m == held else 0.0)
        flying.await_turn(self.acts[n])
        came = self._onset(text)
        return came is None or came - there > HELD_BACK_SECONDS * 50

    def _moves(self, held: int, n: int) -> bool:
        """Whether holding back act `held` and all after it makes the indication of act `n` come later."""
        _ = self.as_flown  # takes the snapshots that are gone back to
        self._go_back(held)
        delay = HELD_BACK_SECONDS
        flying = _Flying(self, [])
        for m in range(held, n):
            flying.act(m, delay if m == held else 0.0)
        flying.await_turn(self.acts[n])
        return self.hands.tick - self.acts[n].ripe > delay * 50

    def _go_back(self, n: int) -> None:
        self.hands.restore(*self._kept[n])
        del self.hands.events[:]


@dataclass
class _Flying:
    script: Script
    order: list[int]
    ordinary: frozenset[str] = frozenset()
    missed: list[Missed] = field(default_factory=list)
    ended: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.hands = self.script.hands
        self.begun = self.hands.tick

    def act(self, n: int, held_back: float = 0.0) -> None:
        """Wait for an act's turn and do it; where the turn does not come, note it and pass on.

        `held_back` are seconds that go by between the turn and the act, so that no wait of its own swallows them.
        """
        act, hands = self.script.acts[n], self.hands
        item = self.script.procedure.by_id[act.item].item
        events = self.script.flight.events[act.first : act.last]
        if isinstance(item, CheckItem):
            before = [event for event in events if event.verb != "call"]
            self._repeat(before, act)
            if not self.await_turn(act):
                self._note_missing(item)
            hands.pass_time(held_back)
            self._repeat(events[len(before) :], act, act.ends - (before[-1].tick if before else act.starts))
        elif not self.await_turn(act):
            self._note_missing(item)
            return
        else:
            hands.pass_time(held_back)
            self._do(item, act, events)
        self.ended[act.item] = hands.tick

    def _do(self, item: Item, act: Acted, events: Sequence[LogEvent]) -> None:
        there = item.redo(self.hands)
        if there is None:
            self._repeat(events, act)
        elif not there:
            self._miss(item, "indication", phrase("the indication of '{item}' does not come", item=item.challenge))

    def _repeat(self, events: Sequence[LogEvent], act: Acted, lasts: int | None = None) -> None:
        """The same events at the same pace, and the time the act took beside them."""
        hands = self.hands
        begun, since = hands.tick, act.starts if lasts is None else act.ends - lasts
        for event in events:
            hands.aircraft.arrive(max(hands.tick, begun + event.tick - since))
            with contextlib.suppress(ActionRefused):
                carry_out(hands.aircraft, event)
                hands.events.append(LogEvent(hands.tick, event.by, event.verb, event.args))
        if lasts is not None or not self.script.is_check(act):
            hands.aircraft.arrive(max(hands.tick, begun + act.ends - since))

    def await_turn(self, act: Acted) -> bool:
        """Let time pass until what the act needs is there; whether it came."""
        hands = self.hands
        item = self.script.procedure.by_id[act.item].item
        usual = (act.ripe - act.free) / 100
        patience = usual + (PATIENCE_LATER_SECONDS if self.missed else PATIENCE_SECONDS)
        if item.not_before is not None and (since := self.ended.get(item.not_before.item)) is not None:
            hands.aircraft.arrive(max(hands.tick, since + round(item.not_before.seconds * 100)))
        return self._there(item) or self._comes(item, hands.tick + round(patience * 100))

    def _comes(self, item: Item, until: int) -> bool:
        """To the first look at which it is there."""
        while self.hands.tick < until:
            self.hands.look_on(until, lambda sight: self._there(item, sight))
            if self._there(item):
                return True
        return False

    def _there(self, item: Item, sight: Sight | None = None) -> bool:
        return self.hands.there(item, self.script.called.get(item.id, "within"), sight)

    def _note_missing(self, item: Item) -> None:
        missing = item.missing(self.hands)
        says = missing.says
        # Only what is missed first is told of a flight, so only of that it is found out whether it comes at all.
        if missing.kind == "wait" and not self.missed:
            comes = self.hands.comes(lambda sight: self._there(item, sight))
            if comes is not None:
                asks = phrase("'{item}: {response}'", item=item.challenge, response=item.response)
                says = phrase("{asks} comes only {more} later", asks=asks, more=clock((comes - self.hands.tick) / 100))
        self._miss(item, missing.kind, says)

    def _miss(self, item: Item, kind: str, says: str) -> None:
        self.missed.append(Missed(item.id, self.hands.tick, kind, says))

    def flown(self) -> ScriptFlight:
        """What came of it, a little while after the last act so that what was set going shows."""
        ready_at = self.hands.tick
        self.hands.pass_time(SETTLING_SECONDS)
        return ScriptFlight(
            ready_at,
            tuple(self.missed),
            dict(self._exceeded()),
            tuple(self._lit()),
            self.hands.aircraft.state(),
            tuple(self.hands.events),
            self._ends(),
        )

    def _ends(self) -> bool:
        """Whether the exercise has ended by itself, where it is to."""
        if self.script.ends_when is None:
            return True
        lines = dict(zip(self.script.texts, self.hands.watch.timelines, strict=True))
        return bool(lines[self.script.ends_when].spans(self.hands.tick))

    def as_before(self, base: ScriptFlight, since: int) -> ScriptFlight:
        """What came of it so far, and from tick `since` of the script unchanged on what came of that."""
        later = self.hands.tick - since
        exceeded = {name: tick + later for name, tick in base.exceeded.items() if tick > since}
        return ScriptFlight(
            base.ready_at + later,
            (*self.missed, *(replace(each, tick=each.tick + later) for each in base.missed if each.tick > since)),
            exceeded | dict(self._exceeded()),
            tuple(self._lit()),
            base.end,
            (*self.hands.events, *(replace(e, tick=e.tick + later) for e in base.events if e.tick > since)),
            base.ends,
        )

    def _lit(self) -> Iterator[Lit]:
        """Lamps that came on in this flight and not in the script as it stands, with the act they followed."""
        lines = dict(zip(self.script.texts, self.hands.watch.timelines, strict=True))
        for lamp in self.script.bundle.airframe.lamps:
            if lamp in self.ordinary:
                continue
            tick = next((t for t, on in lines[naming.lamp(lamp)].flips if on and t > self.begun), None)
            if tick is not None:
                after = max((end, name) for name, end in [("", 0), *self.ended.items()] if end <= tick)
                yield Lit(lamp, tick, after[1], after[0])

    def _exceeded(self) -> Iterator[tuple[str, int]]:
        lines = dict(zip(self.script.texts, self.hands.watch.timelines, strict=True))
        for limit in self.script.bundle.airframe.limits:
            spans = lines[limit_text(limit)].spans(self.hands.tick)
            if spans:
                yield limit.id, spans[0][0]
