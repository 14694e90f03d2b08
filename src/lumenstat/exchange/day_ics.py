"""The plan of a day as a calendar, RFC 5545: an event a slot, times in UTC, so that no reader has to know a zone.

An event keeps its number when the plan changes, and its sequence goes up, so that a calendar that has it takes the new
time in place of the old.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from icalendar import Calendar, Event

from lumenstat.training.day_plan import DayPlan, Slot, moment

PRODUCT = "-//Lumenstat//Plan of a day//EN"


@dataclass(frozen=True)
class DayFacts:
    """What stands on a plan's calendar beside the plan: its number, title, school, how often and when it changed."""

    plan_id: str
    title: str
    school: str
    edition: int
    changed: datetime


def day_ics(plan: DayPlan, facts: DayFacts, only: int | None = None) -> bytes:
    """The plan as a calendar; of one person where only theirs is wanted."""
    calendar = _calendar()
    calendar.add("x-wr-calname", " ".join(facts.title.split()))
    names = names_of(plan)
    for slot in sorted(plan.slots, key=lambda each: (each.begins, each.wave)):
        if only is None or only in (slot.instructor, *slot.trainees):
            calendar.add_component(_event(plan, slot, facts, names))
    return bytes(calendar.to_ical())


def names_of(plan: DayPlan) -> Mapping[int, str]:
    """The names of everybody in a plan."""
    return {who.id: who.name for who in (*plan.wanted.trainees, *plan.wanted.instructors)}


def _calendar() -> Calendar:
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("calscale", "GREGORIAN")
    calendar.add("method", "PUBLISH")
    return calendar


def _event(plan: DayPlan, slot: Slot, facts: DayFacts, names: Mapping[int, str]) -> Event:
    event = Event()
    # The same from one edition to the next, so that a calendar moves the event and adds no second one.
    event.add("uid", f"{facts.plan_id}-{slot.key}@lumenstat.invalid")
    event.add("sequence", facts.edition)
    event.add("dtstamp", facts.changed.replace(tzinfo=UTC))
    event.add("dtstart", moment(plan.wanted, slot.begins))
    event.add("dtend", moment(plan.wanted, slot.ends))
    event.add("summary", f"{slot.title}, {slot.phase}")
    event.add("location", slot.room or ", ".join(slot.stations))
    event.add("description", "\n".join(_who(slot, names)))
    if facts.school:
        event.add("categories", [facts.school])
    return event


def _who(slot: Slot, names: Mapping[int, str]) -> list[str]:
    lines = [f"Instructor: {names.get(slot.instructor, '')}"]
    places = dict(zip(slot.trainees, slot.stations, strict=False))
    for trainee in slot.trainees:
        lines.append(names.get(trainee, "") + (f", {places[trainee]}" if trainee in places else ""))
    return lines


def run_ics(run_id: str, title: str, who: str, begins: datetime, seconds: float) -> bytes:
    """One flown run as an event: when it was, who flew it."""
    calendar, event = _calendar(), Event()
    start = begins.replace(tzinfo=UTC)
    event.add("uid", f"{run_id}@lumenstat.invalid")
    event.add("dtstamp", start)
    event.add("dtstart", start)
    # Calendars show an event of seconds as nothing.
    event.add("dtend", start + timedelta(seconds=max(60.0, seconds)))
    event.add("summary", f"{title}: {who}")
    calendar.add_component(event)
    return bytes(calendar.to_ical())
