"""The head of training's page: settings, backups, retention, archives, the audit list, erasure, records that leave."""

from __future__ import annotations

import io
import json
import re
import zipfile

import pytest
from openpyxl import load_workbook

from lumenstat.records.erasing import TooOld, too_old
from lumenstat.records.exercises import current_exercise
from lumenstat.records.keeping import faults_of
from lumenstat.records.marks import set_mark
from lumenstat.records.people import find_person
from lumenstat.records.runs import find_run
from lumenstat.records.school import school
from tests.flights import about, perfect_frost, without
from tests.school import flown, signed
from tests.web.conftest import Person, another
from tests.web.test_languages import choose
from tests.web.test_training import db, number, send, wrong

SLIPPED = without(perfect_frost(), about("see", control="wipers"))


@pytest.fixture
def rosamund(odile: Person) -> Person:
    person = another(odile.client)
    assert person.sign_in("rosamund") == 303
    return person


def test_the_school_is_settled_and_what_cannot_be_is_said(rosamund: Person) -> None:
    assert send(rosamund, "/school", mastery_passes="3", approval="yes").status_code == 303
    settled = db(rosamund).read(school)
    assert (settled.mastery_passes, settled.approval, settled.backup_hours) == (3, "yes", 24)
    answer = send(rosamund, "/school", backups_kept="none")
    assert answer.status_code == 422 and "Backups kept" in wrong(answer)["backups_kept"]
    assert 'value="none"' in answer.text
    assert "mastery passes 3 added" in rosamund.client.get("/audit?kind=school").text


def test_a_backup_is_made_read_back_named_and_the_oldest_go(rosamund: Person) -> None:
    keeping = rosamund.client.app.state.housekeeping  # type: ignore[attr-defined]
    assert send(rosamund, "/school/backup").status_code == 303
    (made,) = keeping.backups()
    assert list(faults_of(made)) == [] and made.name in rosamund.client.get("/school").text
    assert "Last good backup" in rosamund.client.get("/home").text
    assert not keeping.backup_due(db(rosamund).read(school))
    send(rosamund, "/school", backups_kept="2")
    for name in ("19990101-000000", "19980101-000000"):
        made.with_name(f"{made.stem.rsplit('-', 2)[0]}-{name}.sqlite").write_bytes(made.read_bytes())
    made.unlink()
    keeping.back_up()
    assert len(keeping.backups()) == 2 and not any("1998" in path.name for path in keeping.backups())


def test_a_backup_that_fails_is_said_on_the_page(rosamund: Person) -> None:
    keeping = rosamund.client.app.state.housekeeping  # type: ignore[attr-defined]
    keeping.folder.parent.mkdir(exist_ok=True)
    keeping.folder.write_text("a file where the folder belongs")
    assert send(rosamund, "/school/backup").status_code == 503
    assert "The last try failed" in rosamund.client.get("/school").text
    assert "The last try at a backup failed" in rosamund.client.get("/home").text
    # Kept before anybody asks for it, told in the words of whoever reads it.
    assert "The database cannot be used: File exists." in rosamund.client.get("/home").text
    assert choose(rosamund, "de", "Rosamund Tegler") == 303
    assert "Die Datenbank ist nicht benutzbar: File exists." in rosamund.client.get("/school").text


def test_a_trouble_that_was_kept_in_english_before_is_said_as_it_is(rosamund: Person) -> None:
    db(rosamund).write(lambda session: set_mark(session, "backup-trouble", "The disk is full."))
    assert "The last try failed: The disk is full." in rosamund.client.get("/school").text


def test_what_is_too_old_goes_once_somebody_means_it(rosamund: Person) -> None:
    run = flown(db(rosamund), days_ago=400, mode="practice")
    old = flown(db(rosamund), days_ago=400)
    send(rosamund, "/school", keep_practice_months="6", keep_traces_months="6")
    settled = db(rosamund).read(school)
    assert "1 practice runs, 1 flight traces" in rosamund.client.get("/school").text
    assert send(rosamund, "/school/clear-out").status_code == 422
    assert db(rosamund).read(lambda s: too_old(s, settled)) == TooOld(1, 1, 0)
    assert send(rosamund, "/school/clear-out", sure="yes").status_code == 303
    assert rosamund.client.get(f"/runs/{run}/debrief").status_code == 404
    assert rosamund.client.get(f"/runs/{old}/debrief").status_code == 200, "a debrief without its trace still opens"


