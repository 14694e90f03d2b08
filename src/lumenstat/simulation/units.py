"""All units of one aircraft: settled in turn, told of their events, put back to a snapshot together."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

from lumenstat.documents.exercise import Start
from lumenstat.simulation.laying_out import EVENTS_OF_A_UNIT
from lumenstat.simulation.plan import Plan
from lumenstat.systems.unit import Host, Unit

UnitKind = TypeVar("UnitKind", bound=Unit)


class Units:
    """The units of one aircraft, by the numbers of their systems."""

    def __init__(self, plan: Plan, host: Host, start: Start) -> None:
        self._logic, self._host = plan.logic, host
        made = [(n, system.unit(host, start, n)) for n, system in enumerate(plan.systems)]
        self.numbered: list[tuple[int, Unit]] = [(n, unit) for n, unit in made if unit is not None]
        # Those that never follow anything are not asked: this runs after every event, until all is quiet.
        self._settling = [(n, unit.settle) for n, unit in self.numbered if _settles(unit)]
        self._remembering = [unit for _, unit in self.numbered if unit.SNAPSHOT]
        self._doing = {verb: unit for _, unit in self.numbered for verb in unit.VERBS}
        self._by_event: dict[tuple[int, int], tuple[int, Unit]] = {}
        for n, unit in self.numbered:
            first, base = plan.layout.events[n]
            for kind in range(len(plan.systems[n].EVENTS)):
                self._by_event[first + kind, base // EVENTS_OF_A_UNIT] = kind, unit

    def of(self, kind: type[UnitKind]) -> list[UnitKind]:
        """Those of one kind, for tests and benchmarks to look into."""
        return [unit for _, unit in self.numbered if isinstance(unit, kind)]

    def begin(self) -> list[float]:
        """The continuous states that an exercise begins with."""
        return [figure for _, unit in self.numbered for figure in unit.begin()]

    def settle(self) -> None:
        """Let every unit follow what its conditions say, once."""
        # Asked once for the round: units that settle later in it see the same truth as the first.
        answers = self._logic(self._host.d)
        for n, settle in self._settling:
            settle(answers[n])

    def fire(self, priority: int, target: int) -> None:
        """Tell the unit that an event is of."""
        number, what = divmod(target, EVENTS_OF_A_UNIT)
        kind, unit = self._by_event[priority, number]
        unit.fire(kind, what)

    def act(self, verb: str, args: Mapping[str, Any]) -> bool:
        """Let somebody do something; whether that changed anything. Raises ActionRefused."""
        unit = self._doing.get(verb)
        return unit is not None and unit.act(verb, args)

    def hindrance(self, verb: str, args: Mapping[str, Any]) -> str | None:
        """Why an act would come to nothing now, in words; None where it would be done. Raises ActionRefused."""
        unit = self._doing.get(verb)
        return None if unit is None else unit.hindrance(verb, args)

    @property
    def busy(self) -> bool:
        """Whether somebody is still at work on something that was asked for."""
        return any(unit.busy for unit in self._doing.values())

    def snapshot(self) -> tuple[object, ...]:
        """What all of them remember."""
        return tuple([unit.snapshot() for unit in self._remembering])

    def restore(self, memory: tuple[Any, ...]) -> None:
        """Go back to what they remembered."""
        for unit, remembered in zip(self._remembering, memory, strict=True):
            unit.restore(remembered)


def _settles(unit: Unit) -> bool:
    # A unit has one of the two: `follow` is what the usual `settle` calls.
    return type(unit).settle is not Unit.settle or type(unit).follow is not Unit.follow
