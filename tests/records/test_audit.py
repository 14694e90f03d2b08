"""The audit list: every change that somebody makes is in it, in their name; what Lumenstat does by itself is not."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import pytest
from sqlalchemy.orm import Session

from lumenstat.records.acting import acting_as
from lumenstat.records.audit import AuditFilter, find_lines
from lumenstat.records.courses import CourseChange, add_course, change_course, enrol
from lumenstat.records.database import Database
from lumenstat.records.groups import GroupChange, add_group, change_group, members_of, set_opened
from lumenstat.records.lessons import void_run
from lumenstat.records.people import PersonChange, add_person, change_person, get_person, set_password
from lumenstat.records.school import settle
from lumenstat.training.course_standing import Requirement
from tests.school import flown, person, signed

BY = "Rosamund Tegler"


def said(database: Database, **wanted: Any) -> list[str]:
    found = database.read(lambda s: find_lines(s, AuditFilter(**wanted))).rows
    assert {row.by for row in found} <= {BY}
    return [row.says for row in reversed(found)]


def done(database: Database, job: Callable[[Session], Any]) -> None:
    with acting_as(BY):
        database.write(job)


def test_a_person_is_added_changed_and_given_a_password(database: Database) -> None:
    done(database, lambda s: add_person(s, "Nora Quist", "nora", "trainee", "frost-on-the-ramp-2"))
    number = person(database, "nora")
    edition = database.read(lambda s: get_person(s, number).edition)
    done(database, lambda s: change_person(s, number, PersonChange(edition, "Nora Q", "nora", "instructor", False)))
    done(database, lambda s: set_password(s, number, "another-frost-ramp"))
    assert said(database, kind="person", subject=str(number)) == [
        "Nora Quist added",
        "Nora Q: name was Nora Quist, is Nora Q; role was trainee, is instructor; may sign in was yes, is no",
        "Nora Q: password changed",
    ]


def test_a_group_its_members_and_what_it_may_practise(database: Database) -> None:
    ines, odile = person(database, "ines"), person(database, "odile")
    done(database, lambda s: add_group(s, "Night class", odile, [ines]))
    number = database.read(lambda s: find_lines(s, AuditFilter(kind="group"))).rows[0].subject
    done(database, lambda s: change_group(s, int(number), GroupChange(0, "Night class", odile, ())))
    done(database, lambda s: set_opened(s, int(number), ["frost-on-the-ramp"], BY))
    assert said(database, kind="group", subject=number) == [
        "Night class added",
        "member Ines Okafor-Lund added",
        "member Ines Okafor-Lund taken out",
        "practice of frost-on-the-ramp added",
    ]
    assert database.read(lambda s: members_of(s, int(number))) == []


def test_a_record_is_overridden_appraised_signed_and_voided(database: Database) -> None:
    with acting_as(BY):
        run = signed(database)
        other = flown(database, "tobias")
        database.write(lambda s: void_run(s, other, BY, "The wrong trainee sat there."))
    assert said(database, kind="run", subject=run) == [
        "appraisal Good added", "verdict on log: wrong, 0 added", f"run {run}: signed by was nothing, is Odile Marrash",
    ]  # fmt: skip
    (line,) = said(database, kind="run", subject=other)
    assert "voided by was nothing, is Rosamund Tegler" in line and "The wrong trainee sat there." in line


def test_a_course_step_by_step_and_what_the_school_settles(database: Database) -> None:
    done(database, lambda s: add_course(s, "Winter", "", [Requirement("frost-on-the-ramp")]))
    number = database.read(lambda s: find_lines(s, AuditFilter(kind="course"))).rows[0].subject
    change = CourseChange(0, "Winter", "Cold.", (Requirement("frost-on-the-ramp", within_days=30),))
    done(database, lambda s: change_course(s, int(number), change))
    done(database, lambda s: enrol(s, int(number), [person(database, "ines")]))
    done(database, lambda s: settle(s, {"mastery_passes": "3"}))
    assert said(database, kind="course", subject=number) == [
        "Winter added",
        "step 1, frost-on-the-ramp added",
        "Winter: about was nothing, is Cold.",
        "step 1, frost-on-the-ramp: days was nothing, is 30",
        "trainee Ines Okafor-Lund added",
    ]
    assert said(database, kind="school") == ["mastery passes 3 added"]


def test_what_nobody_does_is_not_in_it(database: Database) -> None:
    flown(database)
    assert said(database) == []


def test_a_change_that_is_refused_is_not_in_it(database: Database) -> None:
    with pytest.raises(Exception, match="is taken already"):
        done(database, lambda s: (add_course(s, "One"), add_course(s, "one")))
    assert said(database) == []


def test_two_who_change_something_at_once_are_told_apart(database: Database) -> None:
    waiting = []
    for name in ("First Head", "Second Head"):
        with acting_as(name):
            waiting.append(database.submit(partial(add_course, name=f"Course of {name}")))
    for each in waiting:
        each.result()
    found = database.read(lambda s: find_lines(s, AuditFilter(kind="course"))).rows
    assert {(row.by, row.says) for row in found} == {
        ("First Head", "Course of First Head added"), ("Second Head", "Course of Second Head added"),
    }  # fmt: skip
