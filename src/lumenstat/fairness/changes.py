"""Plausible flights of an exercise: one thing done otherwise than the model does it, and what is due to that.

A change is either harmless, and then every item is full, or one slip: then one row loses, as much as the slip is worth,
and it holds the outcome only where the item is critical.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from lumenstat.documents.procedure import Step
from lumenstat.fairness.changed_flights import ChangedFlights, Doing
from lumenstat.items.check import CheckItem
from lumenstat.items.controls import ControlItem, PaperValue
from lumenstat.items.decide import DecideItem
from lumenstat.items.item import Way
from lumenstat.items.readings import shown_figure
from lumenstat.items.registry import Item
from lumenstat.language.wording import Words, phrase

Kind = Literal[
    "left out",
    "done twice",
    "swapped",
    "too soon",
    "too late",
    "misread",
    "misjudged",
    "read a little off",
    "half done",
    "decided wrongly",
    "wrong way done",
    "decided by doing",
    "said again",
    "something between",
    "other way round",
]
JUMPED = 3
"""How many places something is done too soon or too late."""
BETWEEN_AT = (0.25, 0.5, 0.75)
"""After which shares of the acts something harmless is done in between."""


@dataclass(frozen=True)
class Deserved:
    """What a change deserves: which items may lose, how many points in all, and whether that holds the outcome.

    No items: the change is harmless. `loses` are the sums that are right, any where it is empty; `gates` is None where
    either is right.
    """

    items: frozenset[str] = frozenset()
    loses: tuple[float, ...] = ()
    gates: bool | None = False


@dataclass(frozen=True)
class Change:
    """One change: at which item, in words, from which act on, what is then done, and what is due to it."""

    kind: Kind
    item: str
    says: Words
    begin: int
    moves: tuple[Doing | int, ...]
    due: Deserved


HARMLESS = Deserved()


def changes_of(course: ChangedFlights) -> list[Change]:
    """Every change worth flying; the same exercise always gives the same list."""
    return list(_Changes(course).all())


@dataclass
class _Changes:
    course: ChangedFlights

    def __post_init__(self) -> None:
        self.steps, self.procedure = self.course.steps, self.course.procedure
        self.count = len(self.steps)

    def all(self) -> Iterator[Change]:
        for number, step in enumerate(self.steps):
            if not self._turned_to_read(step):
                yield self._left_out(number, step)
            yield self._twice(number)
            if not self._turned_to_read(step):
                yield from self._moved(number)
            if isinstance(step.item, CheckItem):
                yield from self._readings(number, step.item)
            if isinstance(step.item, ControlItem) and len(step.item.all_controls) > 1:
                yield self._half(number, step.item)
            if isinstance(step.item, DecideItem):
                yield from self._decisions(number, step.item)
        yield from self._between()
        yield from self._reversed()

    def _rest(self, first: int, without: Sequence[int] = ()) -> tuple[int, ...]:
        return tuple(n for n in range(first, self.count) if n not in without)

    def _change(self, kind: Kind, number: int, says: str, moves: Sequence[Doing | int], due: Deserved) -> Change:
        """A change from act `number` on, of its item."""
        return Change(kind, self.steps[number].item.id, says, number, tuple(moves), due)

    def _named(self, number: int) -> str:
        return self.procedure.named(self.steps[number].number)

    # ---- forgotten, repeated -------------------------------------------------------------------------------------

    def _left_out(self, number: int, step: Step) -> Change:
        item, name = step.item, self._named(number)
        # A decision that is not said may be taken by doing; then nothing is lost.
        if item.DONE_BY_WAY and self._right_way_does(number):
            waited = Doing(lambda course: course.wait_for(number))
            says = phrase("'{item}' done, not said", item=name)
            return self._change("decided by doing", number, says, (waited, *self._rest(number + 1)), HARMLESS)
        # What hangs on a decision or a check that nobody made is not there to be done.
        hanging = self._hanging(number)
        # Of alternatives another one counts then, and it was not done either.
        others = {s.item.id for s in self.procedure.steps if item.one_of is not None and s.item.one_of == item.one_of}
        items = frozenset({item.id, *others, *(self.steps[n].item.id for n in hanging)})
        due = _one_slip(item, items)
        return self._change(
            "left out", number, phrase("'{item}' left out", item=name), self._rest(number + 1, hanging), due
        )

    def _turned_to_read(self, step: Step) -> bool:
        """Whether it only turns a meter or a dimmer: whoever reads that turns it too."""
        return bool(step.item.all_controls) and set(step.item.all_controls) <= self.course.turned_to_read

    def _hanging(self, number: int) -> list[int]:
        """Acts that count only on the way that was taken at an item."""
        item = self.steps[number].item.id
        return [n for n in range(number + 1, self.count) if _hangs_on(self.steps[n], item)]

    def _right_way_does(self, number: int) -> bool:
        """Whether the way that is right at a decision has something to do, by which it is decided too."""
        way = next((way for way in self.steps[number].item.ways() if way.id == self._taken(number)), None)
        return way is not None and bool(way.items)

    def _twice(self, number: int) -> Change:
        says = phrase("'{item}' done twice", item=self._named(number))
        return self._change("done twice", number, says, (number, _again(number), *self._rest(number + 1)), HARMLESS)

    # ---- out of order ----------------------------------------------------------------------------------------------

    def _moved(self, number: int) -> Iterator[Change]:
        name = self._named(number)
        if number + 1 < self.count:
            says = phrase("'{item}' and '{other}' swapped", item=name, other=self._named(number + 1))
            moves: tuple[Doing | int, ...] = (_now(number + 1), number, *self._rest(number + 2))
            yield self._change("swapped", number, says, moves, self._order_due(number + 1, [number]))
        first = max(0, number - JUMPED)
        if first < number - 1:
            jumped = list(range(first, number))
            says = phrase("'{item}' {count} items too soon", item=name, count=len(jumped))
            moves = (_now(number), *jumped, *self._rest(number + 1))
            due = self._order_due(number, jumped)
            yield Change("too soon", self.steps[number].item.id, says, first, moves, due)
        last = min(self.count, number + 1 + JUMPED)
        if last > number + 2:
            jumped = list(range(number + 1, last))
            says = phrase("'{item}' {count} items too late", item=name, count=len(jumped))
            moves = (*(_now(n) for n in jumped), _now(number), *self._rest(last))
            yield self._change("too late", number, says, moves, self._order_due(number, jumped))

    def _order_due(self, moved: int, jumped: Sequence[int]) -> Deserved:
        """What is due where an act was done before or after some others: one item out of order, or nothing."""
        one, precedes = self.steps[moved], self.procedure.precedes
        before = [self.steps[n] for n in jumped if precedes(self.steps[n].number, one.number)]
        torn = before + [self.steps[n] for n in jumped if precedes(one.number, self.steps[n].number)]
        # Between a decision and what it calls for there is no order: doing the one is saying the other.
        by_doing = [_by_doing(one, each) for each in torn]
        if all(by_doing) or (one.item.DONE_BY_WAY and any(by_doing)):
            return HARMLESS
        share = 1 - self.course.bundle.exercise.credit.out_of_order
        # One against one: the earlier one of the card is kept. Against several the one that was moved is blamed.
        blamed = one if len(torn) > 1 else max(one, torn[0], key=lambda step: step.number)
        passed_by = [(each, one) if each in before else (one, each) for each in torn]
        gates = any(self._holds(first, later) for first, later in passed_by)
        return Deserved(frozenset(s.item.id for s in (one, *torn)), (blamed.item.weight * share,), gates)

    def _holds(self, first: Step, later: Step) -> bool:
        """Whether doing the later one before the first holds the outcome, by what their documents say."""
        if not first.item.critical:
            return False
        strict = first.section == later.section and self.procedure.sections[first.section].order == "strict"
        return strict or first.item.id in later.item.after

    def _reversed(self) -> Iterator[Change]:
        """A section in any order, done from its end."""
        precedes = self.procedure.precedes
        for section, of in enumerate(self.procedure.sections):
            own = [n for n, step in enumerate(self.steps) if step.section == section]
            if of.order != "any" or len(own) < 3 or own != list(range(own[0], own[-1] + 1)):
                continue
            if any(precedes(self.steps[a].number, self.steps[b].number) for a in own for b in own):
                continue
            says = phrase("'{section}' done from its end", section=of.title)
            moves: tuple[Doing | int, ...] = (*(_now(n) for n in reversed(own)), *self._rest(own[-1] + 1))
            yield self._change("other way round", own[0], says, moves, HARMLESS)

    # ---- readings --------------------------------------------------------------------------------------------------

    def _readings(self, number: int, item: CheckItem) -> Iterator[Change]:
        name, rest = self._named(number), self._rest(number + 1)
        due = Deserved(frozenset({item.id}), (item.weight,), item.critical)
        called = self.course.called.get(item.id, "within")
        if called == "dead":
            says = phrase("'{item}' read though it is dark", item=name)
            yield self._change("misread", number, says, (_call(number, judgement="within", reading=0.0), *rest), due)
            return
        other = "within" if called != "within" else "below"
        says = phrase("'{item}' judged falsely", item=name)
        yield self._change("misjudged", number, says, (_call(number, judgement=other), *rest), due)
        says = phrase("'{item}' read off by more than is allowed", item=name)
        yield self._change("misread", number, says, (_call(number, off=1.5), *rest), due)
        says = phrase("'{item}' read off by what is allowed", item=name)
        yield self._change("read a little off", number, says, (_call(number, off=1.0), *rest), HARMLESS)
        if number + 1 < self.count:
            says = phrase("'{item}' called out again an item later", item=name)
            moves: tuple[Doing | int, ...] = (number, number + 1, _again(number, only_now=True), *rest[1:])
            yield self._change("said again", number, says, moves, HARMLESS)

    # ---- lines and decisions -----------------------------------------------------------------------------------------

    def _half(self, number: int, item: ControlItem) -> Change:
        says = phrase("'{item}' done with its first control alone", item=self._named(number))
        due = Deserved(frozenset({item.id}), (item.weight,), item.critical)
        return self._change("half done", number, says, (_half(number), *self._rest(number + 1)), due)

    def _decisions(self, number: int, item: DecideItem) -> Iterator[Change]:
        hanging, name = self._hanging(number), self._named(number)
        own = {key for n in hanging for key in self.steps[n].item.answers()}
        # What is asked for once more further on may be taken for what the decision called for.
        same = [step.item.id for step in self.steps[number + 1 :] if own & set(step.item.answers())]
        due = _one_slip(item, frozenset({item.id, *same, *(self.steps[n].item.id for n in hanging)}))
        rest = self._rest(number + 1, hanging)
        for way in item.ways():
            if way.id == self._taken(number):
                continue
            says = phrase("'{item}' decided as '{way}'", item=name, way=way.says)
            yield self._change("decided wrongly", number, says, (_decide(number, way.id), *rest), due)
            if (deed := _first_deed(way)) is not None:
                says = phrase("'{item}': '{way}' done and not said", item=name, way=way.says)
                yield self._change("wrong way done", number, says, (_deed(deed), *rest), due)

    def _taken(self, number: int) -> str | None:
        act = self.course.acts[number]
        events = self.course.flight.events[act.first : act.last]
        return next((str(event.args["branch"]) for event in events if event.verb == "decide"), None)

    # ---- in between ----------------------------------------------------------------------------------------------

    def _between(self) -> Iterator[Change]:
        """Looks at switches, and a meter turned away and back."""
        for share in BETWEEN_AT:
            number = min(self.count - 1, int(self.count * share))
            name, rest = self._named(number), self._rest(number)
            says = phrase("looked at switches before '{item}'", item=name)
            yield self._change("something between", number, says, (Doing(_look_around), *rest), HARMLESS)
            says = phrase("turned a meter away and back before '{item}'", item=name)
            yield self._change("something between", number, says, (Doing(_turn_meters), *rest), HARMLESS)


def _one_slip(item: Item, items: frozenset[str]) -> Deserved:
    """One row and its points; where other items hang on it they may go with it."""
    if len(items) == 1:
        return Deserved(items, (item.weight,), item.critical)
    return Deserved(items, (), True if item.critical else None)


def _hangs_on(step: Step, item: str) -> bool:
    return step.branch is not None and step.branch[0] == item


def _by_doing(one: Step, other: Step) -> bool:
    """Whether one of the two is a decision that the other takes by doing."""
    return any(a.item.DONE_BY_WAY and _hangs_on(b, a.item.id) for a, b in ((one, other), (other, one)))


def _first_deed(way: Way) -> ControlItem | None:
    """The first thing that a way has done to the aircraft."""
    sets = (item for item in way.items if isinstance(item, ControlItem) and not item.SILENT)
    return next((item for item in sets if not isinstance(item.to, PaperValue)), None)


# ---- what is done instead ------------------------------------------------------------------------------------------


def _now(number: int) -> Doing:
    return Doing(lambda course: course.do(number, now=True), number)


def _again(number: int, only_now: bool = False) -> Doing:
    """The same once more; a reading an item later only where it still is the same one."""

    def move(course: ChangedFlights) -> None:
        item, missed = course.item(number), list(course.missed)
        if only_now:
            course.await_turn(item, now=True)
        item.perform(course.hands)
        course.missed = missed

    return Doing(move)


def _call(number: int, judgement: str = "", off: float = 0.0, reading: float | None = None) -> Doing:
    """A call-out that is judged otherwise, or read off by so many times what is allowed."""

    def move(course: ChangedFlights) -> None:
        item, hands = course.item(number), course.hands
        assert isinstance(item, CheckItem)
        course.await_turn(item)
        hands.pass_time(2.5)
        shown, means = hands.reads(item.instrument), item.reading_means(hands)
        args: dict[str, Any] = {"instrument": item.instrument, "judgement": judgement or means}
        if reading is not None or shown is None:
            args["reading"] = reading or 0.0
        else:
            decimals = hands.instruments[item.instrument].decimals
            least = max(item.read_tolerance * off, item.read_tolerance + 10**-decimals if off > 1 else 0.0)
            args["reading"] = round(shown_figure(shown, decimals) + least, 6)
        hands.event("call", 0.0, **args)
        course.ended[item.id] = hands.tick

    return Doing(move, number)


def _half(number: int) -> Doing:
    """Of a line with several controls the first alone."""

    def move(course: ChangedFlights) -> None:
        item, hands = course.item(number), course.hands
        assert isinstance(item, ControlItem)
        first = item.model_copy(update={"control": item.all_controls[0], "controls": ()})
        course.await_turn(item)
        first.perform(hands)
        course.ended[item.id] = hands.tick

    return Doing(move, number)


def _decide(number: int, way: str) -> Doing:
    def move(course: ChangedFlights) -> None:
        course.await_turn(course.item(number))
        course.hands.event("decide", item=course.item(number).id, branch=way)

    return Doing(move, number)


def _deed(item: ControlItem) -> Doing:
    def move(course: ChangedFlights) -> None:
        for control in item.all_controls:
            course.hands.move(control, item.target(course.hands.papers))

    return Doing(move)


def _look_around(course: ChangedFlights) -> None:
    for control in list(course.hands.controls)[:3]:
        if course.hands.controls[control].kind not in ("momentary", "entry"):
            course.hands.event("see", control=control, position=course.hands.stands(control))


def _turn_meters(course: ChangedFlights) -> None:
    hands = course.hands
    for control in dict.fromkeys(i.selector for i in hands.instruments.values() if i.selector is not None):
        stood = hands.stands(control)
        other = next(each for each in hands.controls[control].positions if each != stood)
        hands.move(control, other)
        hands.move(control, stood)
