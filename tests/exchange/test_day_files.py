"""A day's plan as a calendar and on paper, and a logbook on paper, each read back by somebody else's reader.

Source: RFC 5545 as read by vobject 0.9 and icalendar 7; pypdf 6, text extraction.
"""

from __future__ import annotations

import io
from datetime import UTC, date, datetime, timedelta

import pytest
import vobject
from icalendar import Calendar
from pypdf import PdfReader

from lumenstat.exchange.day_ics import DayFacts, day_ics, run_ics
from lumenstat.exchange.day_pdf import HEADS, day_pdf, day_rows
from lumenstat.exchange.logbook_pdf import PrintedLogbook, logbook_pdf
from lumenstat.records.logbook import LogbookLine
from lumenstat.training.day_making import plan_day
from lumenstat.training.day_plan import DayPlan, Move, PlannedFlight, Wanted, Who, minute_of, moment, moved

FACTS = DayFacts("abc", "Class; with, signs\\and a line\nbreak", "Hollin Bay", 3, datetime(2031, 10, 1, 12, 0))
NAMES = ("Ines Okafor-Lund", "Dario Ekström-Vale, the younger; of Varrow")


def plan(day: date = date(2031, 10, 26), zone: str = "Europe/Paris") -> DayPlan:
    """A class that goes over the night in which summer time ends."""
    return plan_day(
        Wanted(
            day=day,
            zone=zone,
            begins=minute_of(day, zone, 0, 30),
            ends=minute_of(day, zone, 6, 0),
            trainees=tuple(Who(id=n + 1, name=name) for n, name in enumerate(NAMES)),
            instructors=(Who(id=9, name="Odile Marrash"),),
            stations=("Station 1",),
            rooms=("Room, upstairs",),
            flights=(PlannedFlight(exercise_id="a", title="Frost on the ramp", minutes=20, trainees=(1, 2)),),
        )
    )


def events(content: bytes) -> list[tuple[str, datetime, datetime, str]]:
    """What a reader of its own finds: summary, begin, end and place of each event."""
    found = vobject.readOne(content.decode())
    return [
        (e.summary.value, e.dtstart.value.astimezone(UTC), e.dtend.value.astimezone(UTC), e.location.value)
        for e in found.vevent_list
    ]


def test_one_reader_finds_every_slot_at_its_moment_over_the_change_of_time() -> None:
    made = plan()
    expected = [
        (f"{s.title}, {s.phase}", moment(made.wanted, s.begins), moment(made.wanted, s.ends), s.room or "Station 1")
        for s in sorted(made.slots, key=lambda s: (s.begins, s.wave))
    ]
    found = events(day_ics(made, FACTS))
    assert found == expected and len(found) == 6
    assert [each[1] for each in found] == sorted(each[1] for each in found)


def test_another_reader_finds_the_same_and_the_rules_of_the_format() -> None:
    content = day_ics(plan(), FACTS)
    read = Calendar.from_ical(content)
    found = [
        (str(e["summary"]), e.decoded("dtstart"), e.decoded("dtend"), str(e["location"])) for e in read.walk("VEVENT")
    ]
    assert found == events(content)
    assert str(read["prodid"]) and str(read["version"]) == "2.0"
    for event in read.walk("VEVENT"):
        assert event["uid"] and event["dtstamp"]
        assert any(name in str(event["description"]) for name in NAMES)
    lines = content.decode().split("\r\n")
    assert all(len(line.encode()) <= 75 for line in lines) and lines[-1] == ""


def test_a_changed_plan_keeps_the_numbers_of_its_events_and_counts_up() -> None:
    before, after = plan(), moved(plan(), Move(slot="0-flight", by_minutes=30))
    one, other = (Calendar.from_ical(day_ics(p, f)) for p, f in ((before, FACTS), (after, DayFacts(
        FACTS.plan_id, FACTS.title, FACTS.school, 4, FACTS.changed + timedelta(hours=1)))))  # fmt: skip
    uids = [[str(e["uid"]) for e in each.walk("VEVENT")] for each in (one, other)]
    assert sorted(uids[0]) == sorted(uids[1]) and len(set(uids[0])) == 6
    assert {int(str(e["sequence"])) for e in other.walk("VEVENT")} == {4}


def test_a_trainee_gets_what_is_theirs() -> None:
    assert len(events(day_ics(plan(), FACTS, only=1))) == 3
    assert len(events(day_ics(plan(), FACTS, only=9))) == 6


def test_a_run_is_an_event_too() -> None:
    ((summary, begins, ends),) = [
        (e.summary.value, e.dtstart.value, e.dtend.value)
        for e in vobject.readOne(run_ics("r1", "Frost", "Ines", datetime(2031, 1, 2, 3, 4), 600).decode()).vevent_list
    ]
    assert (summary, ends - begins) == ("Frost: Ines", timedelta(minutes=10))


def words(content: bytes) -> str:
    return " ".join(" ".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages).split())


def test_the_plan_on_paper_says_what_the_table_says_and_what_stands_against_a_rule() -> None:
    made = moved(plan(), Move(slot="1-flight", by_minutes=-300))
    text = words(day_pdf(made, FACTS))
    for part in (*HEADS, "Sunday, 26 October 2031, times of Europe/Paris", "is used twice"):
        assert part in text, part
    for row in day_rows(made):
        assert row[0] in text and row[2].split(",")[0] in text


@pytest.mark.parametrize("count", [0, 1, 120])
def test_a_logbook_on_paper_has_every_run_its_totals_and_the_seals(count: int) -> None:
    at, signed_at = datetime(2031, 5, 17, 9, 30), datetime(2031, 5, 18, 10, 0)
    runs = [
        LogbookLine(
            f"run-{n}", at, "Frost on the ramp", "Rowan R2", "2982130bddb0", "assessed", 18.5, "Passed", 96.2, "Good",
            "Odile Marrash", "Calm; reads well.", "Odile Marrash", signed_at, 0, 1.1, False,
        )
        for n in range(count)
    ]  # fmt: skip
    seals = {run.run_id: "ab" * 32 for run in runs}
    book = PrintedLogbook("Ines Okafor-Lund", "Hollin Bay", at, runs, [("Frost", "3 of 25")], seals)
    text = words(logbook_pdf(book))
    assert f"{count} runs, {count * 18.5 / 60:.1f} h; {count} assessed, {count} of them passed." in text
    assert text.count("ab" * 32) == count and text.count("2982130bddb0") == count
    assert ("Nothing flown yet." in text) == (count == 0)
