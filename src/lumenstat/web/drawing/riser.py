"""Draws the riser diagram of any airframe: a level rail for each bus, and a rung between two rails for what joins them.

AC rails stand on top, DC ones under them, those that batteries keep alive at the foot. What feeds an AC bus is said
under its name; sources stand above all. Every permitted band lies in one upright strip at the right.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from lumenstat.documents.airframe import Airframe
from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.buses import Bus, alive
from lumenstat.systems.registry import systems_of
from lumenstat.systems.system import System
from lumenstat.systems.terms import JointKind, RiserJoint, RiserSource
from lumenstat.web.drawing.rungs import TO_THE_NAME, DrawingArea, Placing, Rung, RungPlace, place
from lumenstat.web.rendering import Context

LETTER = 5.9
SMALL_LETTER = 5.5
AMPS_LETTERS = 6
BATTERY = 20.0
SYMBOL = 7.0
HOP = 3.2
CHIP = 17
FIRST_CHIP = 10
UNDER_CHIPS = 17
UNDER_RAILS = 9
MANY_RAILS = 18
"""From here on sources stand closer, and say how much they give in the large view only."""
LEAST_PITCH, MOST_PITCH = 25.6, 46.0
"""Units between two rails. Under the least, names of rungs and of rails would touch."""


@dataclass(frozen=True, slots=True)
class Size:
    """How large the drawing is, and where things stand in it from left to right."""

    width: int
    height: int
    chips_in_a_row: int
    rails_end: float
    strip: tuple[float, float]
    volts_end: float
    steps: tuple[float, ...]


SIZES = {
    "beside": Size(304, 642, 2, 236.0, (242.0, 258.0), 302.0, (16.0, 12.0, 9.0)),
    "large": Size(640, 690, 3, 520.0, (532.0, 560.0), 632.0, (44.0, 30.0, 18.0, 12.0)),
}


class Rail(Context):
    """A bus: at which height its rail lies, permitted volts, what may feed it and what takes current from it."""

    id: str
    name: str
    kind: str
    hot: bool
    y: float
    permitted_min: float
    permitted_max: float
    alive: str
    battery: bool
    fed_by: str
    feeders: tuple[tuple[str, str], ...]
    """For an AC bus: the sources that may feed it, by id and name, the first one that can does."""
    takers: tuple[tuple[str, str, float], ...]
    """The quantity that tells whether it takes current, name and watts of each load."""


class RungDrawing(Context):
    """What joins two rails. `quantity` tells its state; current counts downwards where `downwards`."""

    id: str
    name: str
    kind: JointKind
    top: str
    foot: str
    x: float
    y: float
    upper: str
    lower: str
    top_y: float
    foot_y: float
    top_alive: str
    foot_alive: str
    downwards: bool
    quantity: str
    value: str
    amps: str
    label_x: float
    anchor: Literal["start", "end", ""]
    """Empty where no place is free for its name: then it stands in the large view only."""


class Chip(Context):
    """A source over the rails, with the quantities that tell whether it is there and how much it gives."""

    id: str
    name: str
    kind: Literal["ground", "generator", "supply"]
    x: float
    y: float
    alive: str
    gives: str
    unit: str
    says_how_much: bool


class Riser(Context):
    """The whole drawing, in units of one pixel."""

    size: Literal["beside", "large"]
    width: int
    height: float
    names_end: float
    rails_start: float
    rails_end: float
    strip: tuple[float, float]
    volts_end: float
    shows_amps: bool
    rails: tuple[Rail, ...]
    rungs: tuple[RungDrawing, ...]
    chips: tuple[Chip, ...]


def lay_out_both(airframe: Airframe) -> None:
    """Work both views out and keep them, so that nobody waits for them: two seconds for 24 buses."""
    lay_out(airframe)
    lay_out(airframe, "large")


def lay_out(airframe: Airframe, name: Literal["beside", "large"] = "beside") -> Riser:
    """The riser of an airframe, as it stands beside the deck or in its large view."""
    size = SIZES[name]
    systems = systems_of(airframe)
    sources = [source for system in systems for source in system.riser_sources()]
    joints = [each for system in systems for each in system.riser_joints()]
    rungs = [each for each in joints if each.kind != "feed"]
    wanted = airframe.electrical.rails
    if name == "large":
        # In the order of the small one: whoever opens the large view must not look for a bus anew.
        wanted = tuple(rail.id for rail in lay_out(airframe).rails)
    groups = [[airframe.buses[rail]] for rail in wanted] if wanted else _groups(airframe, sources)
    names_end = _names_end(airframe, sources, joints)
    placing, shows_amps = _placed(groups, rungs, size, names_end)
    # Many rails leave no room for what sources give; the large view says it.
    close = name == "beside" and len(placing.rails) >= MANY_RAILS
    chips = tuple(_chips([each for each in sources if each.kind != "battery"], size, close))
    y, pitch = _heights(placing.rails, chips, size)
    # What feeds an AC rail stands under it.
    last_fed = airframe.buses[placing.rails[-1]].kind == "ac"
    return Riser(
        size=name,
        width=size.width,
        height=round(max(y.values()) + UNDER_RAILS + (CHIP if last_fed else 0), 1),
        names_end=names_end,
        rails_start=names_end + 6,
        rails_end=size.rails_end,
        strip=size.strip,
        volts_end=size.volts_end,
        shows_amps=shows_amps,
        rails=tuple(_rails(airframe, systems, sources, joints, y)),
        rungs=tuple(_drawn(joint, at, y, pitch) for joint, at in zip(rungs, placing.places, strict=True)),
        chips=chips,
    )


def _names_end(airframe: Airframe, sources: Sequence[RiserSource], joints: Sequence[RiserJoint]) -> float:
    """Where names of buses end: the longest fits before it beside its battery, and so does what feeds any of them."""
    names = [len(bus.name) * LETTER + BATTERY for bus in airframe.electrical.buses]
    fed = [len(f"from {name}") for each in joints if each.value for _, name in [_feeder(each, airframe, sources)]]
    return round(max(*names, max((*fed, len(phrase("fed by nothing")) if fed else 0)) * SMALL_LETTER + 2), 1)


def _feeder(joint: RiserJoint, airframe: Airframe, sources: Sequence[RiserSource]) -> tuple[str, str]:
    """The source that a feed or inverter stands for: its id and its name."""
    names = {source.id: source.name for source in sources} | {bus.id: bus.name for bus in airframe.electrical.buses}
    return joint.value, joint.name or names.get(joint.value, joint.value)


def _placed(
    groups: Sequence[Sequence[Bus]], rungs: Sequence[RiserJoint], size: Size, names_end: float
) -> tuple[Placing, bool]:
    """Places for rails and rungs, with amperes beside the names where there is room for them."""
    field = DrawingArea(
        left=names_end + 6,
        right=size.rails_end,
        names_left=tuple((bus.id, names_end + 6 if bus.kind == "ac" else 2.0) for group in groups for bus in group),
        names_right=size.volts_end,
        steps=size.steps,
    )
    ids = tuple(tuple(bus.id for bus in group) for group in groups)
    placing = place(ids, tuple(Rung(each.ends, _width(each)) for each in rungs), field)
    if all(each.side for each in placing.places):
        return placing, True
    # Not every rung has a side with room for name and amperes; names matter more.
    return place(ids, tuple(Rung(each.ends, len(each.name) * LETTER) for each in rungs), field), False


def _heights(rails: Sequence[str], chips: Sequence[Chip], size: Size) -> tuple[dict[str, float], float]:
    """At which height each rail lies, and how far it is from one to the next."""
    begin = max((chip.y for chip in chips), default=0) + UNDER_CHIPS
    pitch = (size.height - begin - UNDER_RAILS) / max(1, len(rails) - 1)
    pitch = min(MOST_PITCH, max(LEAST_PITCH, pitch))
    return {rail: round(begin + n * pitch, 1) for n, rail in enumerate(rails)}, pitch


def _width(joint: RiserJoint) -> float:
    return (len(joint.name) + (AMPS_LETTERS if joint.carries else 0)) * LETTER


def _groups(airframe: Airframe, sources: Sequence[RiserSource]) -> list[list[Bus]]:
    """Plugs, other AC buses, DC buses, hot ones: in this order from top to bottom."""
    plugs = {source.bus for source in sources if source.kind == "ground"}
    groups: list[list[Bus]] = [[], [], [], []]
    for bus in airframe.electrical.buses:
        groups[3 if bus.hot else 2 if bus.kind == "dc" else 0 if bus.id in plugs else 1].append(bus)
    return [group for group in groups if group]


def _rails(
    airframe: Airframe,
    systems: Sequence[System],
    sources: Sequence[RiserSource],
    joints: Sequence[RiserJoint],
    y: dict[str, float],
) -> Iterator[Rail]:
    batteries = {source.bus for source in sources if source.kind == "battery"}
    takers = [load for system in systems for load in system.riser_loads()]
    for bus_id, at in y.items():
        bus = airframe.buses[bus_id]
        feeding = [
            each for each in joints if each.value and each.ends[1] == bus_id and each.kind in ("feed", "inverter")
        ]
        yield Rail(
            id=bus_id,
            name=bus.name,
            kind=bus.kind,
            hot=bus.hot,
            y=at,
            permitted_min=bus.permitted.min,
            permitted_max=bus.permitted.max,
            alive=alive(bus_id),
            battery=bus_id in batteries,
            fed_by=feeding[0].quantity if feeding else "",
            feeders=tuple(_feeder(each, airframe, sources) for each in feeding),
            takers=tuple((load.on, load.name, load.watts) for load in takers if load.bus == bus_id),
        )


def _drawn(joint: RiserJoint, at: RungPlace, y: dict[str, float], pitch: float) -> RungDrawing:
    top, foot = sorted(joint.ends, key=y.__getitem__)
    rails = sorted(y.values())
    gap_middle = rails[at.gap] + pitch / 2
    # Rails between the two ends are crossed with a gap in the wire, since they are not joined.
    passed = [each for each in rails if y[top] < each < y[foot]]
    return RungDrawing(
        id=joint.id,
        name=joint.name,
        kind=joint.kind,
        top=top,
        foot=foot,
        x=at.x,
        y=round(gap_middle, 1),
        upper=_wire(at.x, y[top], gap_middle - SYMBOL, passed),
        lower=_wire(at.x, gap_middle + SYMBOL, y[foot], passed),
        top_y=y[top],
        foot_y=y[foot],
        top_alive=alive(top),
        foot_alive=alive(foot),
        downwards=joint.ends[0] == top,
        quantity=joint.quantity,
        value=joint.value,
        amps=joint.carries,
        label_x=round(at.x + (TO_THE_NAME if at.side == "right" else -TO_THE_NAME), 1),
        anchor={"right": "start", "left": "end", None: ""}[at.side],
    )


def _wire(x: float, top: float, foot: float, passed: Sequence[float]) -> str:
    """The line of a rung from `top` to `foot`, with a hop over every rail that it only passes."""
    hops = [f"V{each - HOP:g}a{HOP:g} {HOP:g} 0 0 1 0 {2 * HOP:g}" for each in passed if top < each < foot]
    return f"M{x:g} {top:g}{''.join(hops)}V{foot:g}"


def _chips(sources: Sequence[RiserSource], size: Size, close: bool) -> Iterator[Chip]:
    in_a_row = size.chips_in_a_row + close
    room = size.width / in_a_row
    for n, source in enumerate(sources):
        # As many in a row as fit.
        row, column = divmod(n, in_a_row)
        yield Chip(
            id=source.id,
            name=source.name,
            kind=source.kind if source.kind != "battery" else "supply",
            x=round(8 + column * room, 1),
            y=FIRST_CHIP + row * CHIP,
            alive=source.alive,
            gives=source.gives,
            says_how_much=not close,
            unit=source.unit,
        )


def quantities_of_riser(riser: Riser) -> list[str]:
    """Every quantity that a drawn riser shows."""
    names = [named(rail.id) for rail in riser.rails for named in (naming.bus_alive, naming.bus_volts)]
    names += [rail.fed_by for rail in riser.rails]
    names += [load for rail in riser.rails for load, _, _ in rail.takers]
    for rung in riser.rungs:
        names += [rung.quantity, rung.amps]
    for chip in riser.chips:
        names += [chip.alive, chip.gives]
    return [name for name in dict.fromkeys(names) if name]
