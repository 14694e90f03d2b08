"""People and groups through their pages: added, changed, reset, joined by a code; and who may do what."""

from __future__ import annotations

import html
import io
import re
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from httpx2 import Response
from openpyxl import load_workbook

from lumenstat.demo import DEMO_PASSWORD
from lumenstat.records.people import find_person
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from tests.web.conftest import ORIGIN, Person, another, packed
from tests.web.test_front import judged_run

OWN = "kittens-in-the-hangar"


@pytest.fixture
def rosamund(app_client: TestClient) -> Person:
    person = Person(app_client)
    assert person.sign_in("rosamund") == 303
    return person


def post(person: Person, path: str, page: str = "/people", **form: object) -> Response:
    data = {"csrf": person.token(page), **form}
    found: Response = person.client.post(path, data=data, follow_redirects=False)
    return found


def number(person: Person, name: str) -> int:
    found = person.client.app.state.database.read(lambda s: find_person(s, name))  # type: ignore[attr-defined]
    assert found is not None
    return int(found.id)


def fields(person: Person, path: str) -> dict[str, str]:
    """A form of a page as it would be sent unchanged."""
    page = person.client.get(path).text
    found = re.findall(r'name="(edition|name|sign_in_name)"[^>]*?value="([^"]*)"', page.split("<form", 2)[2])
    return {name: html.unescape(value) for name, value in reversed(found)}


def slips(page: str) -> dict[str, str]:
    names = re.findall(r'data-slip="([^"]+)"', page)
    passwords = re.findall(r"data-password>([^<]+)<", packed(page))
    return dict(zip(names, passwords, strict=False))


# ---- one person ------------------------------------------------------------------------------------------------------


def test_somebody_who_is_added_signs_in_with_the_slip_and_chooses_a_password(odile: Person) -> None:
    page = post(odile, "/people", name="Zora Quist", group="1").text
    (password,) = slips(page).values()
    assert list(slips(page)) == ["zora.quist"]
    zora = another(odile.client)
    assert zora.sign_in("zora.quist", password) == 303
    led = zora.client.get("/home", follow_redirects=False)
    assert (led.status_code, led.headers["location"]) == (303, "/account/password"), "nothing else is reached"
    assert zora.client.get("/runs", follow_redirects=False).headers["location"] == "/account/password"
    again = post(zora, "/account/password", "/account/password", password=OWN, again="another")
    assert again.status_code == 422 and "not the same" in again.text
    short = post(zora, "/account/password", "/account/password", password="short", again="short")
    assert short.status_code == 422 and "10 to 200" in short.text
    assert post(zora, "/account/password", "/account/password", password=OWN, again=OWN).status_code == 303
    assert "Autumn course A" in zora.client.get("/home").text
    assert another(odile.client).sign_in("zora.quist", password) == 401, "the slip's is no good any more"
    assert another(odile.client).sign_in("zora.quist", OWN) == 303


def test_what_is_wrong_stands_beside_the_field_and_what_was_typed_stays(odile: Person) -> None:
    answer = post(odile, "/people", name="Zora <b>Quist</b>", sign_in_name="ines")
    assert answer.status_code == 422
    assert 'data-wrong="sign_in_name"' in answer.text and "taken, by Ines Okafor-Lund" in html.unescape(answer.text)
    assert 'value="Zora &lt;b&gt;Quist&lt;/b&gt;"' in answer.text


def test_an_instructor_changes_trainees_and_a_head_of_training_everybody(odile: Person, rosamund: Person) -> None:
    del rosamund
    head = another(odile.client)
    assert head.sign_in("rosamund") == 303
    assert odile.sign_in("odile") == 303
    casimir, ines = number(odile, "casimir"), number(odile, "ines")
    change = {"edition": "0", "name": "Casimir", "sign_in_name": "casimir", "role": "instructor", "active": "yes"}
    assert post(odile, f"/people/{casimir}", **change).status_code == 403
    assert post(odile, "/people", name="New", role="instructor").status_code == 422
    assert post(head, f"/people/{casimir}", **change).status_code == 303
    again = post(head, f"/people/{casimir}", **change)
    assert again.status_code == 409 and "in the meantime" in again.text
    raised = {"edition": "0", "name": "Ines", "sign_in_name": "ines", "role": "instructor", "active": "yes"}
    assert post(odile, f"/people/{ines}", **raised).status_code == 422
    assert post(odile, "/people/slips", people=[casimir]).status_code == 403
    last = {"edition": "0", "name": "R", "sign_in_name": "rosamund", "role": "instructor", "active": "yes"}
    assert post(head, f"/people/{number(head, 'rosamund')}", **last).status_code == 409


