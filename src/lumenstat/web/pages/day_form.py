"""The form that plans a day: what was typed becomes what is wanted, and the plan is made of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date

from fastapi import Request
from pydantic import ValidationError
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.language.field_words import field_words
from lumenstat.language.wording import phrase
from lumenstat.records.courses import progress_of
from lumenstat.records.day_plans import keep_plan, paces
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import get_group, members_of
from lumenstat.records.model_facts import needed_seconds
from lumenstat.records.people import checked_time_zone, instructors
from lumenstat.records.tables import Person
from lumenstat.training.course_standing import due
from lumenstat.training.day_making import plan_day
from lumenstat.training.day_plan import PlannedFlight, Wanted, Who, minute_of
from lumenstat.web.security import Viewer, row_of

LONGEST_LIST, MOST_PLACES = 400, 40
FIGURES = ("briefing", "debriefing", "margin", "at_once", "work_at_most", "break_minutes")


def make_plan(
    request: Request, viewer: Viewer, typed: dict[str, str], exercises: Sequence[str], teaching: Sequence[str]
) -> str:
    """Plan a day as it was typed and keep the plan; gives its id. Raises EntryRefused."""
    database = request.app.state.database
    group_id = row_of(typed.get("group", ""))
    if group_id is None:
        raise EntryRefused(phrase("Choose the class."), "group")
    if not exercises and not typed.get("course"):
        raise EntryRefused(phrase("Choose what is to be flown: exercises, or what is due in a course."), "exercise")
    scale = request.app.state.settings.grades
    members: list[Person] = database.read(lambda session: members_of(session, group_id))
    name: str = database.read(lambda session: get_group(session, group_id).name)
    if not members:
        raise EntryRefused(phrase("Nobody stands in that group."), "group")
    # Each exercise once, however often it was chosen, and in the order chosen.
    flown = {each: tuple(person.id for person in members) for each in dict.fromkeys(exercises)}
    if course := row_of(typed.get("course", "")):
        for exercise, people in database.read(lambda session: _due_in(session, course, members, scale)).items():
            # Somebody who is due in it and in the class as well flies it once.
            flown[exercise] = tuple(dict.fromkeys((*flown.get(exercise, ()), *people)))
        if not flown:
            raise EntryRefused(phrase("Nothing is due in that course for this class."), "course")
    flights = tuple(_flight(request, exercise, people) for exercise, people in flown.items())
    pace = database.read(lambda session: paces(session, [person.id for person in members]))
    chosen = [person for person in database.read(instructors) if str(person.id) in teaching]
    # Nobody is on a plan as a teacher who did not agree to it by being ticked.
    if not chosen:
        raise EntryRefused(phrase("Tick who teaches."), "instructors")
    wanted = _wanted(typed, members, chosen, pace, flights, viewer.says)
    # Words of the planner's language are fixed here: a plan's title is a name, as a group's is.
    title = viewer.says(phrase("{name}, {day:%-d %B}", name=name, day=wanted.day))
    plan = plan_day(wanted)
    made: str = database.write(lambda session: keep_plan(session, plan, title, group_id, viewer.name))
    return made


def _due_in(
    session: Session, course_id: int, members: Sequence[Person], scale: tuple[str, ...]
) -> dict[str, tuple[int, ...]]:
    """By exercise, who of these people is to fly it next in a course."""
    ids, found = {person.id for person in members}, dict[str, tuple[int, ...]]()
    for progress in progress_of(session, course_id, scale):
        if progress.person_id in ids:
            for each in due(progress.steps)[:1]:
                found[each.step.exercise_id] = (*found.get(each.step.exercise_id, ()), progress.person_id)
    return found


def _flight(request: Request, exercise_id: str, people: tuple[int, ...]) -> PlannedFlight:
    """What is to be flown, with the time that the model needs; it is measured where it is not known yet."""
    database = request.app.state.database
    version = database.read(lambda session: current_exercise(session, exercise_id))
    seconds = database.read(lambda session: needed_seconds(session, version.digest))
    if seconds is None:
        found = request.app.state.facts.needed(version.bundle)
        seconds = found.needed_seconds if found is not None else 60 * version.bundle.exercise.minutes_at_most
    return PlannedFlight(exercise_id=exercise_id, title=version.named, minutes=round(seconds / 60, 2), trainees=people)


def _wanted(
    typed: dict[str, str],
    members: Sequence[Person],
    teaching: Sequence[Person],
    pace: dict[int, float],
    flights: tuple[PlannedFlight, ...],
    called: Callable[[str], str],
) -> Wanted:
    try:
        day = date.fromisoformat(typed.get("day", ""))
    except ValueError:
        raise EntryRefused(phrase("The day is written as 2031-05-17."), "day") from None
    try:
        zone = checked_time_zone(typed.get("zone", "UTC"))
    except EntryRefused as error:
        raise EntryRefused(str(error), "zone") from None
    begins = _minute(day, zone, typed.get("begins", "08:00"), "begins")
    ends = _minute(day, zone, typed.get("ends", "17:00"), "ends")
    if ends <= begins:
        ends += minute_of(day, zone, 24, 0)  # a class over the night
    figures = {name: _figure(typed.get(name, ""), name) for name in FIGURES if typed.get(name, "").strip()}
    hours = _hours(day, zone, typed.get("hours", ""), teaching, members)
    try:
        return Wanted(
            day=day,
            zone=zone,
            begins=begins,
            ends=ends,
            trainees=tuple(
                Who(id=p.id, name=p.name, pace=round(pace.get(p.id, 1.5), 2), **hours.get(p.id, {})) for p in members
            ),
            instructors=tuple(Who(id=p.id, name=p.name, **hours.get(p.id, {})) for p in teaching),
            stations=_names(typed.get("stations", ""), called(phrase("Station")), "stations"),
            rooms=_names(typed.get("rooms", ""), called(phrase("Room")), "rooms"),
            flights=flights,
            **figures,
        )
    except ValidationError as error:
        first = error.errors()[0]
        raise EntryRefused(phrase("{wrong:high}.", wrong=field_words(first)), str(first["loc"][0])) from None


def _minute(day: date, zone: str, text: str, field: str) -> int:
    hour, _, minute = text.strip().partition(":")
    if not (hour.isdecimal() and minute.isdecimal() and int(hour) <= 24 and int(minute) < 60):
        raise EntryRefused(phrase("A time is written as 08:30, not {text}.", text=repr(text)), field)
    return minute_of(day, zone, int(hour), int(minute))


def _figure(text: str, field: str) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 4:
        raise EntryRefused(phrase("That is a whole number of minutes or people, not {text}.", text=repr(text)), field)
    return int(text)


def _names(text: str, word: str, field: str) -> tuple[str, ...]:
    """Stations or rooms: how many, or their names with commas between."""
    text = text.strip()
    if len(text) > LONGEST_LIST:
        raise EntryRefused(phrase("That is longer than {longest_list} characters.", longest_list=LONGEST_LIST), field)
    if text.isdecimal():
        if not 1 <= int(text) <= MOST_PLACES:
            raise EntryRefused(phrase("There are 1 to {most_places} of them.", most_places=MOST_PLACES), field)
        return tuple(f"{word} {n + 1}" for n in range(int(text)))
    # The same name twice is one place; twice in use it would clash with itself.
    found = tuple(dict.fromkeys(each.strip() for each in text.split(",") if each.strip()))
    if not found:
        raise EntryRefused(phrase("Say how many there are, or their names with commas between."), field)
    return found


def _hours(
    day: date, zone: str, text: str, teaching: Sequence[Person], members: Sequence[Person]
) -> dict[int, dict[str, int]]:
    """Hours of people who are not there all day: a line each, as a name and 09:00-12:30."""
    found = {}
    for line in text.splitlines():
        if not line.strip():
            continue
        name, _, span = line.rpartition(" ")
        person = next((p for p in (*teaching, *members) if p.name.lower() == name.strip(" :,").lower()), None)
        if person is None:
            raise EntryRefused(phrase("Nobody in this plan is called {name}.", name=repr(name.strip(" :,"))), "hours")
        begins, _, ends = span.partition("-")
        found[person.id] = {
            "from_minute": _minute(day, zone, begins, "hours"),
            "to_minute": _minute(day, zone, ends, "hours"),
        }
    return found
