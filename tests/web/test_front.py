"""What every request passes and every answer carries: headers, sizes, numbers, how long files may be kept."""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from lumenstat import logs
from lumenstat.records.database import Database
from lumenstat.records.people import now
from lumenstat.records.tables import SignIn
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from lumenstat.web.front import HEADERS, STRICT_TRANSPORT
from lumenstat.web.security import masked
from tests.web.conftest import ORIGIN, Person, another, wait_until_judged


def judged_run(odile: Person, ines: Person) -> str:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_json({"id": "1", "verb": "confirm", "args": {"item": "log"}})
        socket.send_json({"id": "2", "verb": "finish", "args": {}})
        while socket.receive_json().get("id") != "2":
            pass
    wait_until_judged(odile, run)
    return run


def test_every_kind_of_answer_carries_every_header(
    odile: Person, ines: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = judged_run(odile, ines)
    quiet = TestClient(odile.client.app, headers=ORIGIN, raise_server_exceptions=False, cookies=odile.client.cookies)
    quiet.portal = odile.client.portal
    answers = {
        (path, method): quiet.request(method, path, follow_redirects=False)
        for method, path in (
            ("GET", "/runs"), ("GET", "/exercises/frost-on-the-ramp"), ("GET", f"/runs/{run}/debrief"), ("GET", "/drafts"),
            ("GET", f"/runs/{run}/debrief.pdf"), ("GET", f"/runs/{run}/ledger.csv"), ("GET", f"/runs/{run}/log.jsonl"),
            ("GET", f"/runs/{run}/moment?t=1"), ("GET", "/"), ("GET", "/nowhere"), ("PUT", "/runs"), ("POST", "/sign-out"),
            ("GET", "/static/dist/lumenstat.css"), ("GET", "/static/nothing.css"), ("GET", "/health"),
            ("GET", f"/runs/{run}/moment?t=word"), ("GET", "/runs?x=" + "a" * 3000),
        )
    }  # fmt: skip
    answers["too large", "POST"] = quiet.post("/sign-in", content=b"x" * 70_000)

    def broken(*_: object) -> None:
        raise RuntimeError("something nobody thought of")

    monkeypatch.setattr("lumenstat.web.pages.runs.find_runs", broken)
    answers["broken", "GET"] = quiet.get("/runs")
    statuses = {name: answer.status_code for name, answer in answers.items()}
    assert sorted(set(statuses.values())) == [200, 303, 403, 404, 405, 413, 414, 422, 500], statuses
    for name, answer in answers.items():
        for header, value in HEADERS.items():
            assert answer.headers.get(header) == value, (name, header)
        assert re.fullmatch(r"[0-9a-f]{12}", answer.headers["x-request-id"]), name
        assert "server" not in answer.headers, name
        assert "strict-transport-security" not in answer.headers, "only behind TLS"
        kept = answer.headers["cache-control"]
        assert kept == ("no-cache" if name[0].startswith("/static/dist") else "no-store"), name
    assert "frame-ancestors 'none'" in HEADERS["Content-Security-Policy"]
    broken_page = answers["broken", "GET"]
    assert broken_page.headers["x-request-id"] in broken_page.text
    assert "something nobody thought of" not in broken_page.text


def test_behind_tls_cookies_go_no_other_way(odile: Person, demo_database: object) -> None:
    app = create_app(Settings(database=odile.client.app.state.settings.database, demo=True, tls=True))  # type: ignore[attr-defined]
    with TestClient(app, base_url="https://testserver", headers={"origin": "https://testserver"}) as client:
        person = Person(client)
        page = client.get("/sign-in")
        assert page.headers["strict-transport-security"] == STRICT_TRANSPORT
        assert person.sign_in("ines") == 303
        answer = client.post(
            "/sign-in",
            data={"csrf": person.token("/runs"), "sign_in_name": "ines", "password": "frost-on-the-ramp"},
            follow_redirects=False,
        )
        cookies = [*page.headers.get_list("set-cookie"), *answer.headers.get_list("set-cookie")]
        assert len(cookies) == 3
        for each in cookies:
            assert each.startswith("__Host-lumenstat_")
            assert "Secure" in each
            assert "HttpOnly" in each
            assert "Path=/" in each
            assert "Domain" not in each


def test_cookies_without_tls(app_client: TestClient) -> None:
    person = another(app_client)
    form = {"csrf": person.token("/sign-in"), "sign_in_name": "ines", "password": "frost-on-the-ramp"}
    cookies = person.client.post("/sign-in", data=form, follow_redirects=False).headers.get_list("set-cookie")
    names = [each.split("=")[0] for each in cookies]
    assert names == ["lumenstat_sign_in", "lumenstat_browser"]
    for each in cookies:
        assert "HttpOnly" in each
        assert "SameSite=lax" in each
        assert "Secure" not in each
    assert "Max-Age=43200" in cookies[0]


@pytest.mark.parametrize(
    ("path", "most"),
    [("/sign-in", 64_000), ("/drafts/x/edit", 1_100_000), ("/drafts/new", 4_200_000), ("/runs/import", 5_200_000)],
)
def test_a_body_that_is_too_large_is_refused_unread(app_client: TestClient, path: str, most: int) -> None:
    answer = app_client.post(path, content=b"x" * (most + 1))
    assert answer.status_code == 413
    assert f"at most {most // 1000:,} kB" in answer.text
    assert app_client.post(path, content=b"x" * 1000).status_code != 413


def test_a_body_that_does_not_say_how_large_it_is_is_read_only_so_far(app_client: TestClient) -> None:
    def endless() -> Iterator[bytes]:
        for _ in range(100):
            yield b"x" * 64_000

    kind = {"content-type": "application/x-www-form-urlencoded"}
    assert app_client.post("/sign-in", content=endless(), headers=kind).status_code == 413


def test_pages_are_packed_and_shipped_files_are_kept_for_a_year(odile: Person) -> None:
    page = odile.client.get("/exercises")
    assert page.headers["content-encoding"] == "gzip"
    style = re.search(r'href="(/static/dist/lumenstat.css\?v=[0-9a-f]+)"', page.text)
    assert style
    answer = odile.client.get(style.group(1))
    assert answer.headers["cache-control"] == "public, max-age=31536000, immutable"
    assert answer.headers["content-encoding"] == "gzip"


def test_a_token_is_another_text_each_time_and_none_but_ours_is_believed(odile: Person) -> None:
    one, other = odile.token("/drafts"), odile.token("/drafts")
    assert one != other
    for token, status in (
        (one, 303),
        (other, 303),
        ("é" * 40, 403),
        ("", 403),
        (masked("made up"), 403),
        ("====", 403),
    ):
        form = {"csrf": token, "begins": "nothing", "title": "T", "airframe": "rowan-r2"}
        assert odile.client.post("/drafts/new", data=form, follow_redirects=False).status_code == status, token


def test_a_form_without_cookie_and_token_is_refused(app_client: TestClient) -> None:
    """Nothing is as good as nothing: an empty token does not match an absent cookie."""
    stranger = another(app_client)
    form = {"csrf": "", "sign_in_name": "ines", "password": "frost-on-the-ramp"}
    assert stranger.client.post("/sign-in", data=form).status_code == 403
    assert stranger.client.post("/sign-in", data={k: v for k, v in form.items() if k != "csrf"}).status_code == 403


def test_a_socket_without_origin_or_of_another_host_is_turned_away(odile: Person, ines: Person) -> None:
    run = odile.start()
    for headers in ({"origin": ""}, {"origin": "null"}, {"origin": "http://testserver.evil.example"}):
        with ines.client.websocket_connect(f"/runs/{run}/socket", headers=headers) as socket:
            assert socket.receive()["code"] == 4403
    bare = TestClient(ines.client.app, cookies=ines.client.cookies)
    bare.portal = ines.client.portal
    with bare.websocket_connect(f"/runs/{run}/socket") as socket:
        assert socket.receive()["code"] == 4403


def test_a_sign_in_that_is_idle_asks_again(app_client: TestClient, ines: Person) -> None:
    assert ines.client.get("/runs", follow_redirects=False).status_code == 200
    database: Database = app_client.app.state.database  # type: ignore[attr-defined]
    long_ago = now() - timedelta(minutes=31)

    def leave(session: Any) -> None:
        for row in session.scalars(select(SignIn)):
            row.seen = long_ago

    database.write(leave)
    assert ines.client.get("/runs", follow_redirects=False).status_code == 303


def test_requests_are_logged_as_json_with_their_number(odile: Person, capsys: pytest.CaptureFixture[str]) -> None:
    root = logging.getLogger()
    before = list(root.handlers), root.level
    try:
        logs.set_up(as_json=True)
        number = odile.client.get("/runs?secret=x").headers["x-request-id"]
        try:
            raise ValueError("for the log")
        except ValueError:
            logging.getLogger("lumenstat.test").exception("it failed")
    finally:
        root.handlers[:], root.level = before[0], before[1]
        logging.getLogger("lumenstat.requests").setLevel(logging.NOTSET)
    lines = [json.loads(line) for line in capsys.readouterr().err.splitlines()]
    request = next(line for line in lines if line.get("request") == number)
    assert request["says"].startswith("GET /runs 200")
    assert "secret" not in request["says"], "what is asked for is nobody's business but its page's"
    assert "ValueError: for the log" in next(line for line in lines if line["says"] == "it failed")["trace"]


def test_a_debrief_tells_the_time_where_its_reader_is(odile: Person, ines: Person) -> None:
    run = judged_run(odile, ines)
    said = {"remark": "Calm and exact.", "grade": "Good"}
    why = {"item": "", "kind": "outcome", "verdict": "fail", "points": "0", "reason": "Did not look outside once."}
    for what, form in (("appraisal", said), ("override", why)):
        token = {"csrf": odile.token(f"/runs/{run}/debrief")}
        assert odile.client.post(f"/runs/{run}/{what}", data=token | form, follow_redirects=False).status_code == 303
    assert re.search(r"\d\d:\d\d UTC", odile.client.get(f"/runs/{run}/debrief").text)
    form = {"csrf": odile.token("/account"), "name": "Odile Marrash", "time_zone": "Asia/Tokyo"}
    odile.client.post("/account", data=form)
    page = odile.client.get(f"/runs/{run}/debrief").text
    assert re.search(r"\d\d:\d\d JST", page) and not re.search(r"\d\d:\d\d UTC", page)
