"""Input that once broke through: each is refused in words, and what was there stays as it was."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from lumenstat.records import runs as records
from lumenstat.records.lists import ON_A_PAGE
from lumenstat.records.people import now
from lumenstat.records.tables import Run
from tests.web.conftest import ORIGIN, Person, SharedWorker, serving
from tests.web.test_routes import a_draft
from tests.web.test_station_socket import send, until


@pytest.fixture(scope="module")
def odile_quietly(
    tmp_path_factory: pytest.TempPathFactory,
    served_database: Path,
    shared_workers: tuple[SharedWorker, SharedWorker],
) -> Iterator[Person]:
    """The instructor, on one application for all that is refused, by a client that does not raise what a server failed at."""
    with (
        serving(tmp_path_factory.mktemp("refused"), served_database, shared_workers) as app,
        TestClient(app, headers=ORIGIN, raise_server_exceptions=False) as client,
    ):
        person = Person(client)
        assert person.sign_in("odile") == 303
        yield person


def edit(person: Person, draft: str, verb: str, args: str) -> tuple[int, str]:
    page = person.client.get(f"/drafts/{draft}").text
    edition = re.search(r'data-edition="(\d+)"', page)
    assert edition
    form = {"csrf": person.token(f"/drafts/{draft}"), "edition": edition.group(1), "verb": verb, "args": args}
    answer = person.client.post(f"/drafts/{draft}/edit", data=form)
    return answer.status_code, str(answer.json()["says"]) if answer.status_code != 200 else ""


@pytest.mark.parametrize(
    ("verb", "args", "says"),
    [
        ("text", '{"which": "exercise", "text": "title: \\ud800"}', "belongs to no writing"),
        ("fields", '{"item": "log", "fields": {"challenge": "a\\ud800"}}', "belongs to no writing"),
        ("fields", '{"item": "log", "fields": {"challenge": "a\\u0000"}}', "belongs to no writing"),
        ("fields", '{"item": "log", "fields": ["challenge"]}', "`fields` is a mapping"),
        ("fields", '{"item": "log", "fields": "challenge"}', "`fields` is a mapping"),
        ("section", '{"section": "x", "fields": 5}', "`fields` is a mapping"),
        ("shift", '{"item": "log", "by": ' + "9" * 5000 + "}", "5,000 digits"),
        ("shift", '{"item": "log", "by": 1e999}', "no figure"),
        ("fields", "[" * 3000, "nested deeper"),
        ("fields", '{"a": ' * 40 + "1" + "}" * 40, "nested deeper"),
        ("fields", "[]", "could not be read"),
        ("text", '{"which": "0", "text": "a: !!python/object:os.system x"}', "tags like"),
        ("text", '{"which": "0", "text": "' + "x" * 70_000 + '"}', "at most 60,000 characters"),
        ("text", '{"which": "99999999999999999999", "text": "a: b"}', "has no text"),
        ("text", '{"which": "-1", "text": "a: b"}', "has no text"),
        ("nothing", "{}", "no change called 'nothing'"),
    ],
)  # fmt: skip
def test_an_edit_that_cannot_be_is_refused_and_the_draft_stays(
    odile_quietly: Person, verb: str, args: str, says: str
) -> None:
    draft = a_draft(odile_quietly)
    before = odile_quietly.client.get(f"/drafts/{draft}/checklist-1.yaml").text
    status, said = edit(odile_quietly, draft, verb, args)
    if verb == "text" and status == 200:
        pytest.fail("it was taken")
    assert status == 422
    assert re.search(says, said), said
    assert odile_quietly.client.get(f"/drafts/{draft}").status_code == 200
    assert odile_quietly.client.get(f"/drafts/{draft}/checklist-1.yaml").text == before


@pytest.mark.parametrize("number", ["9" * 30, "-1", "0", "1e3", "é", "", str(2**63)])
def test_numbers_that_no_row_has(odile_quietly: Person, number: str) -> None:
    form = {"csrf": odile_quietly.token("/runs"), "trainee": number}
    answer = odile_quietly.client.post("/exercises/frost-on-the-ramp/start", data=form)
    assert answer.status_code == 422
    draft = a_draft(odile_quietly)
    form = {"csrf": odile_quietly.token("/runs"), "edition": number or "x", "verb": "undo"}
    answer = odile_quietly.client.post(f"/drafts/{draft}/edit", data=form)
    assert answer.status_code == 422


def test_fields_that_hold_what_nothing_could_keep(odile_quietly: Person) -> None:
    form = {"csrf": odile_quietly.token("/drafts"), "begins": "nothing", "title": "a\x00b", "airframe": "rowan-r2"}
    answer = odile_quietly.client.post("/drafts/new", data=form)
    assert answer.status_code == 422
    assert "The field 'title' holds a character that belongs to no writing" in answer.text.replace("&#39;", "'")
    body = (
        b'--x\r\nContent-Disposition: form-data; name="csrf"\r\n\r\n'
        + odile_quietly.token("/drafts").encode()
        + b"\r\n"
        b'--x\r\nContent-Disposition: form-data; name="begins"\r\n\r\nnothing\r\n'
        b'--x\r\nContent-Disposition: form-data; name="title"\r\nContent-Type: text/plain; charset=utf-16\r\n\r\n\x00\xd8\r\n--x--\r\n'
    )
    kind = {"content-type": "multipart/form-data; boundary=x"}
    assert odile_quietly.client.post("/drafts/new", content=body, headers=kind).status_code in (400, 404, 422)


@pytest.mark.parametrize(
    "path", ["/runs/{}/station", "/drafts/{}", "/exercises/{}", "/runs/{}/debrief", "/runs/{}/log.jsonl"]
)
@pytest.mark.parametrize("name", ["%00", "%ED%A0%80", "a" * 1500, "..%2f..%2fetc", "%FF%FE"])
def test_names_that_nothing_has(odile_quietly: Person, path: str, name: str) -> None:
    assert odile_quietly.client.get(path.format(name)).status_code in (404, 422)


@pytest.mark.parametrize(
    ("kind", "content", "says"),
    [
        ("yaml", b"\xff\xfe\x00", "not UTF-8 text"),
        ("yaml", b"format: lumenstat/exercise/1\ntitle: !!python/object:os.system x\n", "tags like"),
        ("yaml", b"a: " + b"[" * 2000, "nested deeper"),
        ("yaml", b"x" * 200_001, "At most 12 files of 200 kB"),
        ("sheet", b"nothing of use", "There is no line with a challenge"),
        ("sheet", b"challenge,response\n" + b"a,b\n" * 500, "at most 400 items"),
    ],
)  # fmt: skip
def test_files_that_cannot_be_taken_in_say_why(odile_quietly: Person, kind: str, content: bytes, says: str) -> None:
    form = {"csrf": odile_quietly.token("/drafts"), "begins": kind, "title": "T", "airframe": "rowan-r2"}
    where, name = ("/drafts/sheet", "file") if kind == "sheet" else ("/drafts/new", "files")
    answer = odile_quietly.client.post(where, data=form, files={name: ("a.yaml", content)})
    assert answer.status_code in (422, 200 if kind == "sheet" else 422)
    assert says in answer.text
    assert "Drafts" in odile_quietly.client.get("/drafts").text


def test_a_file_that_takes_too_long_is_broken_off_and_the_next_is_read(
    odile_quietly: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("lumenstat.web.pages.sheets.SECONDS_AT_MOST", 0.001)
    form = {"csrf": odile_quietly.token("/drafts"), "begins": "sheet", "title": "T", "airframe": "rowan-r2"}
    sheet = {"file": ("a.csv", b"challenge,response\nWipers,Off\n")}
    answer = odile_quietly.client.post("/drafts/sheet", data=form, files=sheet)
    assert "took longer than 0.001 s and was broken off" in answer.text
    monkeypatch.undo()
    form["csrf"] = odile_quietly.token("/drafts")
    assert odile_quietly.client.post("/drafts/sheet", data=form, files=sheet, follow_redirects=False).status_code == 303


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"id": "1", "verb": "set", "args": {"control": "a\\ud800", "to": "ON"}}', "belongs to no writing"),
        ('{"id": "1", "verb": "set", "args": {"control": "wipers", "to": ' + "9" * 5000 + "}}", "5,000 digits"),
        ('{"id": "1", "verb": "set", "args": {"control": "wipers", "to": 1e400}}', "no figure"),
        ('{"id": "1", "verb": "note", "args": {"text": "\\u0000"}}', "belongs to no writing"),
        ('{"id": {"a": 1}, "verb": "set"}', "needs an `id`"),
        ('{"open": ["x"]}', "needs an `id`"),
    ],
)  # fmt: skip
def test_messages_that_hold_what_nothing_could_keep(odile: Person, ines: Person, text: str, says: str) -> None:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_text(text)
        assert says in until(socket, "refused")["says"]
        assert send(socket, "ok", "confirm", item="log")["type"] == "done"


def test_a_station_that_sends_without_end_is_cut_off_and_may_come_back(odile: Person, ines: Person) -> None:
    run = odile.start()
    now = [0.0]
    # On a clock that stands still no machine is slow enough for four hundred messages to be few.
    state = ines.client.app.state  # type: ignore[attr-defined]
    state.message_clock = lambda: now[0]
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        for number in range(130):
            socket.send_text(json.dumps({"id": f"{number}", "verb": "confirm", "args": {"item": "log"}}))
        frame = socket.receive()
        while frame["type"] != "websocket.close":
            frame = socket.receive()
        assert frame["code"] == 4429
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        # A hand that is as quick as any, for as long as it likes: thirty a second fill up again.
        for number in range(200):
            now[0] += 1 / 30
            assert send(socket, f"b{number}", "confirm", item="log")["type"] == "done"
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        assert until(socket, "state")["card"]["answered"] == ["log"]


def test_nobody_opens_runs_without_bound_and_open_ones_never_fall_off_the_list(odile: Person, ines: Person) -> None:
    first = odile.start()
    for _ in range(records.OPEN_OF_ONE_AT_MOST - 1):
        odile.start()
    page = odile.client.get("/exercises/frost-on-the-ramp").text
    number = re.search(r'value="(\d+)">Ines', page)
    assert number
    form = {"csrf": odile.token("/exercises/frost-on-the-ramp"), "trainee": number.group(1)}
    answer = odile.client.post("/exercises/frost-on-the-ramp/start", data=form)
    assert "20 exercises are open for this person already; end some of them first." in answer.text
    database = odile.client.app.state.database  # type: ignore[attr-defined]

    def many_more(session: Any) -> None:
        run = records.find_run(session, first)
        for n in range(250):
            values = {
                "id": f"old-{n}",
                "digest": run.digest,
                "trainee_id": run.trainee_id,
                "instructor_id": run.instructor_id,
            }
            session.add(
                Run(
                    **values,
                    state="ended",
                    created=now(),
                    engine="e",
                    ledger='{"percent": 90.0, "outcome": "pass"}',
                )
            )

    database.write(many_more)
    assert f"/runs/{first}/station" in odile.client.get("/runs?standing=open").text
    listed = odile.client.get("/runs?standing=ended").text
    assert listed.count("/debrief") == ON_A_PAGE, "the others are on the pages that follow"


def test_a_run_being_judged_says_so_and_one_that_could_not_be_can_be_tried_again(odile: Person, ines: Person) -> None:
    run = odile.start()
    state = odile.client.app.state  # type: ignore[attr-defined]
    from tests.flights import perfect_frost

    for number, event in enumerate(perfect_frost()):
        state.database.write(lambda s, n=number, e=event: records.add_event(s, run, n, e, None))
    page = ines.client.get(f"/runs/{run}/debrief").text
    assert "Being judged" in page
    assert f'data-judging="/runs/{run}/judging"' in page
    progress = ines.client.get(f"/runs/{run}/judging").json()
    assert progress == {"words": "waiting for its turn", "share": 0.0, "over": False}
    assert "being judged" in odile.client.get("/runs").text
    state.database.write(
        lambda s: records.note_not_judged(s, run, "This run could not be judged: it took longer than 120 s.")
    )
    assert "it took longer than 120 s." in ines.client.get(f"/runs/{run}/debrief").text
    assert "Try again" not in ines.client.get(f"/runs/{run}/debrief").text, "an instructor decides"
    assert "could not be judged" in odile.client.get("/runs").text
    form = {"csrf": odile.token(f"/runs/{run}/debrief")}
    assert odile.client.post(f"/runs/{run}/judge-again", data=form, follow_redirects=False).status_code == 303
    from tests.web.conftest import wait_until_judged

    wait_until_judged(odile, run)
    assert 'data-outcome="pass"' in odile.client.get(f"/runs/{run}/debrief").text
    assert odile.client.get(f"/runs/{run}/judging").json()["over"] is True


@pytest.mark.parametrize("address", ["/groups/{}", "/people/{}", "/groups/{}/record", "/people/{}/record"])
@pytest.mark.parametrize("number", ["0", "-1", "9" * 19, "9" * 400, "one"])
def test_an_address_that_no_row_can_have_is_not_here(odile_quietly: Person, address: str, number: str) -> None:
    assert odile_quietly.client.get(address.format(number)).status_code == 404


@pytest.mark.parametrize("address", ["/runs?group={}", "/runs?trainee={}", "/people?group={}", "/people?page={}"])
def test_a_list_for_a_row_that_cannot_be_is_no_trouble(odile_quietly: Person, address: str) -> None:
    assert odile_quietly.client.get(address.format("9" * 70)).status_code in (200, 422)