def test_whoever_is_kept_out_is_signed_out_at_once(odile: Person, ines: Person) -> None:
    change = {"edition": "0", "name": "Ines Okafor-Lund", "sign_in_name": "ines", "role": "trainee"}
    assert post(odile, f"/people/{number(odile, 'ines')}", **change).status_code == 303
    assert ines.client.get("/runs", follow_redirects=False).headers["location"].startswith("/sign-in")
    assert another(odile.client).sign_in("ines") == 401
    listed = odile.client.get("/people?active=no").text
    assert "Ines Okafor-Lund" in listed and "may not sign in" in listed


def test_a_forgotten_password_is_reset_by_a_slip_or_a_link(odile: Person, ines: Person) -> None:
    person = number(odile, "ines")
    page = post(odile, "/people/slips", people=[person], kind="password").text
    assert ines.client.get("/runs", follow_redirects=False).status_code == 303, "her sign-ins have ended"
    assert another(odile.client).sign_in("ines", slips(page)["ines"]) == 303
    page = post(odile, "/people/slips", people=[person], kind="link").text
    link = re.findall(r"data-link>http://testserver(/welcome/[^<]+)<", page)[0]
    guest = another(odile.client)
    assert "Ines Okafor-Lund, choose a password" in guest.client.get(link).text
    assert post(guest, link, link, password=OWN, again="other").status_code == 422
    assert post(guest, link, link, password=OWN, again=OWN).status_code == 303
    assert "Ines Okafor-Lund" in guest.client.get("/home").text, "and she is signed in"
    assert guest.client.get(link).status_code == 404, "once"


def test_ones_own_account(ines: Person) -> None:
    assert post(ines, "/account", "/account", name="Ines", time_zone="Moon/Crater").status_code == 422
    assert post(ines, "/account", "/account", name="Ines O.", time_zone="Asia/Kathmandu").status_code == 303
    page = ines.client.get("/account?said=kept").text
    assert "Ines O." in page and "<option selected>Asia/Kathmandu" in " ".join(page.split())
    wrong = post(ines, "/account/password", "/account", present="not this one", password=OWN, again=OWN)
    assert wrong.status_code == 422 and "not your present password" in wrong.text
    other = another(ines.client)
    assert other.sign_in("ines") == 303
    right = post(ines, "/account/password", "/account", present=DEMO_PASSWORD, password=OWN, again=OWN)
    assert right.headers["location"] == "/account?said=password"
    assert other.client.get("/runs", follow_redirects=False).status_code == 303, "signed out elsewhere"
    assert ines.client.get("/runs").status_code == 200


def test_times_are_told_in_the_readers_zone(odile: Person, ines: Person) -> None:
    odile.start()
    assert " UTC</td>" in odile.client.get("/runs").text
    post(ines, "/account", "/account", name="Ines Okafor-Lund", time_zone="Asia/Kathmandu")
    assert " +0545</td>" in ines.client.get("/runs").text


# ---- a whole class ---------------------------------------------------------------------------------------------------


def test_a_class_is_added_from_a_list_or_not_at_all(odile: Person) -> None:
    bad = post(odile, "/people/list", "/people/list", text="Name\tLogin\nAda Quill\tada\nBo\tb o\n\tc\n", group="New")
    assert bad.status_code == 422
    assert "2 lines cannot be taken in; nobody was added." in bad.text
    assert "Ada Quill\tada" in bad.text, "what was typed stays"
    assert "Ada Quill" not in odile.client.get("/people").text
    good = post(odile, "/people/list", "/people/list", text="Ada Quill\nBo Ferris\nInes Okafor-Lund\n", group="New")
    assert set(slips(good.text)) == {"ada.quill", "bo.ferris"} | ({"ines"} & set(slips(good.text)))
    assert "is here already" in good.text
    listed = odile.client.get("/people?q=ada").text
    assert "Ada Quill" in listed and "New" in listed
    group = re.findall(r'/groups/(\d+)"[^>]*>New<', odile.client.get("/groups").text)[0]
    assert "3 trainees" in odile.client.get(f"/groups/{group}").text


def test_a_list_comes_as_a_workbook_too_and_a_template_can_be_had(odile: Person) -> None:
    from openpyxl import Workbook

    book, content = Workbook(), io.BytesIO()
    assert book.active is not None
    for row in (("Surname", "First name"), ("Quill", "Ada")):
        book.active.append(row)
    book.save(content)
    form = {"csrf": odile.token("/people/list"), "text": "", "group": ""}
    files = {"file": ("class.xlsx", content.getvalue())}
    assert 'data-slip="ada.quill"' in odile.client.post("/people/list", data=form, files=files).text
    template = odile.client.get("/people/list/template.csv")
    assert (
        template.text.startswith("Name,Sign-in name,Group") and "attachment" in template.headers["content-disposition"]
    )
    for name, junk in (("a.xls", b"\xd0\xcf\x11\xe0"), ("a.xlsx", b"PK\x03\x04"), ("a.csv", b"\x00\x01")):
        form["csrf"] = odile.token("/people/list")
        answer = odile.client.post("/people/list", data=form, files={"file": (name, junk)})
        assert answer.status_code == 422 and 'role="alert"' in answer.text