def test_the_school_leaves_as_an_archive_and_a_spoiled_one_is_refused(rosamund: Person) -> None:
    signed(db(rosamund))
    content = rosamund.client.get("/school/archive.zip").content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert json.loads(archive.read("manifest.json"))["holds"] == "school"
    for spoiled, says in (
        (content, "goes into an empty one"),
        (content[:-50], "cut or damaged"),
        (b"", "cut or damaged"),
    ):
        answer = rosamund.client.post(
            "/school/archive", data={"csrf": rosamund.token("/school")}, headers={"X-Form": "stay"},
            files={"archive": ("school.zip", spoiled, "application/zip")},
        )  # fmt: skip
        assert answer.status_code == 422 and says in answer.json()["says"] and answer.json()["field"] == "archive"


def test_a_course_that_is_here_already_is_refused(rosamund: Person) -> None:
    content = rosamund.client.get("/courses/1/archive.zip").content
    answer = rosamund.client.post(
        "/school/archive", data={"csrf": rosamund.token("/school")}, headers={"X-Form": "stay"},
        files={"archive": ("course.zip", content, "application/zip")},
    )  # fmt: skip
    assert "there is a course 'Cold and dark, basic course' already" in answer.json()["says"]


def test_the_audit_list_is_searched_and_leaves(rosamund: Person) -> None:
    send(rosamund, "/courses", name="Winter")
    send(rosamund, "/courses", name="Summer")
    found = rosamund.client.get("/audit?q=winter").text
    assert "Winter added" in found and "Summer added" not in found and "Rosamund Tegler" in found
    assert "1 changes" in found
    csv = rosamund.client.get("/audit.csv").text
    assert "Rosamund Tegler,course," in csv and "Summer added" in csv
    sheet = load_workbook(io.BytesIO(rosamund.client.get("/audit.xlsx").content)).active
    assert sheet is not None and sheet.max_row == 3


def test_a_person_is_erased_and_signed_out(rosamund: Person, ines: Person, odile: Person) -> None:
    run = signed(db(rosamund), events=SLIPPED)
    own = number(rosamund, "ines")
    path = f"/people/{own}/erase"
    assert send(odile, path, name="Ines Okafor-Lund").status_code == 403
    refused = send(rosamund, path, name="Ines")
    assert refused.status_code == 422 and "Type the name" in refused.text
    assert send(rosamund, path, name="Ines Okafor-Lund").status_code == 303
    assert ines.client.get("/home", follow_redirects=False).status_code == 303
    assert db(rosamund).read(lambda s: find_person(s, "ines")) is None
    assert f"Erased person {own}" in rosamund.client.get(f"/people/{own}").text
    for page in (f"/runs/{run}/debrief", "/runs", f"/people/{own}/record", "/groups/1/record", "/audit", "/home"):
        shown = rosamund.client.get(page)
        assert shown.status_code == 200 and "Okafor" not in shown.text, page


def test_a_signed_record_leaves_in_every_form(rosamund: Person) -> None:
    from pypdf import PdfReader

    run = signed(db(rosamund), events=SLIPPED)
    stored = db(rosamund).read(lambda s: find_run(s, run))
    record = rosamund.client.get(f"/runs/{run}/record.json").json()
    assert record["format"] == "lumenstat/record/1" and record["signed"]["whole"] is True
    assert record["signed"]["seal"] == stored.seal and len(record["log"]) == len(perfect_frost())
    assert record["counted"]["items"][0]["verdict"] == "wrong" and record["computed"]["items"][0]["verdict"] == "done"
    statements = rosamund.client.get(f"/runs/{run}/record.xapi").json()
    assert statements[0]["verb"]["id"].endswith("/passed")
    assert "BEGIN:VEVENT" in rosamund.client.get(f"/runs/{run}/record.ics").text
    paper = PdfReader(io.BytesIO(rosamund.client.get(f"/runs/{run}/debrief.pdf").content))
    text = re.sub(r"\s+", "", "".join(page.extract_text() for page in paper.pages))
    assert stored.seal is not None and stored.seal in text and stored.digest in text
    assert (stored.chain or "").split("\n")[-1] in text


