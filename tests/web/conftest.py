"""The application on a database of its own."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from shutil import copy

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session

from lumenstat.demo import DEMO_PASSWORD
from lumenstat.records.people import find_person
from lumenstat.records.sign_ins import sign_in
from lumenstat.runs.workers import Worker
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from lumenstat.web.security import SIGN_IN

ORIGIN = {"origin": "http://testserver"}


class Person:
    """Somebody with a browser of their own, on the same application."""

    def __init__(self, client: TestClient) -> None:
        self.client = client

    def token(self, path: str) -> str:
        found = re.search(r'name="csrf"\s+value="([^"]+)"', self.client.get(path).text)
        assert found
        return found.group(1)

    def sign_in(self, name: str, password: str = DEMO_PASSWORD, target: str = "/") -> int:
        form = {"csrf": self.token("/sign-in"), "sign_in_name": name, "password": password, "next": target}
        return self.client.post("/sign-in", data=form, follow_redirects=False).status_code

    def is_let_in(self, name: str) -> None:
        """Signed in without the page for it, which has tests of its own."""
        database = self.client.app.state.database  # type: ignore[attr-defined]

        def begun(session: Session) -> str:
            person = find_person(session, name)
            assert person is not None
            return sign_in(session, person.id, hours=12)

        self.client.cookies.set(SIGN_IN, database.write(begun))

    def start(self, trainee: str = "Ines Okafor-Lund", exercise: str = "frost-on-the-ramp") -> str:
        page = self.client.get(f"/exercises/{exercise}").text
        number = re.search(rf'value="(\d+)">{trainee}', page)
        assert number
        form = {"csrf": self.token(f"/exercises/{exercise}"), "trainee": number.group(1)}
        answer = self.client.post(f"/exercises/{exercise}/start", data=form, follow_redirects=False)
        assert answer.status_code == 303
        return answer.headers["location"].split("/")[2]


def packed(page: str) -> str:
    """A page without the white space that its templates have for their readers' sake."""
    return re.sub(r"(?<=>) | (?=<)", "", re.sub(r"\s+", " ", page))


def wait_until_judged(person: Person, run: str) -> None:
    """Have a run judged, and wait for it."""
    judges = person.client.app.state.judges  # type: ignore[attr-defined]
    judges.add(run)
    for _ in range(2400):
        if judges.standing(run) is None:
            return
        time.sleep(0.05)
    raise AssertionError("nobody judged it")


class SharedWorker(Worker):
    """A process that outlives the applications of single tests: it takes two seconds to start."""

    def close(self) -> None:
        """Nothing: whoever made it ends it."""

    def end(self) -> None:
        """End the process."""
        super().close()


@pytest.fixture(scope="session")
def shared_workers() -> Iterator[tuple[SharedWorker, SharedWorker]]:
    workers = SharedWorker("judge"), SharedWorker("reader")
    yield workers
    for worker in workers:
        worker.end()


@contextmanager
def serving(folder: Path, database: Path, workers: tuple[SharedWorker, SharedWorker]) -> Iterator[FastAPI]:
    """The application on a copy of a database, without the flights that make exercises ready: no trainee waits here."""
    kept = folder / "db.sqlite"
    copy(database, kept)
    app = create_app(Settings(database=kept, demo=True))
    app.state.judges.worker, app.state.reader = workers
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("lumenstat.web.app._warm", lambda database: None)
        yield app


@pytest.fixture
def app_client(
    tmp_path: Path, served_database: Path, shared_workers: tuple[SharedWorker, SharedWorker]
) -> Iterator[TestClient]:
    with serving(tmp_path, served_database, shared_workers) as app, TestClient(app, headers=ORIGIN) as client:
        yield client


def another(client: TestClient) -> Person:
    """A second browser on the same, already started application."""
    other = TestClient(client.app, headers=ORIGIN)
    other.portal = client.portal
    return Person(other)


@pytest.fixture
def odile(app_client: TestClient) -> Person:
    person = Person(app_client)
    person.is_let_in("odile")
    return person


@pytest.fixture
def ines(app_client: TestClient, odile: Person) -> Person:
    person = another(app_client)
    person.is_let_in("ines")
    return person
