"""Courses, drills and days as their users send them: what is kept, what is refused beside its field, what leaves."""

from __future__ import annotations

import re
import time
from datetime import date, timedelta
from typing import Any

import pytest
import vobject

from lumenstat.records.courses import courses, enrolled, steps_of
from lumenstat.records.day_plans import plans_from
from lumenstat.records.people import find_person
from lumenstat.records.tables import Person as PersonRow
from lumenstat.training.course_standing import Requirement
from tests.flights import about, perfect_frost, without
from tests.school import flown
from tests.web.conftest import Person, another, packed

SLIPPED = without(perfect_frost(), about("see", control="wipers"))
TOMORROW = f"{date.today() + timedelta(days=1):%Y-%m-%d}"
DAY = {
    "group": "1", "day": TOMORROW, "zone": "Europe/Paris", "begins": "08:00", "ends": "17:00",
    "exercise": "guided-power-up", "instructors": "3", "stations": "3", "rooms": "Room A, Room B",
}  # fmt: skip


def db(person: Person) -> Any:
    return person.client.app.state.database  # type: ignore[attr-defined]


def number(person: Person, name: str) -> int:
    found: PersonRow | None = db(person).read(lambda s: find_person(s, name))
    assert found is not None
    return found.id


def send(person: Person, path: str, **form: Any) -> Any:
    return person.client.post(path, data={"csrf": person.token("/account"), **form}, follow_redirects=False)


def wrong(answer: Any) -> dict[str, str]:
    """What the page says is wrong, by field."""
    return dict(re.findall(r'data-wrong="(\w*)">([^<]+)<', answer.text))


# ---- courses ---------------------------------------------------------------------------------------------------------


def test_a_course_is_made_filled_and_shown(odile: Person) -> None:
    made = send(odile, "/courses", name="Winter")
    assert made.headers["location"].endswith("/change")
    course = int(made.headers["location"].split("/")[2])
    answer = send(
        odile, f"/courses/{course}/change", edition="0", name="Winter", about="Cold.",
        exercise=["frost-on-the-ramp", "", "battery-and-apu"], passes=["1", "1", "2"], at_least=["", "", "80,5"],
        grade=["", "", "Good"], within_days=["30", "", ""],
    )  # fmt: skip
    assert answer.status_code == 303
    assert db(odile).read(lambda s: steps_of(s, course)) == [
        Requirement("frost-on-the-ramp", within_days=30), Requirement("battery-and-apu", 2, 80.5, "Good"),
    ]  # fmt: skip
    send(odile, f"/courses/{course}/people", people=[str(number(odile, "ines"))], group="3")
    assert len(db(odile).read(lambda s: enrolled(s, course))) == 7
    flown(db(odile))
    page = odile.client.get(f"/courses/{course}").text
    assert "passed, counts for 30 days" in page and "passed 2 times, 80.5 % or more, Good or better" in page
    assert re.search(r"100</span><span[^>]*>until", packed(page))
    csv = odile.client.get(f"/courses/{course}/progress.csv").text.splitlines()
    assert csv[0].startswith("Trainee,") and len(csv) == 8
    assert odile.client.get(f"/courses/{course}/progress.xlsx").content[:2] == b"PK"


@pytest.mark.parametrize(
    ("step", "says"),
    [
        ({"passes": ["many"]}, "Step 1: passes is a figure, not"),
        ({"passes": ["1.5"]}, "whole numbers"),
        ({"at_least": ["900"]}, "points go from 0 to 100"),
        ({"exercise": ["nowhere"]}, "there is no exercise"),
    ],
)
def test_what_a_course_cannot_ask_for_stands_beside_the_form_and_what_was_typed_stays(
    odile: Person, step: dict[str, list[str]], says: str
) -> None:
    form = {
        "edition": "0", "name": "Typed by hand", "exercise": ["frost-on-the-ramp"], "passes": ["1"], "at_least": [""],
        "grade": [""], "within_days": ["30"],
    } | step  # fmt: skip
    answer = send(odile, "/courses/1/change", **form)
    assert answer.status_code == 422 and says in wrong(answer)["steps"]
    assert 'value="Typed by hand"' in answer.text and 'value="30"' in answer.text


