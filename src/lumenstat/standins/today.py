"""The demo school's plan of today: made by the real planner for the class that is in the air, once a day."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy.orm import Session

from lumenstat.demo import DEMO_GROUPS
from lumenstat.records.day_plans import keep_plan, paces, plans_from
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import find_group, members_of
from lumenstat.records.people import find_person
from lumenstat.training.day_making import plan_day
from lumenstat.training.day_plan import DayPlan, PlannedFlight, Wanted, Who

EXERCISES = (("frost-another-morning", 2.0), ("full-cold-start", 12.4))
"""What is flown today, and the minutes that the model needs for it."""
LASTS = 9 * 60


def plan_today(session: Session) -> None:
    """Plan today for the first group, unless it is planned; the day begins with the hour in which the demo opens."""
    at = datetime.now(UTC)
    name, teacher, _ = DEMO_GROUPS[0]
    group = find_group(session, name)
    planned = {(each.group_id, each.day) for each in plans_from(session, at.date())}
    if group is None or (group.id, at.date()) in planned:
        return
    keep_plan(session, _plan(session, group.id, at, teacher), f"{name}, {at:%-d %B}", group.id, "Odile Marrash")


def _plan(session: Session, group_id: int, at: datetime, teacher: str) -> DayPlan:
    members = members_of(session, group_id)
    pace = paces(session, [person.id for person in members])
    people = [find_person(session, each) for each in (teacher, "casimir")]
    everybody = tuple(person.id for person in members)
    return plan_day(
        Wanted(
            day=at.date(),
            begins=at.hour * 60,
            ends=at.hour * 60 + LASTS,
            trainees=tuple(Who(id=p.id, name=p.name, pace=pace[p.id]) for p in members),
            instructors=tuple(Who(id=p.id, name=p.name) for p in people if p is not None),
            stations=("Station 1", "Station 2", "Station 3", "Station 4"),
            rooms=("Briefing room", "Annexe"),
            flights=tuple(
                PlannedFlight(
                    exercise_id=name,
                    title=current_exercise(session, name).title,
                    minutes=minutes,
                    trainees=everybody,
                )
                for name, minutes in EXERCISES
            ),
            at_once=3,
        )
    )
