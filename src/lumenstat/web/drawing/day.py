"""The plan of a day as a drawing: a lane for each room and station, blocks over time, clashes told by their edge."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from lumenstat.language.wording import phrase
from lumenstat.training.day_plan import PHASE_WORDS, Clash, DayPlan, Phase, Slot, on_the_wall
from lumenstat.web.rendering import Context

WIDTH, LEFT, RIGHT, TOP, LANE = 1180.0, 120.0, 20.0, 22.0, 34.0
SPARE = 60
"""So many minutes after the last slot are shown, if the day is as long as that."""


class Lane(Context):
    """A room or a station: its name and where it lies."""

    name: str
    y: float


class Hour(Context):
    """A line over all lanes, with the clock on the wall."""

    x: float
    words: str


class Block(Context):
    """A slot in a lane."""

    key: str
    lane: str
    phase: str
    x: float
    y: float
    width: float
    height: float
    words: str
    beside: str
    says: str
    clash: bool


class DayDrawing(Context):
    """The drawing, in units of one pixel; `minute_width` is how wide a minute is."""

    width: float
    height: float
    left: float
    top: float
    minute_width: float
    lanes: tuple[Lane, ...]
    hours: tuple[Hour, ...]
    blocks: tuple[Block, ...]


def draw_day(
    plan: DayPlan, clashes: list[Clash], names: Mapping[int, str], says: Callable[[str], str] = str
) -> DayDrawing:
    """The plan, its lanes in the order in which they are named. `says` tells a text as its reader sees it, for room."""
    wanted = plan.wanted
    # Whole hours, of the slots and not of the day that was asked for: a plan may need less of it.
    begins = min((slot.begins for slot in plan.slots), default=wanted.begins) // 60 * 60
    last = max((slot.ends for slot in plan.slots), default=wanted.ends)
    ends = -(-max(last, min(wanted.ends, last + SPARE)) // 60) * 60
    # An hour at least, for a plan without a slot.
    wide = (WIDTH - LEFT - RIGHT) / max(60, ends - begins)
    lanes = [*wanted.rooms, *wanted.stations]
    places = {name: TOP + n * LANE for n, name in enumerate(lanes)}
    hit = {key for clash in clashes for key in clash.slots}
    blocks = [
        _block(plan, slot, lane, places[lane], LEFT + (slot.begins - begins) * wide, wide, names, slot.key in hit, says)
        for slot in plan.slots
        for lane in ((slot.room,) if slot.room else slot.stations)
        # A room may be gone from a plan that is older.
        if lane in places
    ]
    return DayDrawing(
        width=WIDTH,
        height=TOP + LANE * len(lanes) + 6,
        left=LEFT,
        top=TOP,
        minute_width=round(wide, 4),
        lanes=tuple(Lane(name=name, y=y) for name, y in places.items()),
        hours=tuple(
            Hour(x=round(LEFT + (minute - begins) * wide, 1), words=on_the_wall(wanted, minute))
            for minute in range(begins, ends + 1, 60)
        ),
        blocks=tuple(blocks),
    )


def _block(
    plan: DayPlan,
    slot: Slot,
    lane: str,
    y: float,
    x: float,
    wide: float,
    names: Mapping[int, str],
    clash: bool,
    says: Callable[[str], str],
) -> Block:
    wanted = plan.wanted
    places = dict(zip(slot.stations, slot.trainees, strict=False))
    # In the lane of a station stands who flies there; in that of a room, who teaches.
    who = names.get(places.get(lane, 0), "") if slot.phase == "flight" else names.get(slot.instructor, "")
    width = (slot.ends - slot.begins) * wide
    # The width of a letter at the size that the drawing has.
    room = int((width - 8) / 6.2)
    words = _fitting(_names_of(slot.phase, who), room, says)
    everybody = ", ".join(names.get(each, "") for each in slot.trainees)
    when = phrase("{start} to {end}", start=on_the_wall(wanted, slot.begins), end=on_the_wall(wanted, slot.ends))
    whole = phrase(
        "{title}, {phase}, {when}, {lane}; {instructor} with {trainees}",
        title=slot.title,
        phase=PHASE_WORDS[slot.phase],
        when=when,
        lane=lane,
        instructor=names.get(slot.instructor, ""),
        trainees=everybody,
    )
    return Block(
        key=slot.key,
        lane=lane,
        phase=slot.phase,
        x=round(x, 1),
        y=y + 2,
        width=round(width, 1),
        height=LANE - 4,
        words=words,
        beside=slot.title if len(says(slot.title)) <= room else "",
        says=whole,
        clash=clash,
    )


def _names_of(phase: Phase, who: str) -> list[str]:
    """What a block can be called, the longest first."""
    if phase == "flight":
        return [who, who.split(" ", maxsplit=1)[0], "".join(part[:1] for part in who.split(" "))]
    words = PHASE_WORDS[phase]
    return [
        phrase("{phase:high}, {who}", phase=words, who=who),
        phrase("{phase:high}", phase=words),
        phrase("{phase:short}", phase=words),
    ]


def _fitting(names: list[str], room: int, says: Callable[[str], str]) -> str:
    return next((name for name in names if len(says(name)) <= room), "")