def test_a_course_that_was_changed_meanwhile_is_said(odile: Person) -> None:
    assert send(odile, "/courses/1/change", edition="0", name="One").status_code == 303
    answer = send(odile, "/courses/1/change", edition="0", name="Two")
    assert answer.status_code == 409 and "Somebody else changed One" in answer.text
    assert [c.name for c in db(odile).read(courses)] == ["One"]
    assert wrong(send(odile, "/courses", name=" one "))["name"] == "The name &#39;One&#39; is taken already."


# ---- days ------------------------------------------------------------------------------------------------------------


def planned(odile: Person, **changes: object) -> str:
    answer = send(odile, "/days", **{**DAY, **changes})
    assert answer.status_code == 303, wrong(answer)
    return str(answer.headers["location"].split("/")[2])


def test_a_day_is_planned_seen_by_who_is_in_it_moved_and_taken_away(odile: Person, ines: Person) -> None:
    plan = planned(odile)
    page = odile.client.get(f"/days/{plan}").text
    assert "It fits" in page and page.count("<tr id=") == 6
    assert (
        "It fits" in ines.client.get(f"/days/{plan}").text and "data-move" not in ines.client.get(f"/days/{plan}").text
    )
    beatriz = another(odile.client)
    beatriz.sign_in("beatriz")
    assert beatriz.client.get(f"/days/{plan}").status_code == 404
    moved = send(odile, f"/days/{plan}/move", edition="0", slot="1-flight", by_minutes="-500")
    assert moved.headers["location"].endswith("#slot-1-flight")
    assert "is outside of the day, 08:00 to 17:00" in odile.client.get(f"/days/{plan}").text
    late = odile.client.post(
        f"/days/{plan}/move", headers={"X-Form": "stay"},
        data={"csrf": odile.token("/account"), "edition": "0", "slot": "1-flight", "by_minutes": "5"},
    )  # fmt: skip
    assert late.status_code == 422 and "changed this plan in the meantime" in late.json()["says"]
    read = vobject.readOne(odile.client.get(f"/days/{plan}/plan.ics").text)
    assert len(read.vevent_list) == 6
    assert len(vobject.readOne(ines.client.get(f"/days/{plan}/plan.ics").text).vevent_list) == 3
    assert odile.client.get(f"/days/{plan}/plan.pdf").content.startswith(b"%PDF")
    assert len(odile.client.get(f"/days/{plan}/plan.csv").text.splitlines()) == 7
    send(odile, f"/days/{plan}/drop")
    assert db(odile).read(lambda s: plans_from(s, date(2000, 1, 1))) == []


def test_what_is_due_in_a_course_is_planned_for_whom_it_is_due(odile: Person) -> None:
    flown(db(odile), "ines")
    for name in ("tobias", "maribel"):
        flown(db(odile), name, SLIPPED)
    planned(odile, exercise="", course="1")
    plan = db(odile).read(lambda s: plans_from(s, date(2000, 1, 1)))[0].plan
    flights = {f.exercise_id: f.trainees for f in plan.wanted.flights}
    assert set(flights) == {"guided-power-up"} and len(flights["guided-power-up"]) == 6


def test_a_pace_comes_from_what_somebody_flew(odile: Person) -> None:
    flown(db(odile), "ines")
    planned(odile)
    plan = db(odile).read(lambda s: plans_from(s, date(2000, 1, 1)))[0].plan
    paces = {who.name: who.pace for who in plan.wanted.trainees}
    assert 1.0 < paces["Ines Okafor-Lund"] < 1.3 and paces["Tobias Arkwell"] == 1.5
    (flight,) = plan.wanted.flights
    assert flight.minutes == pytest.approx(106 / 60, abs=0.05), "what the model needs for it"


