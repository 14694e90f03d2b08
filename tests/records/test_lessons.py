"""Lessons: started for many, taken back, voided, handed over; and the lists that find runs again."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import EntryRefused, NoSuchRecord, RecordError
from lumenstat.language.wording import catalogue_of, told
from lumenstat.records import lessons
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.groups import find_group, may_practise, set_opened
from lumenstat.records.keeping import back_up, faults_of
from lumenstat.records.lessons import LessonStation
from lumenstat.records.lists import ON_A_PAGE, PeopleFilter, RunFilter, find_people, find_runs, waiting_for
from lumenstat.records.people import find_person, now, trainees
from lumenstat.records.runs import add_event, awaiting_verdict, events_of, find_run, fly_practice
from lumenstat.records.tables import Run
from lumenstat.rehearsal.neighbours import Range, neighbour

START = LogEvent(0, "trainee", "confirm", {"item": "log"})


def started(database: Database, together: bool = False, places: Sequence[LessonStation] | None = None) -> str:
    version = database.read(lambda s: current_exercise(s, "frost-on-the-ramp"))
    people = [person.id for person in database.read(trainees)][:3]
    chosen = [LessonStation(each) for each in people] if places is None else places
    return database.write(
        lambda s: lessons.start_lesson(
            s, version.digest, "Frost, A", "frost-on-the-ramp", 2, chosen, together, "e", None
        )
    )


def test_everybody_gets_a_station_and_a_code_of_their_own(database: Database) -> None:
    lesson = started(database)
    runs = database.read(lambda s: lessons.stations_of(s, lesson))
    assert [run.station for run in runs] == [1, 2, 3]
    codes = {run.join_code for run in runs}
    assert len(codes) == 3 and all(code is not None and len(code) == 6 for code in codes)
    assert {run.mode for run in runs} == {"assessed"}
    code = str(runs[0].join_code)
    typed = f" {code[:3].lower()}-{code[3:]} "
    found = database.read(lambda s: lessons.run_of_code(s, typed))
    assert found is not None and found.id == runs[0].id
    for wrong in ("", "AAAAAA", "'; --"):
        assert database.read(lambda s, w=wrong: lessons.run_of_code(s, w)) is None  # type: ignore[misc]
    database.write(lambda s: add_event(s, runs[0].id, 0, LogEvent(5, "trainee", "finish"), None))
    assert database.read(lambda s: lessons.run_of_code(s, code)) is None, "good for one run, and no longer"
    assert [count for _, count in database.read(lessons.lessons_in_the_air)] == [2]


def test_started_together_each_log_begins_frozen_and_nobody_flies_yet(database: Database) -> None:
    lesson = started(database, together=True)
    run = database.read(lambda s: lessons.stations_of(s, lesson))[0]
    assert [(e.verb, e.by) for e, _ in database.read(lambda s: events_of(s, run.id))] == [("freeze", "instructor")]
    assert (run.state, run.started) == ("ready", None)
    database.write(lambda s: add_event(s, run.id, 1, LogEvent(0, "instructor", "say", {"text": "Hello"}), None))
    assert database.read(lambda s: find_run(s, run.id)).state == "ready"
    database.write(lambda s: add_event(s, run.id, 2, LogEvent(0, "instructor", "resume"), None))
    assert database.read(lambda s: find_run(s, run.id)).state == "running"


def test_neighbours_have_documents_of_their_own_and_the_list_knows_the_exercise(
    database: Database, frost: Bundle
) -> None:
    drawn = [neighbour(frost, Range(charge=(0.6, 0.9), celsius=(-15, 20)), "seed", n) for n in range(2)]
    people = database.read(trainees)
    lesson = started(
        database, places=[LessonStation(p.id, d.bundle, d.says) for p, d in zip(people, drawn, strict=False)]
    )
    rows = database.read(lambda s: lessons.station_rows(s, lesson))
    assert len({row.digest for row in rows}) == 2 and len({row.like_digest for row in rows}) == 1
    found = database.read(lambda s: find_runs(s, RunFilter(exercise="frost-on-the-ramp")))
    assert {line.variant for line in found.rows} == {each.says for each in drawn}
    assert all(told(str(line.variant), catalogue_of("de")).startswith("Ladung ") for line in found.rows)
    assert database.read(lambda s: current_exercise(s, "frost-on-the-ramp")).digest == rows[0].like_digest


def test_a_start_is_taken_back_without_a_trace_until_somebody_has_begun(database: Database) -> None:
    lesson = started(database, together=True)
    first, second, third = [run.id for run in database.read(lambda s: lessons.stations_of(s, lesson))]
    database.write(lambda s: lessons.take_back(s, first))
    with pytest.raises(NoSuchRecord):
        database.read(lambda s: find_run(s, first))
    database.write(lambda s: add_event(s, second, 1, START, None))
    with pytest.raises(RecordError, match="has begun already"):
        database.write(lambda s: lessons.take_back(s, second))
    for each in (second, third):
        if each == third:
            database.write(lambda s: lessons.take_back(s, third))
    assert database.read(lambda s: lessons.get_lesson(s, lesson)).title == "Frost, A"


def test_the_last_start_that_is_taken_back_takes_its_lesson_with_it(database: Database) -> None:
    lesson = started(database)
    for run in database.read(lambda s: lessons.stations_of(s, lesson)):
        database.write(lambda s, r=run.id: lessons.take_back(s, r))  # type: ignore[misc]
    with pytest.raises(NoSuchRecord):
        database.read(lambda s: lessons.get_lesson(s, lesson))


def test_a_voided_run_is_kept_with_its_reason_and_counts_nowhere(database: Database) -> None:
    lesson = started(database)
    run = database.read(lambda s: lessons.stations_of(s, lesson))[0]
    database.write(lambda s: add_event(s, run.id, 0, START, None))
    with pytest.raises(EntryRefused, match="reason"):
        database.write(lambda s: lessons.void_run(s, run.id, "Odile", "no"))
    database.write(lambda s: lessons.void_run(s, run.id, "Odile", "Fire alarm in the building."))
    assert len(database.read(lambda s: lessons.stations_of(s, lesson))) == 2
    # It has ended and was never judged, and that is as it should be: a backup of it is whole.
    assert faults_of(database.path) == []
    back_up(database.path, database.path.with_name("copy.sqlite"))
    assert run.id not in database.read(awaiting_verdict)
    assert database.read(lambda s: find_runs(s, RunFilter())).total == 2
    (line,) = database.read(lambda s: find_runs(s, RunFilter(standing="voided"))).rows
    assert (line.voided_by, line.void_reason) == ("Odile", "Fire alarm in the building.")
    with pytest.raises(RecordError, match="already"):
        database.write(lambda s: lessons.void_run(s, run.id, "Odile", "Fire alarm in the building."))
    with pytest.raises(RecordError, match="has ended"):
        database.write(lambda s: add_event(s, run.id, 1, START, None))


def test_a_run_is_handed_over_to_instructors_only(database: Database) -> None:
    lesson = started(database)
    run = database.read(lambda s: lessons.stations_of(s, lesson))[0]
    casimir, ines = (database.read(lambda s, n=n: find_person(s, n)) for n in ("casimir", "ines"))  # type: ignore[misc]
    assert casimir is not None and ines is not None
    assert database.write(lambda s: lessons.hand_over(s, run.id, casimir.id)) == casimir.name
    assert database.read(lambda s: find_run(s, run.id)).instructor_id == casimir.id
    with pytest.raises(EntryRefused):
        database.write(lambda s: lessons.hand_over(s, run.id, ines.id))


def test_what_is_opened_to_a_group_is_practised_apart_from_what_is_assessed(database: Database) -> None:
    # Nobody of this group is in a course, which would open more.
    beatriz = database.read(lambda s: find_person(s, "beatriz"))
    group = database.read(lambda s: find_group(s, "Evening course"))
    assert beatriz is not None and group is not None
    database.write(lambda s: set_opened(s, group.id, ["frost-on-the-ramp"], "Odile"))
    (version,) = database.read(lambda s: may_practise(s, beatriz.id))
    one, same = (database.write(lambda s: fly_practice(s, version.digest, beatriz.id, 2, "e")) for _ in range(2))
    assert one == same, "one that waits is gone on with"
    (line,) = database.read(lambda s: find_runs(s, RunFilter(mode="practice", trainee=beatriz.id))).rows
    assert line.id == one
    with pytest.raises(EntryRefused, match="no exercise 'nothing'"):
        database.write(lambda s: set_opened(s, group.id, ["nothing"], "Odile"))


def test_lists_are_searched_filtered_sorted_and_paged(database: Database) -> None:
    version = database.read(lambda s: current_exercise(s, "frost-on-the-ramp"))
    people = database.read(trainees)

    def many(session: object) -> None:
        for n in range(ON_A_PAGE + 20):
            made = Run(
                id=f"run-{n:03}", digest=version.digest, trainee_id=people[n % 3].id, instructor_id=2, state="ended",
                created=now() - timedelta(minutes=n), engine="e", ledger='{"gates": []}', percent=float(n),
                outcome="pass" if n % 2 else "fail",
            )  # fmt: skip
            session.add(made)  # type: ignore[attr-defined]

    database.write(many)
    first = database.read(lambda s: find_runs(s, RunFilter()))
    assert (first.total, first.pages, len(first.rows), first.rows[0].id) == (70, 2, 50, "run-000")
    last = database.read(lambda s: find_runs(s, RunFilter(page=99)))
    assert (last.page, len(last.rows)) == (2, 20), "a page beyond the last is the last"
    best = database.read(lambda s: find_runs(s, RunFilter(sort="best", outcome="pass")))
    assert best.total == 35 and best.rows[0].percent == 69
    name = people[1].name.split()[0]
    assert database.read(lambda s: find_runs(s, RunFilter(words=f"{name} frost"))).total == 23
    assert database.read(lambda s: find_runs(s, RunFilter(words="100%"))).total == 0, "a sign is no joker"
    assert database.read(lambda s: find_runs(s, RunFilter(group=1, sort="trainee"))).total > 0
    assert database.read(lambda s: waiting_for(s, 2)).to_sign == 70
    found = database.read(lambda s: find_people(s, PeopleFilter(words="okafor", role="trainee", group=1)))
    assert [person.sign_in_name for person in found.rows] == ["ines"]
    assert database.read(lambda s: find_people(s, PeopleFilter(active="no"))).total == 0
