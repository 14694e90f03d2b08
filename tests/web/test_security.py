"""Signing in, forms, headers and what a stranger may not do."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from lumenstat.web.security import safe_next
from tests.web.conftest import Person, another


def test_every_page_carries_the_strict_policy(odile: Person) -> None:
    for path in (
        "/sign-in",
        "/exercises",
        "/exercises/frost-on-the-ramp",
        "/runs",
        "/nowhere",
        "/static/dist/lumenstat.css",
    ):
        policy = odile.client.get(path).headers["content-security-policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy


def test_no_template_has_an_inline_script_style_or_handler() -> None:
    import re

    folder = Path(__file__).parents[2] / "src" / "lumenstat" / "web" / "templates"
    for path in folder.rglob("*.html"):
        text = path.read_text()
        assert not re.search(r"<style|\sstyle=|\son[a-z]+=|<script(?![^>]*src=)|javascript:", text), path.name


def test_only_the_signed_in_get_in(app_client: TestClient) -> None:
    stranger = another(app_client)
    for path in ("/exercises", "/runs", "/exercises/frost-on-the-ramp"):
        answer = stranger.client.get(path, follow_redirects=False)
        assert answer.status_code == 303
        assert answer.headers["location"].startswith("/sign-in?next=")


def test_wrong_passwords_are_refused_and_slowed_down(app_client: TestClient) -> None:
    person = another(app_client)
    assert [person.sign_in("ines", "wrong password") for _ in range(6)] == [401] * 5 + [429]
    assert person.sign_in("ines") == 429


def test_a_form_without_its_token_is_refused(odile: Person) -> None:
    for form in ({}, {"csrf": "made up"}):
        assert odile.client.post("/exercises/frost-on-the-ramp/start", data={**form, "trainee": "2"}).status_code == 403
        assert odile.client.post("/sign-out", data=form).status_code == 403


def test_a_trainee_starts_nothing_and_sees_only_their_own(odile: Person, ines: Person, app_client: TestClient) -> None:
    run = odile.start("Tobias Arkwell")
    assert ines.client.get("/exercises").status_code == 403
    for page in ("station", "debrief", "log.jsonl"):
        assert ines.client.get(f"/runs/{run}/{page}").status_code == 404
    assert run not in ines.client.get("/runs").text


def test_signing_out_ends_it(ines: Person) -> None:
    ines.client.post("/sign-out", data={"csrf": ines.token("/runs")})
    assert ines.client.get("/runs", follow_redirects=False).status_code == 303


@pytest.mark.parametrize(
    ("target", "where"),
    [
        ("/runs/1/station", "/runs/1/station"),
        ("//evil.example", "/"),
        ("https://evil.example", "/"),
        ("/\\evil", "/"),
        ("/a\nb", "/"),
    ],
)
def test_signing_in_leads_to_our_own_pages_only(target: str, where: str) -> None:
    assert safe_next(target) == where


def test_demo_accounts_are_listed_only_when_serving_the_demo(app_client: TestClient, tmp_path: Path) -> None:
    assert "frost-on-the-ramp" in another(app_client).client.get("/sign-in").text
    with TestClient(create_app(Settings(database=tmp_path / "bare.sqlite"))) as bare:
        page = bare.get("/sign-in", follow_redirects=True)
        assert "frost-on-the-ramp" not in page.text
        assert "Demo school" not in page.text


def test_the_first_visit_makes_the_first_instructor_with_the_code(tmp_path: Path) -> None:
    app = create_app(Settings(database=tmp_path / "bare.sqlite"))
    with TestClient(app) as client:
        person = Person(client)
        form = {
            "csrf": person.token("/"),
            "code": "wrong",
            "name": "Ada",
            "sign_in_name": "ada",
            "password": "a long password",
        }
        assert client.post("/first-instructor", data=form).status_code == 400
        form["code"] = app.state.first_code
        assert client.post("/first-instructor", data=form, follow_redirects=False).status_code == 303
        assert app.state.first_code is None
        assert client.post("/first-instructor", data=form).status_code == 403
        assert person.sign_in("ada", "a long password") == 303
        assert client.get("/exercises").status_code == 200


def test_bad_forms_say_what_is_missing(odile: Person) -> None:
    token = odile.token("/exercises/frost-on-the-ramp")
    answer = odile.client.post("/exercises/frost-on-the-ramp/start", data={"csrf": token})
    assert answer.status_code == 422
    assert "trainee" in answer.text
    answer = odile.client.post("/exercises/frost-on-the-ramp/start", data={"csrf": token, "trainee": "999"})
    assert "Choose a trainee" in answer.text
