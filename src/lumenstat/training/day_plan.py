"""The plan of a day: who flies what, where, with whom, when; as it stands and as it is changed. It is made in
`day_making` and held against the rules in `day_rules`.

A **wave** is a handful of trainees who fly one exercise together: a briefing in a room, the flights at a station each,
a debriefing in a room, with one instructor throughout. Times are minutes since midnight at the place, counted as they
pass: on the night of a change of summer time a day has 23 or 25 hours, and what follows keeps its order.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict, Field

from lumenstat.language.wording import Words, phrase

Phase = Literal["briefing", "flight", "debriefing"]
PHASES: tuple[Phase, ...] = ("briefing", "flight", "debriefing")
PHASE_WORDS: dict[Phase, str] = {
    "briefing": phrase("briefing"), "flight": phrase("flight"), "debriefing": phrase("debriefing"),
}  # fmt: skip
GRID = 5
"""Everything begins at a multiple of so many minutes."""
LATEST = 36 * 60
"""A day may go on until noon of the next one: a class over the night."""


class Plain(BaseModel):
    """Base of what a plan is made of."""

    model_config = ConfigDict(frozen=True)


class Who(Plain):
    """Somebody in the plan. A person's hours are minutes of the day, outside of which they are not there."""

    id: int
    name: str
    from_minute: int = 0
    to_minute: int = LATEST
    pace: float = 1.0
    """Their time over the model's, from their runs so far."""


class PlannedFlight(Plain):
    """An exercise that is to be flown by these trainees; `minutes` is what the model needs."""

    exercise_id: str
    title: Words
    minutes: float
    trainees: tuple[int, ...]


class Wanted(Plain):
    """What a day is to hold, and what there is for it."""

    day: date
    zone: str = "UTC"
    begins: int = 8 * 60
    ends: int = 17 * 60
    trainees: tuple[Who, ...]
    instructors: tuple[Who, ...]
    stations: tuple[str, ...]
    rooms: tuple[str, ...]
    flights: tuple[PlannedFlight, ...]
    briefing: int = Field(15, ge=0, le=240)
    debriefing: int = Field(20, ge=0, le=240)
    margin: int = Field(5, ge=0, le=120)
    """Minutes at a station beside the flight itself: sitting down, and what goes wrong."""
    at_once: int = Field(4, ge=1, le=30)
    """How many trainees one instructor watches."""
    work_at_most: int = Field(150, ge=30, le=600)
    break_minutes: int = Field(20, ge=0, le=120)
    """After so much work without one, everybody has a break of so long."""


class Slot(Plain):
    """One wave in one phase, from `begins` to `ends`."""

    wave: int
    phase: Phase
    begins: int
    ends: int
    exercise_id: str
    title: Words
    instructor: int
    room: str = ""
    stations: tuple[str, ...] = ()
    """For a flight: by trainee, in the same order."""
    trainees: tuple[int, ...]

    @property
    def key(self) -> str:
        """Which one it is in its plan."""
        return f"{self.wave}-{self.phase}"


class DayPlan(Plain):
    """What was wanted, the slots, and what did not fit in, in words."""

    wanted: Wanted
    slots: tuple[Slot, ...]
    left_over: tuple[Words, ...] = ()


class Clash(Plain):
    """A rule that a plan breaks: in words, and in which slots."""

    says: str
    slots: tuple[str, ...]


# ---- clocks ----------------------------------------------------------------------------------------------------------


def midnight(wanted: Wanted) -> datetime:
    """The moment (UTC, aware) from which a day's minutes are counted."""
    return datetime.combine(wanted.day, time(), ZoneInfo(wanted.zone)).astimezone(UTC)


def moment(wanted: Wanted, minute: int) -> datetime:
    """A minute of the plan as a moment (UTC, aware)."""
    return midnight(wanted) + timedelta(minutes=minute)


def on_the_wall(wanted: Wanted, minute: int) -> str:
    """A minute as the clock on the wall shows it."""
    local = moment(wanted, minute).astimezone(ZoneInfo(wanted.zone))
    nights = (local.date() - wanted.day).days
    return f"{local:%H:%M}" + (f" +{nights}" if nights else "")


def minute_of(day: date, zone: str, hour: int, minute: int) -> int:
    """The minute of a day at which the clock on the wall shows a time; hours from 24 on are of the next day."""
    wall = datetime.combine(day + timedelta(days=hour // 24), time(hour % 24, minute), ZoneInfo(zone))
    start = datetime.combine(day, time(), ZoneInfo(zone))
    return round((wall.astimezone(UTC) - start.astimezone(UTC)).total_seconds() / 60)


# ---- changing --------------------------------------------------------------------------------------------------------


class Move(Plain):
    """A change by hand: a slot, or its whole wave, to another time, instructor, room or stations."""

    slot: str
    by_minutes: int = 0
    whole_wave: bool = True
    instructor: int | None = None
    room: str | None = None


def moved(plan: DayPlan, move: Move) -> DayPlan:
    """The plan with a change made, whatever rule it breaks; `clashes` tells. An unknown slot changes nothing."""
    chosen = next((slot for slot in plan.slots if slot.key == move.slot), None)
    if chosen is None:
        return plan
    # Whole steps of the grid, as the plan itself has them.
    by = round(move.by_minutes / GRID) * GRID
    changed = []
    for slot in plan.slots:
        if slot.wave == chosen.wave and (move.whole_wave or slot.key == move.slot):
            earliest = min(s.begins for s in plan.slots if s.wave == chosen.wave)
            # A wave moved before midnight would belong to another day.
            shift = max(by, -earliest)
            slot = slot.model_copy(update={"begins": slot.begins + shift, "ends": slot.ends + shift})  # noqa: PLW2901
        if slot.wave == chosen.wave and move.instructor is not None:
            slot = slot.model_copy(update={"instructor": move.instructor})  # noqa: PLW2901
        if slot.key == move.slot and move.room is not None and slot.phase != "flight":
            slot = slot.model_copy(update={"room": move.room})  # noqa: PLW2901
        changed.append(slot)
    return plan.model_copy(update={"slots": tuple(changed)})


def minutes_since(wanted: Wanted, at: datetime) -> float:
    """A moment (UTC, aware) as minutes of a day."""
    return (at - midnight(wanted)).total_seconds() / 60


class NowAndNext(Plain):
    """What goes on at a moment, and what comes next."""

    now: tuple[Slot, ...]
    next: tuple[Slot, ...]


def now_and_next(plan: DayPlan, at: datetime) -> NowAndNext:
    """What is going on at a moment (UTC, aware), and what begins next."""
    minute = minutes_since(plan.wanted, at)
    now = tuple(slot for slot in plan.slots if slot.begins <= minute < slot.ends)
    later = [slot for slot in plan.slots if slot.begins > minute]
    first = min((slot.begins for slot in later), default=0)
    return NowAndNext(now=now, next=tuple(slot for slot in later if slot.begins == first))
