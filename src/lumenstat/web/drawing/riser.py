"""Lays out the riser diagram of any airframe: a column for each bus, a rail down from it, a bridge for each joint.

Joints (contactors, diodes, rectifiers, feeds) lie on horizontal lanes between the rails of the two buses they join;
they are packed so that no two on a lane touch, shortest first. Sources stand at the foot of their rail.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

from lumenstat.documents.airframe import Airframe
from lumenstat.systems.electrical.buses import Bus
from lumenstat.systems.registry import systems_of
from lumenstat.systems.system import System
from lumenstat.systems.terms import JointKind, RiserSource
from lumenstat.web.rendering import Context

WIDTH = 304
MARGIN = 18
NAMES_FOOT = 92
VOLTS_LINE = 106
BAR_TOP, BAND_TOP, BAND_FOOT, BAR_FOOT = 126, 141, 168, 212
FIRST_LANE, LANE, LAST_LANE = 236, 36, 516
LETTER = 5.7
GAP = 10
SYMBOL = 26
LOAD_LETTERS = 5
NAME_LINE = 12

JOINT_ORDER: dict[JointKind, int] = {"contactor": 0, "diode": 1, "rectifier": 2, "inverter": 3, "feed": 3}
"""Which joints are placed first, where they could change places."""


class Column(Context):
    """A bus: where its bar and rail stand, and the volts that are permitted on it."""

    id: str
    name: str
    kind: str
    hot: bool
    x: float
    rail_foot: float
    permitted_min: float
    permitted_max: float
    alive: str


class Joint(Context):
    """Something between two rails. `quantity` tells its state; a feed is shut while it equals `value`."""

    id: str
    name: str
    kind: JointKind
    first: str
    second: str
    x1: float
    x2: float
    first_alive: str
    second_alive: str
    y: float
    label_x: float
    quantity: str
    value: str = ""
    amps: str = ""


class SourceSymbol(Context):
    """A source at the foot of a rail."""

    id: str
    name: str
    kind: Literal["battery", "ground", "generator"]
    alive: str
    x: float
    y: float
    rail_top: float = 0
    size: float = 1.0
    label_x: float = 0
    label_y: float = 0


class Riser(Context):
    """The whole drawing, in units of one pixel."""

    width: int
    height: float
    band_top: int
    band_foot: int
    bar_top: int
    bar_foot: int
    names_foot: int
    volts_line: int
    columns: tuple[Column, ...]
    joints: tuple[Joint, ...]
    sources: tuple[SourceSymbol, ...]


def lay_out(airframe: Airframe) -> Riser:
    """The riser of an airframe."""
    systems = systems_of(airframe)
    feet = [source for system in systems for source in system.riser_sources()]
    buses = sorted(airframe.electrical.buses, key=lambda bus: bus.kind == "ac")
    names = [*(bus.id for bus in buses), *(source.id for source in feet if source.bus is None)]
    spacing = (WIDTH - 2 * MARGIN) / max(1, len(names) - 1)
    x = {name: MARGIN + n * spacing for n, name in enumerate(names)}
    alive = {bus.id: f"bus.{bus.id}.alive" for bus in buses} | {
        each.id: each.alive for each in feet if each.bus is None
    }
    joints = _place(list(_joints(systems, x, alive)))
    lowest = max((joint.y for joint in joints), default=FIRST_LANE)
    foot = lowest + 34
    tops: dict[str, float] = {}
    for joint in joints:
        for end in (joint.first, joint.second):
            tops[end] = min(tops.get(end, foot), joint.y)
    size = min(1.0, (spacing - 2) / SYMBOL)
    drawn = [
        source.model_copy(update={"rail_top": tops.get(source.id, foot), "size": size})
        for source in _sources(feet, x, foot)
    ]
    sources = tuple(_name(drawn))
    standing = {source.x for source in sources}
    return Riser(
        width=WIDTH,
        height=max((source.label_y for source in sources), default=foot) + 6,
        band_top=BAND_TOP,
        band_foot=BAND_FOOT,
        bar_top=BAR_TOP,
        bar_foot=BAR_FOOT,
        names_foot=NAMES_FOOT,
        volts_line=VOLTS_LINE,
        columns=tuple(_column(bus, x[bus.id], joints, foot if x[bus.id] in standing else None) for bus in buses),
        joints=tuple(joints),
        sources=sources,
    )


def _column(bus: Bus, x: float, joints: list[Joint], foot: float | None) -> Column:
    own = [joint.y for joint in joints if bus.id in (joint.first, joint.second)]
    return Column(
        id=bus.id,
        name=bus.name,
        kind=bus.kind,
        hot=bus.hot,
        x=x,
        rail_foot=foot - 12 if foot is not None else max(own, default=BAR_FOOT),
        permitted_min=bus.permitted.min,
        permitted_max=bus.permitted.max,
        alive=f"bus.{bus.id}.alive",
    )


def _joints(systems: Sequence[System], x: dict[str, float], alive: dict[str, str]) -> Iterator[Joint]:
    joints = [joint for system in systems for joint in system.riser_joints()]
    for each in sorted(joints, key=lambda joint: JOINT_ORDER[joint.kind]):
        first, second = sorted(each.ends, key=x.__getitem__) if each.kind != "feed" else each.ends
        half = len(each.name) * LETTER / 2 + 2
        yield Joint(
            id=each.id,
            name=each.name,
            kind=each.kind,
            first=first,
            second=second,
            x1=x[first],
            x2=x[second],
            y=0,
            label_x=min(max((x[first] + x[second]) / 2, half), WIDTH - half),
            first_alive=alive[first],
            second_alive=alive[second],
            quantity=each.quantity,
            amps=each.amps,
            value=each.value,
        )


def _place(joints: list[Joint]) -> list[Joint]:
    """Put every joint on the highest lane where it touches no other."""
    lanes: list[list[tuple[float, float]]] = []
    placed = []
    for joint in sorted(joints, key=lambda j: (abs(j.x2 - j.x1), min(j.x1, j.x2))):
        low, high = _extent(joint)
        free = (n for n, taken in enumerate(lanes) if all(high + GAP <= a or low >= b + GAP for a, b in taken))
        number = next(free, len(lanes))
        if number == len(lanes):
            lanes.append([])
        lanes[number].append((low, high))
        placed.append(joint.model_copy(update={"y": number}))
    lane = min(LANE, (LAST_LANE - FIRST_LANE) / max(1, len(lanes) - 1))
    return [joint.model_copy(update={"y": round(FIRST_LANE + joint.y * lane, 1)}) for joint in placed]


def _name(sources: list[SourceSymbol]) -> Iterator[SourceSymbol]:
    """Put the name of every source under it, on the first line where it meets no other."""
    lines: list[list[tuple[float, float]]] = []
    for source in sorted(sources, key=lambda each: -each.x):
        letters = len(source.name) + (0 if source.kind == "battery" else LOAD_LETTERS)
        half = letters * LETTER / 2 + 2
        middle = min(max(source.x, half), WIDTH - half)
        low, high = middle - half, middle + half
        free = (n for n, taken in enumerate(lines) if all(high <= a or low >= b for a, b in taken))
        number = next(free, len(lines))
        if number == len(lines):
            lines.append([])
        lines[number].append((low, high))
        below = source.y + SYMBOL * source.size / 2 + 12 + number * NAME_LINE
        yield source.model_copy(update={"label_x": round(middle, 1), "label_y": round(below, 1)})


def _extent(joint: Joint) -> tuple[float, float]:
    middle = joint.label_x
    half = max(len(joint.name) * LETTER / 2, SYMBOL / 2)
    low, high = sorted((joint.x1, joint.x2))
    return min(low, middle - half), max(high, middle + half)


def _sources(feet: Sequence[RiserSource], x: dict[str, float], y: float) -> Iterator[SourceSymbol]:
    for each in feet:
        yield SourceSymbol(id=each.id, name=each.name, kind=each.kind, alive=each.alive, x=x[each.bus or each.id], y=y)


def quantities_of_riser(riser: Riser) -> list[str]:
    """Every quantity that a drawn riser shows."""
    names = [f"bus.{column.id}.{each}" for column in riser.columns for each in ("alive", "volts")]
    for joint in riser.joints:
        names += [joint.quantity, joint.first_alive, joint.second_alive, joint.amps]
    for source in riser.sources:
        names += [source.alive, *([f"source.{source.id}.load"] if source.kind != "battery" else [])]
    return [name for name in names if name]
