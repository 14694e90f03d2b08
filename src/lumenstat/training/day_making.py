"""Makes the plan of a day by rule: wave after wave, each at the first time at which nothing breaks."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from lumenstat.language.wording import phrase
from lumenstat.training.day_plan import GRID, LATEST, DayPlan, Phase, PlannedFlight, Slot, Wanted, Who, on_the_wall
from lumenstat.training.day_rules import at_once, clashes_of


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
            # Whoever ends first; among those who end together the one who has least to do.
            key=lambda found: (found[-1].ends, _busy(slots, found[0].instructor)),
            default=None,
        )
        if best is None:
            who = ", ".join(names[each] for each in trainees)
            why = _why_not(wanted, slots, number, flight, trainees)
            left_over.append(phrase("{title} for {who}: {why}", title=flight.title, who=who, why=why))
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
    # A school may plan without briefings.
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
        beside = [other for other in slots if at_once(slot, other)]
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
        return phrase("there is no instructor")
    if not wanted.stations:
        return phrase("there is no station")
    needs = sum(slot.ends - slot.begins for slot in _wave_at(wanted, wave, flight, trainees, wanted.instructors[0], 0))
    if needs > wanted.ends - wanted.begins:
        return phrase("it needs {needs} min, and the day has {has}", needs=needs, has=wanted.ends - wanted.begins)
    # The same day without an end, to tell how much longer it would have to be.
    longer = wanted.model_copy(update={"ends": LATEST * 2})
    ends = [
        found[-1].ends
        for who in wanted.instructors
        if (found := _placed(longer, slots, wave, flight, trainees, who)) is not None
    ]
    if not ends:
        return phrase("nobody who could teach it is there for long enough, or a trainee is not")
    return phrase(
        "it would end at {ends}; the day ends at {end_of_day}",
        ends=on_the_wall(wanted, min(ends)),
        end_of_day=on_the_wall(wanted, wanted.ends),
    )
