"""Courses as stored, what they open, mastery against a count by brute force, the logbook's lines, approval."""

from __future__ import annotations

import random
from datetime import timedelta
from functools import partial

import pytest

from lumenstat.demo import DEMO_COURSE
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import EntryRefused, Overtaken, RecordError
from lumenstat.records.approvals import approval_of, approve, refuse_unapproved, waits_for_approval
from lumenstat.records.courses import (
    CourseChange,
    add_course,
    change_course,
    courses,
    enrol,
    enrol_group,
    enrolled,
    get_course,
    progress_of,
    steps_of,
)
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise, store_bundle, versions_of
from lumenstat.records.groups import may_practise, set_opened
from lumenstat.records.lessons import void_run
from lumenstat.records.logbook import logbook_length, logbook_of, mastered_counts, mastery_of
from lumenstat.records.people import now
from lumenstat.records.runs import find_run
from lumenstat.records.school import school, settle
from lumenstat.records.tallies import count_as
from lumenstat.training.course_standing import Requirement
from tests.flights import about, perfect_frost, without
from tests.records.test_statistics import flown as counted
from tests.records.test_statistics import ledger, row
from tests.school import flown, person, signed

SLIPPED = without(perfect_frost(), about("see", control="wipers"))
SCALE = ("Well done", "Good", "Sufficient", "Not yet")


def test_the_demo_school_has_a_course_with_two_groups_in_it(database: Database) -> None:
    (course,) = database.read(courses)
    assert course.name == DEMO_COURSE and len(database.read(lambda s: steps_of(s, course.id))) == 6
    assert len(database.read(lambda s: enrolled(s, course.id))) == 12


def test_progress_follows_runs_grades_and_voided_ones(database: Database) -> None:
    course = database.write(
        lambda s: (
            add_course(
                s, "Winter", "", [Requirement("frost-on-the-ramp", grade="Good"), Requirement("guided-power-up")]
            ).id
        )
    )
    ines = person(database, "ines")
    database.write(lambda s: enrol(s, course, [ines]))

    def states() -> list[str]:
        (progress,) = database.read(lambda s: progress_of(s, course, SCALE))
        return [each.state for each in progress.steps]

    assert states() == ["next", "later"]
    flown(database, mode="practice")
    assert states() == ["next", "later"], "practice counts in no course"
    run = flown(database)
    assert states() == ["tried", "later"], "no grade was given"
    signed(database)
    assert states() == ["done", "next"]
    database.write(lambda s: void_run(s, run, "Odile Marrash", "It was somebody else."))
    assert states() == ["done", "next"]


def test_a_course_opens_its_exercises_for_practice_to_whoever_is_in_it(database: Database) -> None:
    database.write(lambda s: set_opened(s, 1, [], "x"))
    ines, beatriz = person(database, "ines"), person(database, "beatriz")
    wanted = {step.exercise_id for step in database.read(lambda s: steps_of(s, 1))}
    assert {v.exercise_id for v in database.read(lambda s: may_practise(s, ines))} == wanted
    assert not wanted & {v.exercise_id for v in database.read(lambda s: may_practise(s, beatriz))} - {
        "frost-on-the-ramp", "guided-power-up", "battery-and-apu",
    }  # fmt: skip
    database.write(lambda s: change_course(s, 1, CourseChange(0, DEMO_COURSE, "", (), archived=True)))
    assert database.read(lambda s: may_practise(s, ines)) == []


REFUSED = [
    ((Requirement("nowhere"),), "no exercise 'nowhere'"),
    ((Requirement("frost-on-the-ramp", passes=0),), "passes go from 1"),
    ((Requirement("frost-on-the-ramp", at_least=101.0),), "points go from 0"),
    ((Requirement("frost-on-the-ramp", within_days=0),), "days go from 1"),
    ((Requirement("frost-on-the-ramp", grade="Fine"),), "this school's grades"),
    ((Requirement("frost-on-the-ramp"),) * 41, "at most 40"),
]


@pytest.mark.parametrize(("steps", "says"), REFUSED)
def test_what_a_course_cannot_ask_for_is_said(database: Database, steps: tuple[Requirement, ...], says: str) -> None:
    before = database.read(lambda s: steps_of(s, 1))
    with pytest.raises(EntryRefused, match=says):
        database.write(lambda s: change_course(s, 1, CourseChange(0, "Another", "", steps), SCALE))
    assert database.read(lambda s: (get_course(s, 1).name, steps_of(s, 1))) == (DEMO_COURSE, before)


