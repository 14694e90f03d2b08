"""The plan of a day: rules held against a checker written by itself here, clocks against the zone database."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lumenstat.language.wording import KEEP_PARTS, catalogue_of, told
from lumenstat.training.day_making import plan_day
from lumenstat.training.day_plan import (
    DayPlan,
    Move,
    PlannedFlight,
    Wanted,
    Who,
    minute_of,
    moment,
    moved,
    now_and_next,
    on_the_wall,
)
from lumenstat.training.day_rules import clashes

DAY = date(2031, 5, 19)


def wanted(people: int = 6, teachers: int = 1, **changes: object) -> Wanted:
    trainees = tuple(Who(id=n + 1, name=f"Trainee {n + 1}") for n in range(people))
    base = Wanted(
        day=DAY,
        trainees=trainees,
        instructors=tuple(Who(id=100 + n, name=f"Teacher {n + 1}") for n in range(teachers)),
        stations=("S1", "S2", "S3"),
        rooms=("Room",),
        flights=(PlannedFlight(exercise_id="a", title="A", minutes=12, trainees=tuple(t.id for t in trainees)),),
    )
    return base.model_copy(update=changes)


def whole_minutes(plan: DayPlan) -> list[str]:
    """A checker by brute force: for each minute of the day, who and what is in use how often."""
    wrong = []
    for minute in range(0, 48 * 60):
        used: list[object] = []
        for slot in plan.slots:
            if slot.begins <= minute < slot.ends:
                used += [slot.instructor, *slot.trainees, *slot.stations, *([slot.room] if slot.room else [])]
        if len(used) != len(set(used)):
            wrong.append(f"minute {minute}")
    return wrong


def test_a_class_fits_and_everybody_is_briefed_flies_and_is_debriefed_in_that_order() -> None:
    plan = plan_day(wanted())
    assert plan.left_over == () and clashes(plan) == [] and whole_minutes(plan) == []
    for trainee in range(1, 7):
        own = sorted((s for s in plan.slots if trainee in s.trainees), key=lambda s: s.begins)
        assert [s.phase for s in own] == ["briefing", "flight", "debriefing"]


def test_a_flight_lasts_what_the_model_needs_times_the_slowest_pace_and_the_margin() -> None:
    slow = (Who(id=1, name="Slow", pace=2.0), Who(id=2, name="Quick", pace=1.0))
    flights = (PlannedFlight(exercise_id="a", title="A", minutes=12, trainees=(1, 2)),)
    plan = plan_day(wanted(2, trainees=slow, flights=flights, margin=3))
    flight = next(s for s in plan.slots if s.phase == "flight")
    assert flight.ends - flight.begins == 30  # 12 x 2 + 3 = 27, on the grid of five minutes


def test_what_does_not_fit_says_when_it_would_end() -> None:
    plan = plan_day(wanted(6, ends=9 * 60 + 30))
    assert len(plan.left_over) == 1
    assert "the day ends at 09:30" in plan.left_over[0] and "it would end at" in plan.left_over[0]
    kept = DayPlan.model_validate_json(plan.model_dump_json(context=KEEP_PARTS))
    assert "der Tag endet um 09:30" in told(kept.left_over[0], catalogue_of("de"))
    assert clashes(plan) == []


def test_a_day_too_short_for_even_one_flight_says_how_long_it_is() -> None:
    plan = plan_day(wanted(1, ends=8 * 60 + 40))
    assert plan.slots == () and "it needs" in plan.left_over[0] and "the day has 40" in plan.left_over[0]


def test_hours_of_people_are_kept() -> None:
    late = tuple(who.model_copy(update={"from_minute": 13 * 60}) if who.id == 3 else who for who in wanted(3).trainees)
    plan = plan_day(wanted(3, trainees=late))
    assert min(s.begins for s in plan.slots if 3 in s.trainees) >= 13 * 60
    assert clashes(plan) == []


def test_a_break_comes_after_the_work_that_is_allowed() -> None:
    plan = plan_day(wanted(9, at_once=1, work_at_most=120, break_minutes=30, ends=20 * 60))
    assert plan.left_over == () and clashes(plan) == []
    own = sorted(plan.slots, key=lambda s: s.begins)
    worked, since = 0, own[0].begins
    for one, other in pairwise(own):
        if other.begins - one.ends >= 30:
            worked, since = max(worked, one.ends - since), other.begins
    assert worked <= 120


@given(
    people=st.integers(1, 9),
    teachers=st.integers(1, 3),
    stations=st.integers(1, 5),
    rooms=st.integers(1, 3),
    at_once=st.integers(1, 4),
    seed=st.integers(0, 10_000),
)
@example(people=3, teachers=2, stations=2, rooms=2, at_once=2, seed=195)  # a wave between two that were there
@settings(max_examples=40, deadline=None)
def test_no_plan_that_is_made_breaks_a_rule(
    people: int, teachers: int, stations: int, rooms: int, at_once: int, seed: int
) -> None:
    rng = random.Random(seed)
    base = wanted(people, teachers)
    flights = tuple(
        PlannedFlight(
            exercise_id=f"e{n}",
            title=f"E{n}",
            minutes=rng.uniform(2, 40),
            trainees=tuple(t.id for t in base.trainees if rng.random() < 0.8),
        )
        for n in range(rng.randint(1, 3))
    )
    plan = plan_day(
        base.model_copy(
            update={
                "flights": flights,
                "stations": tuple(f"S{n}" for n in range(stations)),
                "rooms": tuple(f"R{n}" for n in range(rooms)),
                "at_once": at_once,
                "ends": rng.choice((12 * 60, 17 * 60, 23 * 60)),
            }
        )
    )
    assert clashes(plan) == []
    assert whole_minutes(plan) == []
    placed = sum(len(s.trainees) for s in plan.slots if s.phase == "flight")
    assert placed + sum(line.count("Trainee") for line in plan.left_over) == sum(len(f.trainees) for f in flights)


# ---- changed by hand -------------------------------------------------------------------------------------------------


def test_a_wave_that_is_moved_onto_another_clashes_and_says_who_and_where() -> None:
    plan = plan_day(wanted())
    first, second = plan.slots[0], next(s for s in plan.slots if s.wave == 1)
    after = moved(plan, Move(slot=second.key, by_minutes=first.begins - second.begins))
    says = " ".join(clash.says for clash in clashes(after))
    assert "Teacher 1 is in two places at 08:00" in says and "Room is used twice" in says
    assert "S1 is used twice" in says
    assert moved(after, Move(slot=second.key, by_minutes=second.begins - first.begins)).slots == plan.slots


def test_a_slot_moved_alone_before_its_briefing_is_out_of_order() -> None:
    plan = plan_day(wanted(3))
    flight = next(s for s in plan.slots if s.phase == "flight")
    after = moved(plan, Move(slot=flight.key, by_minutes=-15, whole_wave=False))
    assert any("begins before the briefing has ended" in clash.says for clash in clashes(after))


def test_nothing_is_moved_before_midnight_and_an_unknown_slot_moves_nothing() -> None:
    plan = plan_day(wanted(3))
    assert min(s.begins for s in moved(plan, Move(slot=plan.slots[0].key, by_minutes=-2000)).slots) == 0
    assert moved(plan, Move(slot="9-flight", by_minutes=5)) == plan


def test_now_and_next() -> None:
    plan = plan_day(wanted(3))
    begins = moment(plan.wanted, plan.slots[0].begins)
    seen = now_and_next(plan, begins + timedelta(minutes=1))
    assert [s.phase for s in seen.now] == ["briefing"] and [s.phase for s in seen.next] == ["flight"]
    assert now_and_next(plan, begins + timedelta(days=1)).now == ()


# ---- clocks ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("day", "hours"),
    [(date(2031, 3, 30), 23), (date(2031, 10, 26), 25), (date(2031, 6, 1), 24)],
    ids=["spring", "autumn", "no change"],
)
def test_on_the_night_of_a_change_minutes_pass_in_order(day: date, hours: int) -> None:
    """Source: the IANA time zone database through `zoneinfo`; Europe/Paris changes at 01:00 UTC on both days."""
    zone = "Europe/Paris"
    assert minute_of(day, zone, 24, 0) == hours * 60
    over = wanted(3, day=day, zone=zone, begins=minute_of(day, zone, 1, 0), ends=minute_of(day, zone, 8, 0))
    plan = plan_day(over)
    moments = [moment(over, s.begins) for s in sorted(plan.slots, key=lambda s: s.begins)]
    assert moments == sorted(moments) and len(set(moments)) == len(moments)
    for slot in plan.slots:
        local = moment(over, slot.begins).astimezone(ZoneInfo(zone))
        assert on_the_wall(over, slot.begins) == f"{local:%H:%M}"
    eight = datetime(day.year, day.month, day.day, 8, 0, tzinfo=ZoneInfo(zone)).astimezone(UTC)
    assert moment(over, over.ends) == eight


def test_a_class_over_the_night_goes_on_into_the_next_day() -> None:
    over = wanted(3, begins=22 * 60, ends=26 * 60)
    plan = plan_day(over.model_copy(update={"flights": (over.flights[0].model_copy(update={"minutes": 90}),)}))
    last = max(plan.slots, key=lambda s: s.ends)
    assert on_the_wall(over, last.ends).endswith("+1") and clashes(plan) == []
