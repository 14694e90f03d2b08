"""What many tests need: the shipped documents and a log of the shipped exercise."""

from __future__ import annotations

import fcntl
import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from shutil import copy

import pytest
from argon2 import PasswordHasher
from hypothesis import settings

from lumenstat.assessment.validity import validity_of
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.records import people
from lumenstat.records.database import Database
from lumenstat.records.model_facts import note_facts
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from tests.flights import perfect_frost

settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    # The same cases every time: a red run can be run again, and a green one does not depend on luck.
    settings.load_profile("ci")

SLOW = ("browser", "soak", "kept", "reference", "proving", "rehearsal", "assessment/test_properties", "runs/test_judge_desk", "fairness/",
        "runs/test_workers", "runs/test_hub", "web/", "drafting/", "records/test_keeping", "records/test_opening",
        "simulation/test_engines", "simulation/test_units", "simulation/test_contract", "cli/")  # fmt: skip
"""What no other test waits for: browsers, servers, processes, whole applications, long flights."""
LONG = ("assessment/test_deciding", "assessment/test_extras", "assessment/test_shipped", "assessment/test_time", "assessment/test_validity",
        "documents/test_loading.py::test_shipped_documents_meet", "exchange/", "language/test_expressions.py::test_any",
        "language/test_intake.py::test_whatever", "runs/test_drills", "runs/test_judging", "runs/test_sending",
        "runs/test_teaching", "runs/test_view", "simulation/test_aircraft.py::test_the_adaptive", "standins/",
        "systems/test_people.py::test_in_no_shipped", "training/test_day_plan.py::test_no_plan")  # fmt: skip
"""What `make quick` leaves out beside those, to be done within a minute."""
UNMEASURED = ("simulation/test_flips", "simulation/test_physics", "simulation/test_replay", "assessment/test_scoring",
              "assessment/test_examiner", "language/test_catalogues")  # fmt: skip
"""Quick tests that reach nothing which others do not, and three times as slow with coverage: a third of the time of all."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what is slow; the whole start by hand first, since begun last it would keep the other core waiting."""
    for item in items:
        name = item.nodeid.removeprefix("tests/")
        if name.startswith(SLOW):
            item.add_marker("slow")
        elif name.startswith(LONG):
            item.add_marker("long")
        elif name.startswith(UNMEASURED):
            item.add_marker("unmeasured")
    items.sort(key=lambda item: "full-cold-start" not in item.name or "by_hand" not in item.name)


@pytest.fixture(scope="session")
def library() -> Library:
    return Library()


@pytest.fixture(scope="session")
def frost(library: Library) -> Bundle:
    path = next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp")
    return library.bundle(path)


@pytest.fixture
def perfect_events() -> list[LogEvent]:
    return perfect_frost()


@pytest.fixture
def perfect_log(frost: Bundle, perfect_events: list[LogEvent]) -> RunLog:
    return RunLog(frost.exercise.id, frost.digest, "test", tuple(perfect_events))


@pytest.fixture(scope="session")
def quick_hashes() -> Iterator[None]:
    """Passwords hashed with less work than a server does: people of tests sign in some hundred times."""
    usual, people._HASHER = people._HASHER, PasswordHasher(time_cost=1, memory_cost=1024, parallelism=1)
    yield
    people._HASHER = usual


@pytest.fixture(scope="session")
def shared_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for what is made once a run: all of its processes have it."""
    own = tmp_path_factory.getbasetemp()
    return own.parent if "PYTEST_XDIST_WORKER" in os.environ else own


def made_once(path: Path, make: Callable[[Path], None]) -> Path:
    """A database in one file, made by whichever process comes first; the others wait for it."""
    with path.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            made = path.with_suffix(".made")
            make(made)
            # What still lies in the log beside the database comes along.
            with closing(sqlite3.connect(made)) as source, closing(sqlite3.connect(path)) as target:
                source.backup(target)
    return path


@pytest.fixture(scope="session")
def demo_database(shared_folder: Path, quick_hashes: None) -> Path:
    """A database with the demo school in it: its documents take two seconds to read."""
    return made_once(
        shared_folder / "demo.sqlite",
        lambda path: create_app(Settings(database=path, demo=True)).state.database.close(),
    )


@pytest.fixture(scope="session")
def served_database(shared_folder: Path, demo_database: Path, frost: Bundle) -> Path:
    """The same, with what the model finds out about the exercise that most tests start: no server flies it again."""

    def with_facts(path: Path) -> None:
        copy(demo_database, path)
        database = Database(path)
        database.write(lambda session: note_facts(session, frost.digest, validity_of(frost)))
        database.close()

    return made_once(shared_folder / "served.sqlite", with_facts)


@pytest.fixture
def database(tmp_path: Path, demo_database: Path) -> Iterator[Database]:
    """A database with the demo school in it, for one test alone."""
    path = tmp_path / "db.sqlite"
    copy(demo_database, path)
    opened = Database(path)
    yield opened
    opened.close()