def test_a_course_may_ask_for_the_least_and_the_most_of_everything(database: Database) -> None:
    asked = (
        Requirement("frost-on-the-ramp", passes=1, at_least=0.0, within_days=1),
        Requirement("frost-on-the-ramp", passes=10, at_least=100.0, within_days=3650),
    )
    database.write(lambda s: change_course(s, 1, CourseChange(0, "Another", "", asked), SCALE))
    kept = [(step.passes, step.at_least, step.within_days) for step in database.read(lambda s: steps_of(s, 1))]
    assert kept == [(1, 0.0, 1), (10, 100.0, 3650)]


def test_two_who_change_a_course_are_told_of_each_other(database: Database) -> None:
    database.write(lambda s: change_course(s, 1, CourseChange(0, "Once", "", ())))
    with pytest.raises(Overtaken):
        database.write(lambda s: change_course(s, 1, CourseChange(0, "Twice", "", ())))
    with pytest.raises(EntryRefused, match="already"):
        database.write(lambda s: add_course(s, " once "))


def test_a_group_joins_and_only_trainees_do(database: Database) -> None:
    course = database.write(lambda s: add_course(s, "New").id)
    database.write(lambda s: enrol_group(s, course, 3))
    assert len(database.read(lambda s: enrolled(s, course))) == 6
    with pytest.raises(EntryRefused, match="Only trainees"):
        database.write(lambda s: enrol(s, course, [person(database, "odile")]))


# ---- mastery ---------------------------------------------------------------------------------------------------------

ITEMS = ("log", "outside", "wipers", "gear-lever")


def by_brute_force(past: list[tuple[str, set[str], int]], passes: int, two: bool) -> int:
    """Items that went well in the last `passes` assessed runs at least, by two assessors where that is asked for."""
    found = 0
    for item in ITEMS:
        row, seen = 0, set[int]()
        for mode, missed, by in reversed(past):
            if mode != "assessed":
                continue
            if item in missed:
                break
            row += 1
            seen.add(by)
        found += row >= passes and (not two or len(seen) > 1)
    return found


@pytest.mark.parametrize("seed", range(6))
def test_mastery_is_what_a_count_by_brute_force_gives(database: Database, seed: int) -> None:
    rng = random.Random(seed)
    ines = person(database, "ines")
    past: list[tuple[str, set[str], int]] = []
    runs = []
    for days in range(12, 0, -1):
        missed = {item for item in ITEMS if rng.random() < 0.25}
        mode, by = rng.choice(("assessed", "assessed", "practice")), rng.choice((2, 3))
        rows = [row(item, "omitted" if item in missed else "done", 0.0 if item in missed else 1.0) for item in ITEMS]
        run = counted(database, ines, rows, days, mode)

        def given(session: object, run: str = run, by: int = by, rows: list = rows) -> None:  # type: ignore[type-arg]
            found = find_run(session, run)  # type: ignore[arg-type]
            found.instructor_id = by
            count_as(session, found, ledger(rows))  # type: ignore[arg-type]

        database.write(given)
        past.append((mode, missed, by))
        runs.append(run)
    for passes, by_whom in ((1, "anybody"), (2, "anybody"), (3, "anybody"), (2, "two")):
        database.write(partial(settle, wanted={"mastery_passes": str(passes), "mastery_by": by_whom}))
        expected = by_brute_force(past, passes, by_whom == "two")
        counts = database.read(lambda s: mastered_counts(s, [ines], ["frost-on-the-ramp"]))
        assert counts.get((ines, "frost-on-the-ramp"), 0) == expected
        (shown,) = database.read(lambda s: mastery_of(s, ines, ["frost-on-the-ramp"]))
        assert shown.mastered == expected
    database.write(lambda s: settle(s, {"mastery_passes": "1", "mastery_by": "anybody"}))
    database.write(lambda s: void_run(s, runs[-1], "x", "It did not count."))
    counts = database.read(lambda s: mastered_counts(s, [ines], ["frost-on-the-ramp"]))
    assert counts.get((ines, "frost-on-the-ramp"), 0) == by_brute_force(past[:-1], 1, False)


