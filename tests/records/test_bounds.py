"""What may be how long and how many: the last one that is taken, and the first one that is refused, in figures."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from types import ModuleType

import pytest
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, RecordError
from lumenstat.records import invitations, logbook, people, sign_ins
from lumenstat.records.approvals import approve
from lumenstat.records.courses import CourseChange, add_course, change_course
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import add_group
from lumenstat.records.lessons import LessonStation, start_lesson, void_run
from lumenstat.records.lists import a_page_of
from lumenstat.records.people import checked_name, checked_password, checked_sign_in_name, now
from lumenstat.records.runs import create_run
from lumenstat.training.course_standing import Requirement
from tests.school import EXERCISE, flown, person


@pytest.mark.parametrize(
    ("checked", "longest"),
    [(checked_name, "n" * 80), (checked_sign_in_name, "n" * 40), (checked_password, "ab cd9" * 33 + "xy")],
)
def test_the_longest_is_taken_and_one_more_refused(checked: Callable[[str], str], longest: str) -> None:
    assert checked(longest) == longest
    with pytest.raises(EntryRefused, match=str(len(longest))):
        checked(f"{longest}n")


def test_a_password_has_ten_characters_and_no_fewer() -> None:
    assert checked_password("grey-heron") == "grey-heron"
    with pytest.raises(EntryRefused, match="10 to 200"):
        checked_password("grey-hero")


def test_a_group_s_name_has_up_to_eighty_characters(database: Database) -> None:
    assert database.write(lambda s: add_group(s, "g" * 80, person(database, "odile")).name) == "g" * 80
    with pytest.raises(EntryRefused, match="80"):
        database.write(lambda s: add_group(s, "g" * 81, person(database, "odile")))


def _course(about: str, steps: int) -> Callable[[Session], None]:
    def change(session: Session) -> None:
        course = add_course(session, f"{len(about)} and {steps}")
        wanted = tuple(Requirement(exercise_id=EXERCISE) for _ in range(steps))
        change_course(session, course.id, CourseChange(course.edition, course.name, about, wanted, archived=False))

    return change


def test_a_course_has_forty_exercises_and_two_thousand_characters_about_it(database: Database) -> None:
    database.write(_course("a" * 2000, 40))
    with pytest.raises(EntryRefused, match="2,000"):
        database.write(_course("a" * 2001, 1))
    with pytest.raises(EntryRefused, match="at most 40"):
        database.write(_course("", 41))


def test_a_reason_and_an_approval_are_a_sentence_of_eight_characters(database: Database) -> None:
    runs = [flown(database), flown(database)]
    with pytest.raises(EntryRefused, match="sentence"):
        database.write(lambda s: void_run(s, runs[0], "Odile", " 7 chars "))
    database.write(lambda s: void_run(s, runs[0], "Odile", "8 chars."))
    with pytest.raises(EntryRefused, match="sentence"):
        database.write(lambda s: approve(s, EXERCISE, person(database, "odile"), "7 chars"))
    database.write(lambda s: approve(s, EXERCISE, person(database, "odile"), "8 chars."))


def test_twenty_exercises_are_open_for_one_person_and_no_more(database: Database) -> None:
    def start(session: Session, count: int) -> None:
        digest = current_exercise(session, EXERCISE).digest
        for _ in range(count):
            create_run(session, digest, person(database, "ines"), person(database, "odile"), "e")
            session.flush()

    database.write(lambda session: start(session, 20))
    with pytest.raises(RecordError, match="20 exercises are open"):
        database.write(lambda session: start(session, 1))


def test_a_lesson_has_sixty_stations(database: Database) -> None:
    def start(session: Session) -> str:
        digest = current_exercise(session, EXERCISE).digest
        places = [LessonStation(person(database, "ines"))] * 61
        return start_lesson(session, digest, "Many", EXERCISE, person(database, "odile"), places, False, "e")

    with pytest.raises(EntryRefused, match="at most 60"):
        database.write(start)


@pytest.mark.parametrize(("number", "shown"), [(1, 50), (2, 1), (9, 1), (0, 50)])
def test_a_page_of_a_list_has_fifty_rows(number: int, shown: int) -> None:
    found = a_page_of(range(51), number)
    assert (len(found.rows), found.total, found.pages) == (shown, 51, 2)


def test_a_logbook_says_twelve_characters_of_a_version_and_forty_runs_on_a_page(database: Database) -> None:
    for _ in range(2):
        flown(database)
    lines = database.read(lambda s: logbook.logbook_of(s, person(database, "ines"), page=1))
    assert {len(line.version) for line in lines} == {12} and len(lines) == 2
    assert database.read(lambda s: logbook.logbook_of(s, person(database, "ines"), page=2)) == []


# ---- how long something is good for ----------------------------------------------------------------------------------


@pytest.fixture
def later(monkeypatch: pytest.MonkeyPatch) -> Callable[[ModuleType, timedelta], None]:
    """Let so much time pass, as a module sees it."""
    present = now()

    def pass_time(module: ModuleType, by: timedelta) -> None:
        monkeypatch.setattr(module, "now", lambda: present + by)

    return pass_time


def test_an_invitation_is_good_for_fourteen_days(
    database: Database, later: Callable[[ModuleType, timedelta], None]
) -> None:
    token = database.write(lambda s: invitations.invite(s, person(database, "ines")))
    for hours, good in ((14 * 24 - 1, True), (14 * 24 + 1, False)):
        later(invitations, timedelta(hours=hours))
        assert (database.read(lambda s: invitations.invited(s, token)) is not None) is good


def test_a_browser_is_known_for_four_hundred_days_and_tries_for_one(
    database: Database, later: Callable[[ModuleType, timedelta], None]
) -> None:
    ines = person(database, "ines")
    token = database.write(lambda s: sign_ins.know_browser(s, ines, None))
    database.write(lambda s: sign_ins.count_tries(s, ["name ines"]))
    later(sign_ins, timedelta(hours=23))
    database.write(lambda s: sign_ins.count_tries(s, ["name odile"]))
    assert database.read(lambda s: sign_ins.tries_of(s, ["name ines"]))["name ines"][0] == 1
    later(sign_ins, timedelta(hours=25))
    database.write(lambda s: sign_ins.count_tries(s, ["name odile"]))
    assert "name ines" not in database.read(lambda s: sign_ins.tries_of(s, ["name ines"]))
    for days, same in ((399, True), (399 + 401, False)):
        later(sign_ins, timedelta(days=days))
        assert (database.write(lambda s: sign_ins.know_browser(s, ines, token)) == token) is same


def test_that_a_sign_in_is_in_use_is_noted_once_a_minute(
    database: Database, later: Callable[[ModuleType, timedelta], None]
) -> None:
    token = database.write(lambda s: sign_ins.sign_in(s, person(database, "ines"), hours=12))
    for seconds, ago in ((59.0, False), (60.9, True)):
        later(sign_ins, timedelta(seconds=seconds))
        found = database.read(lambda s: sign_ins.find_sign_in(s, token))
        assert found is not None and sign_ins.seen_long_ago(found) is ago
    later(sign_ins, timedelta(hours=12, seconds=5))
    assert database.read(lambda s: sign_ins.find_sign_in(s, token)) is None


def test_somebody_s_second_name_gets_a_number_that_fits(database: Database) -> None:
    long = "Ines " + "o" * 60
    names = []
    for _ in range(3):
        name = database.read(lambda s: people.free_sign_in_name(s, long))
        database.write(lambda s, name=name: people.add_person(s, long, name, "trainee", "grey-heron-7"))  # type: ignore[misc]
        names.append(name)
    assert len(set(names)) == 3 and all(len(name) <= 40 for name in names) and names[1].endswith("2")


def test_a_first_password_is_seven_syllables_in_three_groups() -> None:
    groups = people.first_password().split("-")
    assert [len(group) for group in groups] == [4, 4, 6]
    assert all(sound in "aeiou" for group in groups for sound in group[1::2])
