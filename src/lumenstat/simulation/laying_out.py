"""Hands out the places of everything that the systems of an airframe have."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from lumenstat.documents.airframe import Airframe
from lumenstat.language.expressions import Quantity
from lumenstat.systems.layout import Layout, Places
from lumenstat.systems.system import System

# Far more than any unit has: the unit and its event follow from the number by one division.
EVENTS_OF_A_UNIT = 1000
"""So many numbers of events every unit of a kind has for itself."""


def lay_out(airframe: Airframe, systems: Sequence[System], quantities: Mapping[str, Quantity]) -> Layout:
    """The layout of an airframe. Branches with an EMF come before those without, as the network wants them."""
    layout = Layout()
    layout.nodes = {bus.id: n for n, bus in enumerate(b for b in airframe.electrical.buses if b.kind == "dc")}
    branches = [branch for system in systems for branch in system.branches()]
    _number(layout.branches, (b.name for b in sorted(branches, key=lambda branch: not branch.has_emf)))
    layout.intakes = tuple(each for system in systems for each in system.intakes())
    layout.rectified = tuple(each for system in systems for each in system.rectified())
    layout.drags = tuple(each for system in systems for each in system.drags())
    layout.shafts = {name: speed for system in systems for name, speed in system.shafts().items()}
    for system in systems:
        _number(layout.x, (state.name for state in system.states()))
        _number(layout.given, system.given())
    # First, where the generated outputs write it.
    _number(layout.a, ["time"])
    for system in systems:
        _number(layout.a, (name for name, _ in system.outputs(layout)))
    # What is worked out when it is read needs no place of its own.
    worked_out = {name for system in systems for name in system.worked_out()}
    _number(layout.d, (name for name in quantities if name not in layout.a.numbers and name not in worked_out))
    for system in systems:
        _number(layout.d, system.hidden())
        _number(layout.d, (threshold.state for threshold in system.thresholds()))
        _number(layout.d, (delay.state for delay in system.delays()))
    layout.events = _events(systems)
    return layout


def _number(places: Places, names: Iterable[str]) -> None:
    for name in names:
        _ = places[name]


def _events(systems: Sequence[System]) -> dict[int, tuple[int, int]]:
    """By the number of a system, its first priority and its first event: kinds in order, units of a kind apart."""
    first: dict[type[System], int] = {}
    priority = 0
    # Priorities go by kind, not by unit: two units of one kind act in the order in which their events were made.
    for kind in dict.fromkeys(type(system) for system in systems):
        first[kind] = priority
        priority += len(kind.EVENTS)
    seen: Counter[type[System]] = Counter()
    events = {}
    for number, system in enumerate(systems):
        events[number] = first[type(system)], seen[type(system)] * EVENTS_OF_A_UNIT
        seen[type(system)] += 1
    return events
