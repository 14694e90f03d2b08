"""What a school does all day: a page of ten thousand runs, and a desk with thirty stations in the air."""

from __future__ import annotations

import asyncio
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from fastapi.testclient import TestClient
from sqlalchemy import insert, text

from bench.starts import Start25
from bench.timing import seconds_of
from lumenstat import ENGINE_VERSION
from lumenstat.assessment.scoring import score
from lumenstat.demo import DEMO_PASSWORD
from lumenstat.documents.runlog import RunLog
from lumenstat.records.courses import enrol
from lumenstat.records.exercises import current_exercises
from lumenstat.records.groups import add_members
from lumenstat.records.lessons import LessonStation, start_lesson, station_rows
from lumenstat.records.people import now, trainees
from lumenstat.records.runs import NewEvents, add_events
from lumenstat.records.tables import Person, Run
from lumenstat.records.tallies import STREAKS, TALLY, RunItem
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from lumenstat.web.front import Lumenstat
from lumenstat.web.live.desk import _Desk

Row = tuple[str, float, str]
RUNS, STATIONS, LOOKS = 10_000, 30, 20
CLASS_RUNS, PEOPLE = 3_000, 30


def measure(full: Start25) -> list[Row]:
    """Milliseconds of a page of the list, and the share of a core that a desk takes."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Settings(database=Path(folder) / "bench.sqlite", demo=True))
        with TestClient(app, headers={"origin": "http://testserver"}) as client:
            _sign_in(client)
            _many_runs(app, full)
            pages = {
                "runs_page_10000": "/runs",
                "runs_search_10000": "/runs?q=okafor+ready&outcome=held&sort=worst&page=3",
                "people_page": "/people",
                "exercises_page": "/exercises",
                "home_page_10000": "/home",
            }
            _one_class(app)
            pages["class_record_3000"] = f"/groups/1/record?exercise={full.bundle.exercise.id}"
            pages["person_record"] = "/people/7/record"
            pages["course_page_30"] = "/courses/1"
            pages["school_page"] = "/school"
            rows = [(name, 1000 * seconds_of(lambda p=path: client.get(p)), "ms") for name, path in pages.items()]  # type: ignore[misc]
            rows.append((f"desk_{STATIONS}_tiles", 100 * _desk(app, full, client), "percent of a core"))
    return rows


def _sign_in(client: TestClient) -> None:
    page = client.get("/sign-in").text
    token = page.split('name="csrf"', 1)[1].split('value="', 1)[1].split('"', 1)[0]
    form = {"csrf": token, "sign_in_name": "rosamund", "password": DEMO_PASSWORD}
    client.post("/sign-in", data=form)


def _many_runs(app: Lumenstat, full: Start25) -> None:
    """Ten thousand judged runs of all trainees, each with a whole ledger."""
    database = app.state.database
    log = RunLog(full.bundle.exercise.id, full.bundle.digest, "bench", tuple(full.events))
    ledger = score(full.bundle, log).ledger.model_dump_json()
    versions = {v.exercise_id: v.digest for v in database.read(current_exercises)}
    people = [person.id for person in database.read(trainees)]
    digest = versions[full.bundle.exercise.id]

    def write(session: object) -> None:
        for first in range(0, RUNS, 500):
            rows = [
                {
                    "id": f"bench-{n}", "digest": digest, "trainee_id": people[n % len(people)], "instructor_id": 2,
                    "state": "ended", "created": now() - timedelta(minutes=n), "finished": now(), "ended": now(),
                    "engine": "bench", "tick": 0, "ledger": ledger, "outcome": ("pass", "held", "fail")[n % 3],
                    "outcome_words": "Passed",
                    "percent": float(n % 100), "mode": "assessed", "archived": False,
                }
                for n in range(first, first + 500)
            ]  # fmt: skip
            session.execute(insert(Run), rows)  # type: ignore[attr-defined]

    database.write(write)


def _one_class(app: Lumenstat) -> None:
    """Thirty trainees in one class and one course, and every item of three thousand of their runs."""
    database = app.state.database
    more = PEOPLE - len(database.read(trainees))
    new = [
        {"name": f"Bench {n}", "sign_in_name": f"bench{n}", "role": "trainee", "password_hash": "-"}
        for n in range(more)
    ]
    database.write(lambda session: session.execute(insert(Person), new))
    people = [person.id for person in database.read(trainees)]
    versions = database.read(current_exercises)
    items = {v.exercise_id: [step.item.id for step in v.bundle.procedure.steps] for v in versions}
    names = sorted(items)

    def write(session: object) -> None:
        add_members(session, 1, people)  # type: ignore[arg-type]
        enrol(session, 1, people)  # type: ignore[arg-type]
        for n in range(CLASS_RUNS):
            exercise = names[n % len(names)]
            rows = [
                {"run_id": f"bench-{n}", "item": item, "trainee_id": people[n % len(people)], "exercise_id": exercise,
                 "verdict": "done" if (n + k) % 7 else "wrong", "earned": float((n + k) % 7 > 0), "possible": 1.0,
                 "reached": True}
                for k, item in enumerate(items[exercise])
            ]  # fmt: skip
            session.execute(insert(RunItem), rows)  # type: ignore[attr-defined]
            session.execute(text(TALLY), {"run": f"bench-{n}", "sign": 1})  # type: ignore[attr-defined]
        for trainee in people:
            for name in names:
                session.execute(text(STREAKS), {"trainee": trainee, "exercise": name})  # type: ignore[attr-defined]

    database.write(write)


def _desk(app: Lumenstat, full: Start25, client: TestClient) -> float:
    """Seconds of work in a second: thirty stations in the middle of a start, looked at once a second."""
    database = app.state.database
    people = [person.id for person in database.read(trainees)]
    digest = full.bundle.digest
    places = [LessonStation(people[n % len(people)]) for n in range(STATIONS)]

    def write(session: object) -> str:
        made: str = start_lesson(session, digest, "Bench", "full", 2, places, False, ENGINE_VERSION)  # type: ignore[arg-type]
        half = full.events[: len(full.events) // 2]
        for row in station_rows(session, made):  # type: ignore[arg-type]
            add_events(session, [NewEvents(row.run_id, 0, [(event, None) for event in half])])  # type: ignore[arg-type]
        return made

    desk = _Desk(app, database.write(write))

    async def looked() -> float:
        await desk.changes()  # opens them
        begun = time.process_time()
        for _ in range(LOOKS):
            await desk.changes()
        return (time.process_time() - begun) / LOOKS

    portal = client.portal
    assert portal is not None
    return float(portal.call(looked)) if hasattr(portal, "call") else asyncio.run(looked())
