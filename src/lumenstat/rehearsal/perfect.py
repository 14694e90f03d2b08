"""The perfect flight: every item at the earliest time that its order, its waits and its indications allow.

One pair of hands acts on one item at a time, at a brisk pace. Where several items could be acted on, the one with the
longest tail of work and waiting behind it comes first, so long waits start as early as they may. The tails are
measured on a first flight in the order of the checklist.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure, Step, watched_texts
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.check import CheckItem
from lumenstat.items.registry import Item
from lumenstat.language.wording import phrase
from lumenstat.rehearsal.hands import Hands
from lumenstat.systems.terms import ticks

# Forty minutes: longer than any alignment or charge that an exercise may wait for.
PATIENCE_TICKS = 240_000


@dataclass(frozen=True)
class Acted:
    """When an item had its turn, when it could rightly be acted on, when the act began and when it was done; ticks.

    `first` and `last` are its events in the flight, the last one excluded.
    """

    item: str
    free: int
    ripe: int
    starts: int
    ends: int
    first: int = 0
    last: int = 0


@dataclass(frozen=True)
class Rehearsal:
    """A perfect flight. `stuck` names the items that could not be acted on; `later` those of them for which the time
    comes if one waits longer than anybody does, with the tick."""

    events: tuple[LogEvent, ...]
    acts: tuple[Acted, ...]
    ready_at: int
    stuck: tuple[str, ...] = ()
    later: Mapping[str, int] = field(default_factory=dict)

    @property
    def ok(self) -> bool:
        """Whether every item could be done."""
        return not self.stuck


def rehearse(bundle: Bundle) -> Rehearsal:
    """Fly the exercise perfectly. The same exercise always gives the same flight."""
    procedure = bundle.procedure
    first = _Flier(bundle, procedure, {}).fly()
    if not first.ok:
        return first
    second = _Flier(bundle, procedure, _tails(procedure, first)).fly()
    # The longest tail first is a rule of thumb, no proof: where the card's own order is quicker, that one is
    # taken.
    return second if second.ok and second.ready_at <= first.ready_at else first


def _tails(procedure: Procedure, flight: Rehearsal) -> dict[int, int]:
    """By step: ticks of work and waiting that hang on it, itself included."""
    lasted = {act.item: act.ends - act.free for act in flight.acts}
    tails: dict[int, int] = {}
    for step in reversed(procedure.steps):
        # From the last step backwards, so the tails of all that come later are there already.
        behind = [tails[n] for n in tails if procedure.precedes(step.number, n)]
        tails[step.number] = lasted.get(step.item.id, 0) + max(behind, default=0)
    return tails


@dataclass
class _Flier:
    bundle: Bundle
    procedure: Procedure
    tails: Mapping[int, int]
    done: int = 0
    skipped: int = 0
    passed_over: int = 0
    ended: dict[int, int] = field(default_factory=dict)
    free: dict[int, int] = field(default_factory=dict)
    ripe: dict[int, int] = field(default_factory=dict)
    branches: dict[str, str] = field(default_factory=dict)
    begun: dict[int, dict[str, bool]] = field(default_factory=dict)
    hopeless: set[int] = field(default_factory=set)
    coming: dict[int, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        texts = watched_texts(self.procedure)
        self.hands = Hands(self.bundle, self.procedure, texts)
        self.acts: list[Acted] = []

    def fly(self) -> Rehearsal:
        """Act until nothing is left, or nothing comes any more."""
        patient = self.hands.tick + PATIENCE_TICKS
        while True:
            self._pass_over()
            if not (left := self._open()):
                break
            if self._skip(left):
                continue
            looked, first = self.hands.tick, len(self.hands.events)
            able = [step for step in left if self._able(step)]
            for step in able:
                self.ripe.setdefault(step.number, looked)
            if able:
                # What has to be answered in its time comes first. Of two equal tails the earlier on the card: the
                # same exercise always gives the same flight.
                chosen = min(able, key=lambda s: (s.item.due(None) is None, -self.tails.get(s.number, 0), s.number))
                self._act(chosen, looked, first)
                patient = self.hands.tick + PATIENCE_TICKS
            elif self.hands.tick > patient:
                stuck = tuple(step.item.id for step in self._left())
                later = {step.item.id: tick for step in left if (tick := self._comes(step)) is not None}
                return Rehearsal(tuple(self.hands.events), tuple(self.acts), self.hands.tick, stuck, later)
            else:
                self._wait(left, patient)
        ready_at = self.hands.tick
        self.hands.event("finish")
        return Rehearsal(tuple(self.hands.events), tuple(self.acts), ready_at)

    def _comes(self, step: Step) -> int | None:
        """When an item could be acted on at last, if one waited on and on."""
        return self.hands.comes(lambda sight: self.hands.there(step.item, sight=sight))

    def _wait(self, left: list[Step], patient: int) -> None:
        """Let time pass until one of these steps may stand otherwise."""
        hands, items = self.hands, [step.item for step in left]
        times = [self._earliest(item) for item in items] + [self.coming.get(step.number, 0) for step in left]
        until = min([tick for tick in times if tick > hands.tick], default=patient)
        hands.look_on(until, lambda sight: [hands.sees(item, sight) for item in items])

    def _earliest(self, item: Item) -> int:
        """The tick before which an item is not to be acted on."""
        if item.not_before is None:
            return 0
        ended = self.ended.get(self.procedure.by_id[item.not_before.item].number)
        return 0 if ended is None else ended + ticks(item.not_before.seconds)

    def _pass_over(self) -> None:
        """While a section has not begun, what would not apply in it now holds nothing up."""
        self.passed_over = 0
        for step in self._left():
            text = step.item.applies_when
            if text is not None and step.section not in self.begun and not self.hands.flag(text):
                self.passed_over |= 1 << step.number

    def _left(self) -> list[Step]:
        gone = self.done | self.skipped | self.passed_over
        return [step for step in self.procedure.steps if not gone >> step.number & 1]

    def _open(self) -> list[Step]:
        """Steps whose turn it may be: all that must come before them is done."""
        gone = self.done | self.skipped | self.passed_over
        found = [step for step in self._left() if not self.procedure.before[step.number] & ~gone]
        for step in found:
            self.free.setdefault(step.number, self.hands.tick)
        return found

    def _skip(self, steps: list[Step]) -> bool:
        """Pass over what does not apply here; whether there was any."""
        before = self.skipped
        for step in steps:
            if step.branch is not None and not self._on_its_way(step.branch):
                self.skipped |= 1 << step.number
            elif (text := step.item.applies_when) is not None:
                flags = self.begun.get(step.section)
                if flags is not None and not flags[text]:
                    self.skipped |= 1 << step.number
        return self.skipped != before

    def _on_its_way(self, branch: tuple[str, str]) -> bool:
        """Whether a way was taken, or still may be: nothing hangs on an item that was itself passed over."""
        if self.skipped >> self.procedure.by_id[branch[0]].number & 1:
            return False
        return self.branches.get(branch[0], branch[1]) == branch[1]

    def _able(self, step: Step) -> bool:
        """Whether the item can be acted on now, and rightly."""
        if self.hands.tick < self._earliest(step.item):
            return False
        return self._readable(step, step.item) if isinstance(step.item, CheckItem) else self.hands.there(step.item)

    def _readable(self, step: Step, item: CheckItem) -> bool:
        hands = self.hands
        hands.select(item)
        if hands.there(item):
            return True
        if item.moment is not None and not hands.flag(item.moment.when):
            return False
        if hands.tick < self.coming.get(step.number, 0):
            return False
        wanted = ["within"] if item.reading_means(hands) != "dead" else ["within", "below", "above"]
        comes = hands.will_be(item, "within") or hands.will_be(item, *wanted)
        if comes is not None and step.number not in self.hopeless:
            self.coming[step.number] = comes
            return False
        # It never comes to be within limits: it is read as it is, and the finding says so.
        self.hopeless.add(step.number)
        return True

    def _act(self, step: Step, starts: int, first: int) -> None:
        item, hands = step.item, self.hands
        way = item.perform(hands)
        if step.section not in self.begun:
            # Just before the section's first act, as a judge looks at it; a selector turned to read is no such act.
            seen = hands.before[first] if len(hands.before) > first else hands.watch.now()
            self.begun[step.section] = dict(zip(hands.texts, seen, strict=True))
        if way is not None:
            self.branches[item.id] = way
            if any(each.stop and each.id == way for each in item.ways()):
                self._stop(step, way)
        # Whatever was done may bring a reading sooner, or for the first time.
        self.coming.clear()
        for other in self.procedure.steps:
            if item.one_of is not None and other.item.one_of == item.one_of and other is not step:
                self.skipped |= 1 << other.number
        self.done |= 1 << step.number
        self.ended[step.number] = hands.tick
        self._read_check(step.section)
        free, ripe = self.free.get(step.number, starts), self.ripe.get(step.number, starts)
        self.acts.append(Acted(item.id, free, ripe, starts, hands.tick, first, len(hands.events)))

    def _stop(self, stop: Step, way: str) -> None:
        """The exercise is to end here: only what hangs on this way is still done."""
        for step in self.procedure.steps[stop.number + 1 :]:
            if step.branch != (stop.item.id, way):
                self.skipped |= 1 << step.number

    def _read_check(self, section: int) -> None:
        """Once a flow is done its check is read, and every item of it answered."""
        if self.procedure.sections[section].style != "flow-then-check":
            return
        own = [step for step in self.procedure.steps if step.section == section]
        gone = self.done | self.skipped
        if any(not gone >> step.number & 1 for step in own):
            return
        of = self.procedure.sections[section]
        self.hands.event("note", flow=of.id, text=phrase("Flow done: {title}", title=of.title))
        for step in own:
            if step.item.CHECKED and self.done >> step.number & 1:
                self.hands.event("respond", item=step.item.id)
