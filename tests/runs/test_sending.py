"""Statements go to a record store over a real socket: each once, again after trouble, what is refused keeps nothing back."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from lumenstat.language.wording import catalogue_of, told
from lumenstat.records.database import Database
from lumenstat.records.people import now
from lumenstat.records.statements import Statement, counts, last_trouble, to_send, try_again
from lumenstat.runs.sending import RecordStore, Sender
from lumenstat.standins.record_store import StatementFile, record_store
from tests.school import flown, signed

KEY = "academy:secret"


@contextmanager
def store_at(path: Path, out_of_order: int = 0, key: str = KEY) -> Iterator[tuple[str, StatementFile]]:
    """The stand-in at a port of its own."""
    app = record_store(path, key, out_of_order)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    try:
        yield f"http://127.0.0.1:{port}", app.state.kept
    finally:
        server.should_exit = True
        thread.join(timeout=10)


def sender(database: Database, address: str, key: str = KEY) -> Sender:
    return Sender(database, RecordStore(address, key, "https://academy.invalid"))


def standing(database: Database) -> dict[str, int]:
    return database.read(counts)


def sent_all(each: Sender) -> None:
    while each.queue() + each.send():
        pass


def again_now(database: Database) -> None:
    database.write(try_again)


def test_signed_records_are_sent_once_and_others_are_not(database: Database, tmp_path: Path) -> None:
    signed(database)
    flown(database, "tobias")
    with store_at(tmp_path / "store.sqlite") as (address, kept):
        sent_all(sender(database, address))
        found = kept.all()
        assert standing(database) == {"sent": len(found)} and len(found) > 10
        assert {taken for _, taken in found} == {1}
        sent_all(sender(database, address))
        assert {taken for _, taken in kept.all()} == {1}, "a second sender sends nothing twice"


def test_an_answer_that_was_lost_is_made_up_for_and_nothing_is_there_twice(database: Database, tmp_path: Path) -> None:
    signed(database)
    with store_at(tmp_path / "store.sqlite") as (address, kept):
        each = sender(database, address)
        each.queue()
        waiting = database.read(to_send)
        each._post([json.loads(one.content) for one in waiting])  # taken, and the server ends before it notes it
        sent_all(sender(database, address))
        ids = [statement["id"] for statement, _ in kept.all()]
        assert len(set(ids)) == len(ids)
        assert standing(database) == {"sent": len(ids)}


def test_a_store_out_of_order_is_tried_again_later_each_time(database: Database, tmp_path: Path) -> None:
    signed(database)
    with store_at(tmp_path / "store.sqlite", out_of_order=2) as (address, kept):
        each = sender(database, address)
        each.queue()
        waits = []
        for _ in range(2):
            assert each.send() == 0
            one = database.read(lambda s: s.query(Statement).first())
            assert one is not None
            waits.append((one.next_try - now()).total_seconds())
            assert each.send() == 0, "not before its time"
            assert database.read(last_trouble) == (
                'The record store answered 503: {"error":"out of order at the moment"}'
            )
            again_now(database)
        assert waits[1] > waits[0] > 5
        sent_all(each)
        assert standing(database) == {"sent": len(kept.all())}


def test_a_store_that_is_not_there_keeps_everything_waiting(database: Database) -> None:
    signed(database)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    each = sender(database, f"http://127.0.0.1:{port}")
    each.queue()
    assert each.send() == 0
    assert set(standing(database)) == {"waiting"}
    trouble = database.read(last_trouble)
    assert trouble is not None and "does not answer" in trouble
    assert told(trouble, catalogue_of("de")).startswith("Das Lernverzeichnis antwortet nicht")


def test_a_wrong_key_is_said_and_nothing_is_given_up(database: Database, tmp_path: Path) -> None:
    signed(database)
    with store_at(tmp_path / "store.sqlite") as (address, kept):
        each = sender(database, address, "academy:wrong")
        each.queue()
        each.send()
        assert "401" in (database.read(last_trouble) or "") and set(standing(database)) == {"waiting"}
        assert kept.all() == []


def test_one_statement_that_is_refused_keeps_no_other_back(database: Database, tmp_path: Path) -> None:
    signed(database)
    with store_at(tmp_path / "store.sqlite") as (address, kept):
        each = sender(database, address)
        each.queue()

        def spoil(session: object) -> None:
            one = session.query(Statement).order_by(Statement.number).first()  # type: ignore[attr-defined]
            one.content = json.dumps({**json.loads(one.content), "verb": {"id": "passed"}})

        database.write(spoil)
        sent_all(each)
        found = standing(database)
        assert found["refused"] == 1 and found["sent"] == len(kept.all()) > 10
        assert "verb and object are named by an address" in (database.read(last_trouble) or "")


def test_a_statement_that_says_something_else_under_a_known_id_is_refused(tmp_path: Path) -> None:
    kept = StatementFile(tmp_path / "store.sqlite")
    one = {
        "id": "5b1f6f0e-0c57-4b6e-9a57-6c756d656e73",
        "actor": {},
        "verb": {"id": "a://b"},
        "object": {"id": "c://d"},
    }
    assert kept.take([one]) is None and kept.take([one]) is None
    assert "says something else" in (kept.take([{**one, "result": {}}]) or "")
    assert len(kept.all()) == 1


def test_without_a_store_nothing_is_queued(database: Database) -> None:
    signed(database)
    each = Sender(database, None)
    each.start()
    assert each.queue() == 0 and each.send() == 0
    each.stop()