WRONG = [
    ({"group": ""}, "group", "Choose the class"),
    ({"exercise": "", "course": ""}, "exercise", "Choose what is to be flown"),
    ({"instructors": ""}, "instructors", "Tick who teaches"),
    ({"day": "tomorrow"}, "day", "The day is written as"),
    ({"begins": "8"}, "begins", "A time is written as 08:30"),
    ({"ends": "25:00"}, "ends", "A time is written as 08:30"),
    ({"zone": "Varrow/Sound"}, "zone", "There is no time zone"),
    ({"stations": "0"}, "stations", "There are 1 to 40"),
    ({"rooms": " , "}, "rooms", "Say how many there are"),
    ({"briefing": "a while"}, "briefing", "whole number"),
    ({"work_at_most": "5"}, "work_at_most", "At least 30 is needed."),
    ({"hours": "Nobody 09:00-10:00"}, "hours", "Nobody in this plan is called"),
    ({"hours": "Ines Okafor-Lund nine"}, "hours", "A time is written as 08:30"),
]


@pytest.mark.parametrize(("change", "field", "says"), WRONG)
def test_what_cannot_be_planned_stands_beside_its_field(
    odile: Person, change: dict[str, str], field: str, says: str
) -> None:
    answer = send(odile, "/days", **{**DAY, **change})
    assert answer.status_code == 422 and says in wrong(answer).get(field, ""), wrong(answer)
    assert db(odile).read(lambda s: plans_from(s, date(2000, 1, 1))) == []


def test_people_who_are_not_there_all_day_and_a_class_over_the_night(odile: Person) -> None:
    planned(odile, hours="Ines Okafor-Lund 13:00-16:00\n", begins="21:00", ends="03:00")
    plan = db(odile).read(lambda s: plans_from(s, date(2000, 1, 1)))[0].plan
    assert plan.wanted.ends == 27 * 60
    assert any("Ines Okafor-Lund" in each and "is there for long enough" in each for each in plan.left_over)


# ---- drills ----------------------------------------------------------------------------------------------------------


def test_a_trainee_makes_a_drill_of_what_they_miss(odile: Person, ines: Person) -> None:
    flown(db(odile), "ines", SLIPPED)
    own, other = number(odile, "ines"), number(odile, "tobias")
    page = ines.client.get(f"/people/{own}/record").text
    assert 'value="frost-on-the-ramp|wipers"' in page
    assert send(ines, f"/people/{other}/drill", items="frost-on-the-ramp|wipers").status_code == 404
    for items, says in (
        ([], "Tick one to 5"), (["frost-on-the-ramp|nothing"], "has no item"), (["nowhere|log"], "no exercise"),
        ([f"frost-on-the-ramp|x{n}" for n in range(6)], "Tick one to 5"),
    ):  # fmt: skip
        answer = send(ines, f"/people/{own}/drill", items=items)
        assert answer.status_code == 422 and says in answer.text
    making = send(ines, f"/people/{own}/drill", items="frost-on-the-ramp|wipers").headers["location"]
    for _ in range(600):
        if ines.client.get(making, headers={"accept": "application/json"}).json()["over"]:
            break
        time.sleep(0.05)
    drill = ines.client.get(making, follow_redirects=False).headers["location"]
    shown = ines.client.get(drill).text
    assert "Wipers" in shown and "Fly the next" in shown
    station = re.search(r'href="(/runs/\w+/station)">Fly the next', shown)
    assert station is not None
    assert "Drill, moment 1: Wipers, OFF" in ines.client.get(station.group(1)).text
    run = station.group(1).split("/")[2]
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_json({"id": "1", "verb": "see", "args": {"control": "wipers", "position": "OFF"}})
        while not socket.receive_json().get("clock", {}).get("finished"):
            pass
    from tests.web.conftest import wait_until_judged

    wait_until_judged(odile, run)
    assert "Done" in ines.client.get(drill).text
    debrief = ines.client.get(f"/runs/{run}/debrief").text
    assert "The drill" in debrief and 'data-outcome="pass"' in debrief
    assert send(odile, f"{drill}/again", run=run).status_code == 404, "an instructor flies nobody's drill"
    assert send(ines, f"{drill}/again", run=run).headers["location"].endswith("/station")