def test_groups_are_changed_and_what_is_opened_can_be_practised(odile: Person, ines: Person) -> None:
    assert post(odile, "/groups", "/groups", name="autumn COURSE a").status_code == 422
    made = post(odile, "/groups", "/groups", name="Winter").headers["location"]
    ids = [number(odile, "ines"), number(odile, "tobias")]
    kept = post(odile, made, made, edition="0", name="Winter", instructor=number(odile, "casimir"), members=ids)
    assert kept.status_code == 303
    assert post(odile, made, made, edition="0", name="Other", members=ids).status_code == 409
    post(odile, f"{made}/opened", made, exercises=["shutdown-to-dark"])
    home = ines.client.get("/home").text
    assert "Winter" in home and "Shutdown to dark" in home
    flown = post(ines, "/exercises/shutdown-to-dark/practise", "/home")
    assert flown.headers["location"].endswith("/station")
    refused = post(ines, "/exercises/start-with-faults/practise", "/home")
    assert refused.status_code == 403 and "not opened to your group" in refused.text
    assert post(odile, "/exercises/shutdown-to-dark/practise", "/home").status_code == 403
    assert "practice" in odile.client.get("/runs?mode=practice").text


# ---- the very first --------------------------------------------------------------------------------------------------


def test_the_first_account_is_a_head_of_training_who_is_signed_in_and_told_what_comes_next(
    tmp_path: Path, quick_hashes: None
) -> None:
    app = create_app(Settings(database=tmp_path / "empty.sqlite"))
    with TestClient(app, headers=ORIGIN) as client:
        person = Person(client)
        form = {"code": app.state.first_code, "name": "Hilde Orme", "sign_in_name": "hilde", "password": OWN}
        made = post(person, "/first-instructor", "/first-instructor", **form)
        assert made.headers["location"] == "/home"
        page = client.get("/home").text
        assert "Add your trainees" in page and "/people/list" in page
        assert client.get("/people").text.count("head of training") >= 1


# ---- records over time -----------------------------------------------------------------------------------------------


def test_a_record_shows_the_trend_what_is_missed_and_the_logbook(odile: Person, ines: Person) -> None:
    run = judged_run(odile, ines)
    path = f"/people/{number(odile, 'ines')}/record"
    page = ines.client.get(path).text
    assert "Your record" in page and page.count(f"/runs/{run}/debrief") == 2, "on the trend and in the logbook"
    assert "Nothing was missed" in page or "Missed" in page
    assert another(odile.client).client.get(path, follow_redirects=False).status_code == 303
    tobias = another(odile.client)
    assert tobias.sign_in("tobias") == 303
    assert tobias.client.get(path).status_code == 404
    table = ines.client.get(f"{path}.csv").text.splitlines()
    assert table[0].startswith("Exercise,Airframe,Version,Kind") and len(table) == 2 and "Frost on the ramp" in table[1]
    book = load_workbook(io.BytesIO(odile.client.get(f"{path}.xlsx").content))
    cells = [[cell.value for cell in row] for row in book.worksheets[0].iter_rows()]
    assert cells[0][:3] == ["Exercise", "Airframe", "Version"] and cells[1][0] == "Frost on the ramp"
    group = odile.client.get("/groups/1/record?exercise=frost-on-the-ramp").text
    assert "Record of Autumn course A" in group and "too few" in group and "Technical log" in group


def test_a_page_that_looks_again_by_itself_does_not_keep_a_sign_in_alive(odile: Person) -> None:
    database = odile.client.app.state.database  # type: ignore[attr-defined]

    def seen() -> object:
        return database.read(lambda s: s.connection().exec_driver_sql("SELECT max(seen) FROM sign_ins").scalar())

    long_ago = "UPDATE sign_ins SET seen = datetime('now', '-20 minutes')"
    database.write(lambda s: s.connection().exec_driver_sql(long_ago))
    before = seen()
    assert odile.client.get("/home", headers={"X-Refresh": "1"}).status_code == 200
    assert database.write(lambda s: None) is None and seen() == before
    assert odile.client.get("/home").status_code == 200
    assert database.write(lambda s: None) is None and seen() != before
