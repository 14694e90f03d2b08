"""The checklist card of a run in progress: what has been answered and what is next. It judges nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import cast

from lumenstat.documents.procedure import Procedure
from lumenstat.documents.runlog import LogEvent, flow_done
from lumenstat.items.registry import Item
from lumenstat.language.values import position_text


@dataclass
class Card:
    """Which items were answered, in whatever way, and which one lies open.

    After an answer the next unanswered item below it lies open; a skipped one comes up again at the end. A section of
    flows is done from memory first: its items come up once the trainee says that the flow is done. A guided card keeps
    to its order, and an item is answered when it is there (`right`) and the trainee says so. An `examined` card tells
    that something was answered, and never that it was right. `first` is where each control stood at the beginning.
    """

    procedure: Procedure
    guided: bool = False
    examined: bool = False
    first: Mapping[str, str] = field(default_factory=dict)
    touched: set[str] = field(default_factory=set)
    right: set[str] = field(default_factory=set)
    passed_over: set[str] = field(default_factory=set)
    flows_done: set[str] = field(default_factory=set)
    answered: set[str] = field(default_factory=set)
    branches: dict[str, str] = field(default_factory=dict)
    hints: dict[str, int] = field(default_factory=dict)
    chosen: str | None = None
    last: str | None = None
    version: int = 0
    _known: dict[str, object] = field(default_factory=dict)
    _moves: dict[str, list[str]] = field(default_factory=dict)
    _done: dict[str, set[str]] = field(default_factory=dict)

    def _changed(self) -> None:
        """Something was answered, opened or passed over: what is known of the card is worked out anew."""
        self.version += 1
        self._known.clear()

    @property
    def items(self) -> list[Item]:
        """The items that lie on the card, those of chosen branches included."""
        found = self._known.get("items")
        if not isinstance(found, list):
            found = self._known["items"] = self._items()
        return found

    def _items(self) -> list[Item]:
        found: list[Item] = []
        stop: tuple[str, str] | None = None
        for step in self.procedure.steps:
            item = step.item
            # Items of a branch that nobody took are not on the card.
            if step.branch is not None and self.branches.get(step.branch[0]) != step.branch[1]:
                continue
            if item.id in self.passed_over or (stop is not None and step.branch != stop):
                continue
            found.append(item)
            # Where a branch stops, nothing beyond its own items lies on the card any more.
            taken = self.branches.get(item.id)
            if stop is None and any(way.stop and way.id == taken for way in item.ways()):
                stop = (item.id, str(taken))
        return found

    @property
    def flow(self) -> str | None:
        """The section whose flow is to be done from memory now."""
        item = self._next
        if item is None or self.guided:
            return None
        section = self.procedure.sections[self.procedure.by_id[item.id].section]
        return section.id if section.style == "flow-then-check" and section.id not in self.flows_done else None

    @property
    def ready(self) -> str | None:
        """The open item of a guided card if it is there and only has to be left."""
        item = self.current
        waits = self.guided and item is not None and not item.SAID
        return item.id if waits and item is not None and item.id in self.right else None

    @property
    def current(self) -> Item | None:
        """The item that lies open: the one chosen, or else the next that is not answered; none during a flow."""
        return None if self.flow is not None else self._next

    @property
    def _next(self) -> Item | None:
        if "next" not in self._known:
            self._known["next"] = self._next_open()
        return cast(Item | None, self._known["next"])

    def _next_open(self) -> Item | None:
        if self.chosen is not None and self.chosen not in self.answered:
            return self.procedure.by_id[self.chosen].item
        items = self.items
        begin = next((n for n, item in enumerate(items) if item.id == self.last), 0)
        return next((item for item in [*items[begin:], *items[:begin]] if item.id not in self.answered), None)

    def open(self, item_id: str) -> bool:
        """Turn to an item; False where there is none."""
        if item_id not in self.procedure.by_id or self.guided:
            return False
        self.chosen = item_id
        self._changed()
        return True

    def pass_over(self, item_id: str) -> None:
        """Take an item off the card: it does not apply."""
        self.passed_over.add(item_id)
        self._changed()

    def note(self, event: LogEvent) -> None:
        """Take notice of an event."""
        self._note(event)
        if event.verb == "set":
            self.touched.add(str(event.args["control"]))
        self._changed()

    def _note(self, event: LogEvent) -> None:
        if event.verb == "hint":
            hinted = str(event.args["item"])
            # The highest that was taken counts; asking for a lower one again costs nothing.
            self.hints[hinted] = max(self.hints.get(hinted, 0), int(event.args["level"]))
            return
        if event.verb == "note":
            self._note_flow(flow_done(event.args))
            return
        if event.verb == "give":
            self._note_given(str(event.args["item"]))
            return
        if event.by == "instructor":
            return
        if self.guided:
            self._note_guided(event)
            return
        self._decide_by_doing(event)
        current = self.current
        # The open item first: where an act fits several, it is meant for that one.
        order = [*([current] if current else []), *(item for item in self.items if item is not current)]
        left = [item for item in order if item.id not in self.answered]
        answered = next((item for item in left if self._answers(item, event)), None)
        if answered is None and self.examined:
            # For an examined card any touch counts as an attempt, since nothing tells it whether it was right.
            answered = next((item for item in left if item.touched_by(event, self)), None)
        if answered is not None:
            self._tick_off(answered, event)

    def _tick_off(self, item: Item, event: LogEvent) -> None:
        self.answered.add(item.id)
        self.last = item.id
        self._settle_ways(item, event)
        if item.id == self.chosen:
            self.chosen = None

    def _decide_by_doing(self, event: LogEvent) -> None:
        """Whoever does the first item of a branch of the open decision has taken that branch."""
        item = self.current
        if item is None or not item.DONE_BY_WAY or event.verb != "set":
            return
        done = event.args["control"], str(position_text(event.args["to"]))
        way = next((w.id for w in item.ways() if w.items and done in w.items[0].moves(self.papers)), None)
        if way is not None:
            self.take(item.id, way)
            self.answered.add(item.id)
            self.last = item.id
            # The same act is then an answer to the branch's first item, which lies on the card only from here on.
            self._known.clear()

    def _settle_ways(self, item: Item, event: LogEvent) -> None:
        """Of alternatives the others are passed over."""
        if item.one_of is not None:
            ways = (s.item.id for s in self.procedure.steps if s.item.one_of == item.one_of)
            self.passed_over |= {way for way in ways if way != item.id}

    def _note_flow(self, flow: str | None) -> None:
        for section in self.procedure.sections:
            if flow == section.id:
                self.flows_done.add(section.id)

    def _note_given(self, item: str) -> None:
        """An item that the instructor gave or skipped is answered."""
        self.answered.add(item)
        self.last = item
        if item == self.chosen:
            self.chosen = None

    def _note_guided(self, event: LogEvent) -> None:
        """Leave the open item when it is there and the trainee says so."""
        item = self._next
        if item is None:
            return
        if event.verb == "decide" and event.args["item"] == item.id:
            self.branches[item.id] = str(event.args["branch"])
        says_so = event.verb in ("respond", "confirm") and event.args["item"] == item.id
        if says_so and item.id in self.right:
            self.answered.add(item.id)
            self.last = item.id
            self._settle_ways(item, event)

    def _answers(self, item: Item, event: LogEvent) -> bool:
        return item.answered_by(event, self)

    # ---- what items ask of their card ----------------------------------------------------------------------

    @property
    def papers(self) -> Mapping[str, float | str]:
        """Every handed-out value by `paper.line`."""
        return self.procedure.papers

    def in_flow(self, item: Item) -> bool:
        """Whether an item belongs to a flow that is done before its check is read."""
        return self.procedure.sections[self.procedure.by_id[item.id].section].style == "flow-then-check"

    def untouched(self, control: str) -> str | None:
        """Where a control stands that nobody has moved since the exercise began; None for one that was moved."""
        return None if control in self.touched else self.first.get(control)

    def moved(self, item: str, to: str) -> Sequence[str]:
        """Note where an item's control was moved, and give all its moves so far."""
        moves = self._moves.setdefault(item, [])
        moves.append(to)
        return moves

    def moves_of(self, item: str) -> Sequence[str]:
        """Where an item's control was moved so far."""
        return self._moves.get(item, ())

    def done(self, item: str, control: str) -> int:
        """Note that one of an item's controls was dealt with, and give how many were."""
        done = self._done.setdefault(item, set())
        done.add(control)
        return len(done)

    def take(self, item: str, branch: str) -> None:
        """Go on by a branch."""
        self.branches[item] = branch
