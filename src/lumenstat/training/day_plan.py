"""The plan of a day: who flies what, where, with whom, when; made by rule, and held against the rules when changed.

A **wave** is a handful of trainees who fly one exercise together: a briefing in a room, the flights at a station each,
a debriefing in a room, with one instructor throughout. Times are minutes since midnight at the place, counted as they
pass: on the night of a change of summer time a day has 23 or 25 hours, and what follows keeps its order.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from typing import Literal
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict, Field

Phase = Literal["briefing", "flight", "debriefing"]
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
    title: str
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
    title: str
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
    left_over: tuple[str, ...] = ()


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


# ---- making ----------------------------------------------------------------------------------------------------------


def flight_minutes(wanted: Wanted, flight: PlannedFlight, trainees: Sequence[int]) -> int:
    """How long a wave is at its stations: the slowest of them, on the grid."""
    pace = max((who.pace for who in wanted.trainees if who.id in trainees), default=1.0)
    return _on_grid(flight.minutes * pace + wanted.margin)


def _on_grid(minutes: float) -> int:
    return -(-round(minutes * 60) // (GRID * 60)) * GRID


def plan_day(wanted: Wanted) -> DayPlan:
    """A plan by rule: each wave as early as everybody and everything it needs is free, the exercises in their order."""
    slots: list[Slot] = []
    left_over: list[str] = []
    names = {who.id: who.name for who in wanted.trainees}
    for number, (flight, trainees) in enumerate(_waves(wanted)):
        best = min(
            (found for who in wanted.instructors if (found := _placed(wanted, slots, number, flight, trainees, who))),
            key=lambda found: (found[-1].ends, _busy(slots, found[0].instructor)),
            default=None,
        )
        if best is None:
            who = ", ".join(names[each] for each in trainees)
            left_over.append(f"{flight.title} for {who}: {_why_not(wanted, slots, number, flight, trainees)}")
        else:
            slots += best
    return DayPlan(wanted=wanted, slots=tuple(slots), left_over=tuple(left_over))


def _waves(wanted: Wanted) -> Iterator[tuple[PlannedFlight, tuple[int, ...]]]:
    """Each exercise by itself, the trainees in as many handfuls of about the same size as it takes."""
    room = max(1, min(wanted.at_once, len(wanted.stations)))
    for flight in wanted.flights:
        count = -(-len(flight.trainees) // room)
        for n in range(count):
            yield flight, flight.trainees[n::count]


def _busy(slots: Iterable[Slot], instructor: int) -> int:
    return sum(slot.ends - slot.begins for slot in slots if slot.instructor == instructor)


def _placed(
    wanted: Wanted, slots: Sequence[Slot], wave: int, flight: PlannedFlight, trainees: tuple[int, ...], who: Who
) -> list[Slot] | None:
    """The wave with this instructor, as early as it can be; None where it cannot be."""
    for begins in range(_on_grid(wanted.begins), wanted.ends, GRID):
        made = _wave_at(wanted, wave, flight, trainees, who, begins)
        if made[-1].ends > wanted.ends:
            return None
        if (seated := _seated(wanted, slots, made)) is not None and not clashes_of(wanted, [*slots, *seated], wave):
            return seated
    return None


def _wave_at(
    wanted: Wanted, wave: int, flight: PlannedFlight, trainees: tuple[int, ...], who: Who, begins: int
) -> list[Slot]:
    lasts: tuple[tuple[Phase, int], ...] = (
        ("briefing", _on_grid(wanted.briefing)),
        ("flight", flight_minutes(wanted, flight, trainees)),
        ("debriefing", _on_grid(wanted.debriefing)),
    )
    made, at = [], begins
    for phase, minutes in lasts:
        if minutes:
            made.append(
                Slot(
                    wave=wave,
                    phase=phase,
                    begins=at,
                    ends=at + minutes,
                    exercise_id=flight.exercise_id,
                    title=flight.title,
                    instructor=who.id,
                    trainees=trainees,
                )
            )
        at += minutes
    return made


def _seated(wanted: Wanted, slots: Sequence[Slot], made: Sequence[Slot]) -> list[Slot] | None:
    """The slots with a room or stations that are free at their time; None where there are not enough."""
    found = []
    for slot in made:
        beside = [other for other in slots if _at_once(slot, other)]
        if slot.phase == "flight":
            free = [each for each in wanted.stations if not any(each in other.stations for other in beside)]
            if len(free) < len(slot.trainees):
                return None
            found.append(slot.model_copy(update={"stations": tuple(free[: len(slot.trainees)])}))
        else:
            rooms = [each for each in wanted.rooms if not any(each == other.room for other in beside)]
            if not rooms:
                return None
            found.append(slot.model_copy(update={"room": rooms[0]}))
    return found


def _why_not(wanted: Wanted, slots: Sequence[Slot], wave: int, flight: PlannedFlight, trainees: tuple[int, ...]) -> str:
    """Why a wave finds no place: too long for the day, or what would have to be longer."""
    if not wanted.instructors:
        return "there is no instructor"
    if not wanted.stations:
        return "there is no station"
    needs = sum(slot.ends - slot.begins for slot in _wave_at(wanted, wave, flight, trainees, wanted.instructors[0], 0))
    if needs > wanted.ends - wanted.begins:
        return f"it needs {needs} min, and the day has {wanted.ends - wanted.begins}"
    longer = wanted.model_copy(update={"ends": LATEST * 2})
    ends = [
        found[-1].ends
        for who in wanted.instructors
        if (found := _placed(longer, slots, wave, flight, trainees, who)) is not None
    ]
    if not ends:
        return "nobody who could teach it is there for long enough, or a trainee is not"
    return f"it would end at {on_the_wall(wanted, min(ends))}; the day ends at {on_the_wall(wanted, wanted.ends)}"


# ---- the rules -------------------------------------------------------------------------------------------------------


def _at_once(one: Slot, other: Slot) -> bool:
    return one.begins < other.ends and other.begins < one.ends


def clashes(plan: DayPlan) -> list[Clash]:
    """Every rule that a plan breaks."""
    return clashes_of(plan.wanted, plan.slots)


def clashes_of(wanted: Wanted, slots: Sequence[Slot], wave: int | None = None) -> list[Clash]:
    """The rules that these slots break; of one wave where only that is asked for."""
    ordered = sorted(slots, key=lambda slot: (slot.begins, slot.wave, slot.ends))
    found = [*_twice(wanted, ordered, wave), *_hours(wanted, ordered, wave), *_order(ordered, wave)]
    return [*found, *_breaks(wanted, ordered, wave)]


def _twice(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    names = {who.id: who.name for who in (*wanted.trainees, *wanted.instructors)}
    for n, one in enumerate(slots):
        for other in slots[n + 1 :]:
            if other.begins >= one.ends:
                break
            if wave is not None and wave not in (one.wave, other.wave):
                continue
            when = on_the_wall(wanted, max(one.begins, other.begins))
            keys = (one.key, other.key)
            if one.instructor == other.instructor:
                yield Clash(says=f"{names.get(one.instructor, 'An instructor')} is in two places at {when}", slots=keys)
            for person in set(one.trainees) & set(other.trainees):
                yield Clash(says=f"{names.get(person, 'A trainee')} is in two places at {when}", slots=keys)
            for station in set(one.stations) & set(other.stations):
                yield Clash(says=f"{station} is used twice at {when}", slots=keys)
            if one.room and one.room == other.room:
                yield Clash(says=f"{one.room} is used twice at {when}", slots=keys)


def _hours(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    known = {who.id: who for who in (*wanted.trainees, *wanted.instructors)}
    for slot in slots:
        if wave is not None and slot.wave != wave:
            continue
        if slot.begins < wanted.begins or slot.ends > wanted.ends:
            day = f"{on_the_wall(wanted, wanted.begins)} to {on_the_wall(wanted, wanted.ends)}"
            yield Clash(says=f"{slot.title}, {slot.phase}, is outside of the day, {day}", slots=(slot.key,))
        for person in (slot.instructor, *slot.trainees):
            who = known.get(person)
            if who is not None and (slot.begins < who.from_minute or slot.ends > who.to_minute):
                here = f"{on_the_wall(wanted, who.from_minute)} to {on_the_wall(wanted, who.to_minute)}"
                yield Clash(says=f"{who.name} is there from {here} only", slots=(slot.key,))


PHASES: tuple[Phase, ...] = ("briefing", "flight", "debriefing")


def _order(slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    waves: dict[int, list[Slot]] = {}
    for slot in slots:
        if wave is None or slot.wave == wave:
            waves.setdefault(slot.wave, []).append(slot)
    for own in waves.values():
        own.sort(key=lambda slot: PHASES.index(slot.phase))
        for one, other in pairwise(own):
            if other.begins < one.ends:
                says = f"{one.title}: the {other.phase} begins before the {one.phase} has ended"
                yield Clash(says=says, slots=(one.key, other.key))


def _breaks(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    """Nobody works for longer than the rule without a break of at least so long; one wave is never torn apart."""
    people = {person: who.name for who in (*wanted.instructors, *wanted.trainees) for person in (who.id,)}
    for person, name in people.items():
        own = [slot for slot in slots if person in (slot.instructor, *slot.trainees)]
        stretch: list[Slot] = []
        for slot in own:
            if stretch and slot.begins - max(each.ends for each in stretch) >= wanted.break_minutes:
                stretch = []
            stretch.append(slot)
            worked = max(each.ends for each in stretch) - stretch[0].begins
            alone = len({each.wave for each in stretch}) == 1
            if worked > wanted.work_at_most and not alone and (wave is None or slot.wave == wave):
                says = f"{name} has no break of {wanted.break_minutes} min in {worked} min"
                yield Clash(says=says, slots=tuple(each.key for each in stretch))
                break


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
    by = round(move.by_minutes / GRID) * GRID
    changed = []
    for slot in plan.slots:
        if slot.wave == chosen.wave and (move.whole_wave or slot.key == move.slot):
            earliest = min(s.begins for s in plan.slots if s.wave == chosen.wave)
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
