"""Whether the server is well, and what it says and does when it is not."""

from __future__ import annotations

import os
import re
import threading
import time
from collections import namedtuple

import pytest
from fastapi.testclient import TestClient

from lumenstat.errors import StorageError
from lumenstat.records.marks import LAST_BACKUP, set_mark
from lumenstat.records.writing import Writer
from tests.web.conftest import Person


def test_a_server_that_is_well(app_client: TestClient) -> None:
    answer = app_client.get("/health")
    assert answer.status_code == 200
    health = answer.json()
    assert health["ok"] is True
    assert health["writer"] == {"alive": True, "waiting": 0}
    assert health["judges"] == {"waiting": 0, "replaced": 0}
    assert health["disk"]["free_bytes"] > 0
    assert health["says"] == ["There is no backup yet."]
    app_client.app.state.database.write(lambda s: set_mark(s, LAST_BACKUP, "x"))  # type: ignore[attr-defined]
    assert app_client.get("/health").json()["backup"] == {"age_hours": 0.0}
    assert app_client.get("/health").json()["says"] == []


def test_a_dead_writer_is_told_to_everybody_and_ends_the_server(odile: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    ended = threading.Event()
    database.writer.on_failure = lambda why: ended.set()
    token = odile.token("/drafts")
    monkeypatch.setattr(Writer, "_commit", lambda self, group: 1 / 0)
    database.submit(lambda s: None)
    assert ended.wait(timeout=5), "the server is told, and ends"
    answer = odile.client.get("/health")
    assert answer.status_code == 503
    assert answer.json()["says"][0] == "Nothing can be stored any more; the server is ending."
    form = {"csrf": token, "begins": "nothing", "title": "T", "airframe": "rowan-r2"}
    page = odile.client.post("/drafts/new", data=form)
    assert page.status_code == 503
    assert "must be restarted" in page.text
    assert page.headers["retry-after"] == "10"


def test_a_disk_that_hangs_is_told(odile: Person) -> None:
    writer = odile.client.app.state.database.writer  # type: ignore[attr-defined]
    writer._busy_since = time.monotonic() - 60
    answer = odile.client.get("/health")
    assert answer.status_code == 503
    says = answer.json()["says"][0]
    found = re.fullmatch(r"The disk has taken nothing for (\d+) s\.", says)
    assert found is not None and int(found[1]) >= 60, says


def test_a_disk_that_is_nearly_full_is_told(app_client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    room = namedtuple("room", "f_bavail f_frsize")
    monkeypatch.setattr(os, "statvfs", lambda _: room(10, 4096))
    health = app_client.get("/health").json()
    assert health["ok"] is True
    assert health["says"][0] == "The disk has 0 MB left."


def test_a_database_that_cannot_be_read_is_a_sentence_on_every_page(
    odile: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    database = odile.client.app.state.database  # type: ignore[attr-defined]

    def fails(_: object) -> None:
        raise StorageError("The database file is damaged. Stop the server.")

    monkeypatch.setattr(database, "read", fails)
    for path in ("/runs", "/", "/exercises", "/nowhere"):
        answer = odile.client.get(path)
        assert answer.status_code in (503, 404), path
        assert answer.status_code == 404 or "The database file is damaged. Stop the server." in answer.text
    health = odile.client.get("/health")
    assert health.status_code == 503
    assert health.json()["database"]["grave"].startswith("The database file is damaged")