@pytest.mark.parametrize(
    ("name", "value"),
    [("mastery_passes", "0"), ("mastery_passes", "many"), ("mastery_by", "me"), ("backup_hours", "-1")],
)
def test_what_cannot_be_settled_is_said_by_its_field(database: Database, name: str, value: str) -> None:
    before = database.read(school)
    with pytest.raises(EntryRefused) as refused:
        database.write(lambda s: settle(s, {"keep_audit_months": "12", name: value}))
    assert refused.value.field == name
    assert database.read(school) == before


# ---- the logbook -----------------------------------------------------------------------------------------------------


def test_a_line_has_all_that_an_auditor_asks_for(database: Database) -> None:
    run = signed(database, events=SLIPPED)
    ines = person(database, "ines")
    (line,) = database.read(lambda s: logbook_of(s, ines))
    digest = database.read(lambda s: current_exercise(s, "frost-on-the-ramp").digest)
    assert (line.run_id, line.title, line.airframe, line.version) == (run, "Frost on the ramp", "Rowan R2", digest[:12])
    assert line.mode == "assessed" and line.minutes == pytest.approx(17.5)
    assert (line.grade, line.assessed_by, line.signed_by) == ("Good", "Odile Marrash", "Odile Marrash")
    assert line.remark == "Ines Okafor-Lund reads well." and line.prompted == 0
    assert line.against_needed is not None and 1.0 < line.against_needed < 1.2
    assert database.read(lambda s: logbook_length(s, ines)) == 1


def test_a_long_logbook_comes_in_pages_newest_first(database: Database) -> None:
    ines = person(database, "ines")
    rows = [row("log", "done", 1.0)]
    for days in range(50):
        counted(database, ines, rows, days)
    one, two = database.read(lambda s: [logbook_of(s, ines, page) for page in (1, 2)])
    assert (len(one), len(two)) == (40, 10)
    ordered = [line.at for line in (*one, *two)]
    assert ordered == sorted(ordered, reverse=True) and now() - ordered[-1] > timedelta(days=48)


# ---- approval --------------------------------------------------------------------------------------------------------


def published(database: Database, frost: Bundle, by: int) -> None:
    exercise = frost.exercise.model_copy(update={"title": "Frost, changed"})
    changed = Bundle(frost.airframe, frost.checklists, exercise)
    database.write(lambda s: store_bundle(s, Bundle.from_canonical_json(changed.canonical_json), by))


def test_a_version_waits_for_a_second_instructor_where_the_school_asks_for_it(
    database: Database, frost: Bundle
) -> None:
    odile, casimir = person(database, "odile"), person(database, "casimir")
    published(database, frost, odile)

    def waits() -> bool:
        return database.read(lambda s: waits_for_approval(s, current_exercise(s, "frost-on-the-ramp")))

    assert not waits()
    database.write(lambda s: settle(s, {"approval": "yes"}))
    assert waits()
    with pytest.raises(RecordError, match="waits for a second instructor"):
        database.read(lambda s: refuse_unapproved(s, current_exercise(s, "frost-on-the-ramp")))
    assert not database.read(lambda s: waits_for_approval(s, current_exercise(s, "guided-power-up"))), "it ships"
    with pytest.raises(RecordError, match="You published this version"):
        database.write(lambda s: approve(s, "frost-on-the-ramp", odile, "Looked at all of it."))
    with pytest.raises(EntryRefused, match="what you looked at"):
        database.write(lambda s: approve(s, "frost-on-the-ramp", casimir, "ok"))
    database.write(lambda s: approve(s, "frost-on-the-ramp", casimir, "Limits against the manual."))
    assert not waits()
    digest = database.read(lambda s: current_exercise(s, "frost-on-the-ramp").digest)
    kept = database.read(lambda s: approval_of(s, digest))
    assert kept is not None and kept.by == "Casimir Brandt-Oyelowo"
    with pytest.raises(RecordError, match="approved this version already"):
        database.write(lambda s: approve(s, "frost-on-the-ramp", person(database, "matthias"), "Once more, all."))


def test_versions_are_those_that_were_published(database: Database, frost: Bundle) -> None:
    flown(database)
    published(database, frost, person(database, "odile"))
    found = database.read(lambda s: versions_of(s, "frost-on-the-ramp"))
    assert [current for _, _, current in found] == [True, False] and found[1][0] == frost.digest