def test_a_logbook_leaves_in_every_form(rosamund: Person) -> None:
    signed(db(rosamund))
    own = number(rosamund, "ines")
    csv = rosamund.client.get(f"/people/{own}/record.csv").text.splitlines()
    assert csv[0].startswith("Exercise,Airframe,Version,Kind") and "Good,Odile Marrash" in csv[1]
    assert rosamund.client.get(f"/people/{own}/record.pdf").content.startswith(b"%PDF")
    sheet = load_workbook(io.BytesIO(rosamund.client.get(f"/people/{own}/record.xlsx").content)).active
    assert sheet is not None and sheet.max_row == 2


def test_a_class_is_compared_between_versions(rosamund: Person) -> None:
    flown(db(rosamund), "ines", SLIPPED)
    flown(db(rosamund), "tobias")
    digest = db(rosamund).read(lambda s: s.connection().exec_driver_sql(
        "SELECT digest FROM exercise_versions WHERE exercise_id = 'frost-on-the-ramp'").scalar())  # fmt: skip
    page = rosamund.client.get(f"/groups/1/record?exercise=frost-on-the-ramp&version={digest}&against={digest}").text
    assert "Before</th>" in page and "50 %" in page and "Half of the class is lost at" in page


def test_any_list_leaves_as_it_was_searched(rosamund: Person, ines: Person) -> None:
    flown(db(rosamund), "ines", SLIPPED)
    flown(db(rosamund), "tobias")
    csv = rosamund.client.get("/runs.csv?q=tobias").text.splitlines()
    assert len(csv) == 2 and csv[1].startswith("Tobias Arkwell,Frost on the ramp,")
    assert len(rosamund.client.get("/runs.csv").text.splitlines()) == 3
    assert "Tobias" not in ines.client.get(f"/runs.csv?trainee={number(rosamund, 'tobias')}").text
    people = rosamund.client.get("/people.csv").text
    assert people.count("trainee,") == 18 and "argon2" not in people
    items = rosamund.client.get("/groups/1/record.csv?exercise=frost-on-the-ramp").text.splitlines()
    assert "Wipers" in items[1] and ",0.5," in items[1]
    for path in ("/runs.xlsx", "/people.xlsx", "/groups/1/record.xlsx?exercise=frost-on-the-ramp"):
        assert load_workbook(io.BytesIO(rosamund.client.get(path).content)).active is not None


def test_what_the_model_finds_out_stands_in_the_brief_and_is_found_out_once(
    rosamund: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    app = rosamund.client.app.state  # type: ignore[attr-defined]
    page = rosamund.client.get("/exercises/battery-and-apu").text
    assert "The model is finding this out" in page
    bundle = db(rosamund).read(lambda s: current_exercise(s, "battery-and-apu").bundle)
    found = app.facts.needed(bundle)
    assert found.celsius == (-8, 50) and found.charge is not None and 30 <= found.charge[0] <= 50
    page = re.sub(r"\s+", " ", rosamund.client.get("/exercises/battery-and-apu").text)
    assert "-8 to 50 °C" in page and f"{found.charge[0]} to 100 %" in page
    monkeypatch.setattr(app.facts.worker, "call", lambda *_, **__: pytest.fail("asked again"))
    assert app.facts.needed(bundle) == found


def test_a_version_waits_for_approval_on_its_brief(rosamund: Person, odile: Person) -> None:
    own = number(odile, "odile")
    with_publisher = f"UPDATE exercise_versions SET published_by_id = {own} WHERE exercise_id = 'frost-on-the-ramp'"
    db(rosamund).write(lambda s: s.connection().exec_driver_sql(with_publisher))
    send(rosamund, "/school", approval="yes")
    refused = odile.client.post(
        "/exercises/frost-on-the-ramp/start", headers={"X-Form": "stay"},
        data={"csrf": odile.token("/account"), "trainee": str(number(odile, "ines"))},
    )  # fmt: skip
    assert refused.status_code == 409 and "waits for a second instructor" in refused.json()["says"]
    assert "You published it" in odile.client.get("/exercises/frost-on-the-ramp").text
    assert "What you looked at" in rosamund.client.get("/exercises/frost-on-the-ramp").text
    answer = send(rosamund, "/exercises/frost-on-the-ramp/approve", says="Limits against the manual.")
    assert answer.status_code == 303
    assert "Approved" in odile.client.get("/exercises/frost-on-the-ramp").text
    assert odile.start()
