"""Addresses of the record: logbooks, courses, drills, days, the school."""

from __future__ import annotations

from lumenstat.web.urls.binding import path


def logbook(person_id: str) -> str:
    """A person's record."""
    return path("logbook", person_id=person_id)


def logbook_file(person_id: str, kind: str) -> str:
    """A person's logbook as CSV or XLSX."""
    return path("logbook_file", person_id=person_id, kind=kind)


def class_record(group_id: str) -> str:
    """A class's record."""
    return path("class_record", group_id=group_id)


def class_record_file(group_id: str, kind: str) -> str:
    """The items of an exercise across a class as CSV or XLSX."""
    return path("class_record_file", group_id=group_id, kind=kind)


def courses() -> str:
    """All courses."""
    return path("courses")


def add_course() -> str:
    """Makes a course."""
    return path("add_course")


def course(course_id: str) -> str:
    """How far everybody in a course is."""
    return path("course", course_id=course_id)


def course_form(course_id: str) -> str:
    """What a course asks for, to be changed."""
    return path("course_form", course_id=course_id)


def change_course(course_id: str) -> str:
    """Changes a course."""
    return path("change_course", course_id=course_id)


def enrol(course_id: str) -> str:
    """Chooses who is in a course."""
    return path("enrol", course_id=course_id)


def course_file(course_id: str, kind: str) -> str:
    """A course's progress as CSV or XLSX."""
    return path("course_file", course_id=course_id, kind=kind)


def course_archive(course_id: str) -> str:
    """A course with its exercises as an archive."""
    return path("course_archive", course_id=course_id)


def make_drill(person_id: str) -> str:
    """Makes a drill of what somebody misses."""
    return path("make_drill", person_id=person_id)


def making_drill(person_id: str, key: str) -> str:
    """How far a drill is that is being made."""
    return path("making_drill", person_id=person_id, key=key)


def drill(drill_id: str) -> str:
    """The moments of a drill."""
    return path("drill", drill_id=drill_id)


def drill_again(drill_id: str) -> str:
    """Flies a moment of a drill once more."""
    return path("drill_again", drill_id=drill_id)


def days() -> str:
    """Plans of days."""
    return path("days")


def plan_day() -> str:
    """Plans a day."""
    return path("plan_day")


def day(plan_id: str) -> str:
    """The plan of a day."""
    return path("day", plan_id=plan_id)


def move_slot(plan_id: str) -> str:
    """Changes a plan by hand."""
    return path("move_slot", plan_id=plan_id)


def drop_day(plan_id: str) -> str:
    """Takes a plan out."""
    return path("drop_day", plan_id=plan_id)


def day_file(plan_id: str, kind: str) -> str:
    """A plan as ICS, PDF or CSV."""
    return path("day_file", plan_id=plan_id, kind=kind)


def school() -> str:
    """What a school settles, and what is kept of it."""
    return path("school")


def settle_school() -> str:
    """Settles things for the school."""
    return path("settle_school")


def back_up_now() -> str:
    """Makes a backup."""
    return path("back_up_now")


def clear_out() -> str:
    """Takes out what is kept no longer."""
    return path("clear_out")


def audit() -> str:
    """Who changed what."""
    return path("audit")


def audit_file(kind: str) -> str:
    """The audit list as CSV or XLSX."""
    return path("audit_file", kind=kind)


def school_archive() -> str:
    """The whole school as one archive."""
    return path("school_archive")


def take_in_archive() -> str:
    """Takes an archive in."""
    return path("take_in_archive")


def send_again() -> str:
    """Has statements sent that were not taken."""
    return path("send_again")
