"""Which events of a log can be read as an attempt at an item, and whether the attempt was right."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import chain

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.registry import Item
from lumenstat.items.seen import Attempt, Part
from lumenstat.language import naming
from lumenstat.language.values import position_text
from lumenstat.simulation.flight import Moment
from lumenstat.systems.panel.part import PanelsSection

CREW = ("trainee", "captain", "first-officer")
PART_KINDS = ("control", "instrument", "service", "item")


class Reader:
    """Reads attempts out of the moments of a flight, or out of the `latest` of each part alone."""

    def __init__(
        self,
        procedure: Procedure,
        airframe: Airframe,
        moments: Iterable[Moment],
        texts: dict[str, int],
        latest: int | None = None,
    ) -> None:
        self.procedure, self.airframe, self.texts, self.latest = procedure, airframe, texts, latest
        self.controls = airframe.section(PanelsSection).told_apart
        self.instruments, self.papers = airframe.instruments, procedure.papers
        self._moments: dict[Part, list[Moment]] = {}
        self._steps: dict[Part, list[Step]] = {}
        self.selectors = frozenset(
            control for i in self.instruments.values() for control in (i.selector, i.dimmer) if control is not None
        )
        self._asked = {move for step in procedure.steps for move in step.item.moves(procedure.papers)}
        for step in procedure.steps:
            for part in step.item.parts():
                self._steps.setdefault(part, []).append(step)
        self._first: Moment | None = None
        self.moments: dict[int, Moment] = {}
        self.verbs: dict[int, str] = {}
        for moment in moments:
            self.add(moment)

    def add(self, moment: Moment) -> None:
        """Take one more moment in; moments come in time order."""
        self._first = self._first or moment
        self.moments[moment.index] = moment
        self.verbs[moment.index] = moment.event.verb
        part = _part_of(moment.event)
        if part is not None and moment.event.by in CREW:
            self._moments.setdefault(part, []).append(moment)

    def steps_about(self, event: LogEvent) -> Sequence[Step]:
        """The items that an event could belong to, in the procedure's order."""
        part = _part_of(event)
        return self._steps.get(part, ()) if part is not None else ()

    def flag(self, moment: Moment, text: str) -> bool:
        """The value of a watched expression just before the event."""
        return moment.flags[self.texts[text]]

    def asked_for(self, control: str, position: str) -> bool:
        """Whether some item has a control moved to a position."""
        return (control, position) in self._asked or (control, None) in self._asked

    def stood_first(self, control: str) -> str:
        """Where a control stood when the exercise began; nothing moves one before the first event."""
        return "" if self._first is None else str(position_text(self._first.state[naming.control(control)]))

    @property
    def moved_controls(self) -> frozenset[str]:
        """Controls that some item has moved, so that lifting their guards belongs to it."""
        return frozenset(control for control, _ in self._asked)

    def about(self, item: Item) -> list[Moment]:
        """What the crew did about an item's parts, in time order."""
        found = [self._moments.get(part, []) for part in item.parts()]
        if self.latest is not None:
            found = [moments[-self.latest :] for moments in found]
        return found[0] if len(found) == 1 else sorted(chain(*found), key=lambda moment: moment.index)

    def responses(self, item: Item) -> list[Moment]:
        """What the crew answered when the item was read out, in time order."""
        return [m for m in self._moments.get(("item", item.id), ()) if m.event.verb == "respond"]

    def attempts(self, step: Step) -> list[Attempt]:
        """All attempts at the item, in time order."""
        return step.item.attempts(self.about(step.item), self)


def _part_of(event: LogEvent) -> Part | None:
    """What an event is about."""
    return next(((kind, str(event.args[kind])) for kind in PART_KINDS if kind in event.args), None)
