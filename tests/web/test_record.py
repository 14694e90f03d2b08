"""A judged record: replay, fork, override, signature, files; and who may do what with it."""

from __future__ import annotations

import csv
import html
import io
import json
import re
from collections.abc import Callable
from pathlib import Path
from shutil import copy

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, update
from typer.testing import CliRunner

from lumenstat.cli import app
from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.records.database import Database
from lumenstat.records.runs import find_run
from lumenstat.records.sealing import verify
from lumenstat.records.tables import AppraisalRecord, Override, Run, RunEvent
from tests.flights import PERFECT, log_of, perfect_frost, rehearsed, without
from tests.school import flown
from tests.web.conftest import Person, another, packed, wait_until_judged


@pytest.fixture(scope="module")
def served_database(served_database: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """With a flown and judged run, made once: the wipers were never looked at, the beacon was left on."""
    path = tmp_path_factory.mktemp("judged") / "db.sqlite"
    copy(served_database, path)
    database = Database(path)
    flown(database, events=without(perfect_frost(), lambda e: e.args.get("control") == "wipers"))
    database.close()
    return path


@pytest.fixture
def run_id(odile: Person) -> str:
    """The run that is judged already."""
    (found,) = odile.client.app.state.database.read(lambda session: session.scalars(select(Run.id)).all())  # type: ignore[attr-defined]
    return str(found)


def post(person: Person, run: str, what: str, **form: str) -> int:
    page = person.client.get(f"/runs/{run}/debrief")
    token = (
        person.token(f"/runs/{run}/replay") if 'name="csrf"' not in page.text else person.token(f"/runs/{run}/debrief")
    )
    answer = person.client.post(f"/runs/{run}/{what}", data={"csrf": token, **form}, follow_redirects=False)
    return answer.status_code


def test_any_moment_as_it_was(odile: Person, run_id: str) -> None:
    assert odile.client.get(f"/runs/{run_id}/replay?t=300").status_code == 200
    early = odile.client.get(f"/runs/{run_id}/moment?t=40").json()
    assert early["t"] == 40.0
    assert early["quantities"]["control.battery_main"] == "ON"
    assert early["quantities"]["bus.dc_left.alive"] is False
    later = odile.client.get(f"/runs/{run_id}/moment?t=300").json()
    assert later["quantities"]["bus.dc_left.alive"] is True
    assert later["crew"][-1]["says"] == "Other cart is in and running."
    assert odile.client.get(f"/runs/{run_id}/moment?t=nan").json()["t"] == 0
    assert odile.client.get(f"/runs/{run_id}/moment?t=1e300").json()["t"] == 0
    assert odile.client.get(f"/runs/{run_id}/moment?t=word").status_code == 422


def test_flying_on_from_a_moment_names_its_origin(odile: Person, ines: Person, run_id: str) -> None:
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    for person, name in ((ines, "Ines Okafor-Lund"), (odile, "Odile Marrash")):
        token = person.token(f"/runs/{run_id}/replay")
        form = {"csrf": token, "t": "100"}
        answer = person.client.post(f"/runs/{run_id}/fork", data=form, follow_redirects=False)
        new = answer.headers["location"].split("/")[2]
        run = database.read(lambda s, n=new: find_run(s, n))
        assert (run.origin_id, run.origin_tick, run.tick, run.trainee.name) == (run_id, 10000, 10000, name)
        with person.client.websocket_connect(f"/runs/{new}/socket") as socket:
            frame = socket.receive_json()
            assert frame["t"] >= 100
            assert frame["quantities"]["control.battery_main"] == "ON"
            assert "log" in frame["card"]["answered"]


def test_an_override_stands_beside_the_computed_verdict(odile: Person, ines: Person, run_id: str) -> None:
    before = packed(odile.client.get(f"/runs/{run_id}/debrief").text)
    assert 'data-row="wipers" data-verdict="omitted"' in before
    why = {"item": "wipers", "verdict": "done", "points": "1", "reason": "Seen on the camera, said too softly."}
    assert post(ines, run_id, "override", **why) == 403
    assert post(odile, run_id, "override", **why) == 303
    page = packed(odile.client.get(f"/runs/{run_id}/debrief").text)
    assert 'data-row="wipers" data-verdict="done"' in page
    assert "Computed: omitted, 0." in page
    assert "Seen on the camera, said too softly." in page
    stored = odile.client.app.state.database.read(lambda s: find_run(s, run_id))  # type: ignore[attr-defined]
    assert '"item":"wipers","verdict":"omitted"' in stored.ledger
    rows = list(csv.DictReader(io.StringIO(odile.client.get(f"/runs/{run_id}/ledger.csv").text)))
    wipers = next(row for row in rows if row["item"] == "wipers")
    assert (wipers["verdict"], wipers["computed"], wipers["by"]) == ("done", "omitted", "Odile Marrash")
    assert sum(float(row["earned"]) for row in rows) == sum(float(row["possible"]) for row in rows)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"item": "nothing"}, "There is no item"),
        ({"kind": "weather"}, "There is nothing of kind"),
        ({"kind": "extra", "item": "9", "points": "0"}, "There is no extra"),
        ({"kind": "outcome", "item": "", "points": "0"}, "There is no verdict"),
        ({"verdict": "splendid"}, "There is no verdict"),
        ({"points": "7"}, "Points for this item go from 0 to 1"),
        ({"points": "-1"}, "Points for this item go from 0 to 1"),
        ({"reason": "no"}, "Give the reason in a sentence"),
    ],
)
def test_an_override_that_cannot_stand_is_refused(
    odile: Person, run_id: str, change: dict[str, str], says: str
) -> None:
    form = {"item": "wipers", "verdict": "done", "points": "1", "reason": "A good reason for it."} | change
    token = odile.token(f"/runs/{run_id}/debrief")
    answer = odile.client.post(f"/runs/{run_id}/override", data={"csrf": token, **form})
    assert answer.status_code == 422
    assert says in answer.text
    assert odile.client.app.state.database.read(lambda s: s.query(Override).count()) == 0  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("change", "field"),
    [({"points": "7"}, "points"), ({"points": "much"}, "points"), ({"reason": " " * 9}, "reason"), ({"csrf": ""}, "")],
)
def test_a_form_that_stays_is_told_the_sentence_and_the_field(
    odile: Person, run_id: str, change: dict[str, str], field: str
) -> None:
    form = {"item": "wipers", "verdict": "done", "points": "1", "reason": "A good reason for it."}
    form["csrf"] = odile.token(f"/runs/{run_id}/debrief")
    stays = {"X-Form": "stay"}
    answer = odile.client.post(f"/runs/{run_id}/override", data=form | change, headers=stays)
    assert answer.status_code in (403, 422)
    assert answer.json()["field"] == field and answer.json()["says"].endswith(".")
    answer = odile.client.post(f"/runs/{run_id}/override", data=form, headers=stays)
    assert (answer.status_code, answer.headers["x-next"]) == (204, f"/runs/{run_id}/debrief#wipers")


def test_outcome_and_gates_may_be_judged_too(odile: Person, ines: Person, run_id: str) -> None:
    why = {"kind": "outcome", "item": "", "verdict": "fail", "reason": "Did not look outside once."}
    assert post(ines, run_id, "override", **why) == 403
    assert post(odile, run_id, "override", **why) == 303
    page = odile.client.get(f"/runs/{run_id}/debrief").text
    assert "Not passed: the instructor&#39;s verdict" in page
    assert "Outcome: computed passed; Odile Marrash" in page
    assert "Did not look outside once." in page
    assert "Not passed: the instructor&#39;s verdict" in odile.client.get("/runs").text


def test_what_is_said_of_the_whole_run(odile: Person, ines: Person, run_id: str) -> None:
    said = {"remark": "Calm and exact.\nMind the wipers.", "grade": "Good", "advice": "drill", "drill": "wipers"}
    assert post(ines, run_id, "appraisal", **said) == 403
    assert post(odile, run_id, "appraisal", **said) == 303
    page = ines.client.get(f"/runs/{run_id}/debrief").text
    assert "Calm and exact." in page
    assert "Good. Drill these items." in " ".join(page.split())
    assert "Wipers" in page.split("data-appraisal")[1].split("</div>")[0]
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    assert post(odile, run_id, "sign", sure="yes") == 303
    assert database.read(lambda s: verify(s, run_id)).ok
    with database.sessions() as session:
        session.execute(update(AppraisalRecord).values(grade="Well done"))
        assert not verify(session, run_id).ok
        session.rollback()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"grade": "Splendid"}, "this school&#39;s scale is Well done, Good"),
        ({"advice": "drill", "drill": "nothing"}, "There is no item"),
        ({"advice": "drill"}, "Choose the items"),
        ({"advice": "sing"}, "There is no recommendation"),
        ({"remark": "", "grade": "", "advice": ""}, "Write a remark, choose a grade"),
    ],
)
def test_an_appraisal_that_cannot_stand_is_refused(
    odile: Person, run_id: str, change: dict[str, str], says: str
) -> None:
    form = {"remark": "Calm.", "grade": "Good", "advice": "repeat"} | change
    answer = odile.client.post(
        f"/runs/{run_id}/appraisal", data={"csrf": odile.token(f"/runs/{run_id}/debrief"), **form}
    )
    assert (answer.status_code, says in answer.text) == (422, True)


def test_a_signed_record_is_frozen_and_every_alteration_is_found(odile: Person, run_id: str) -> None:
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    assert not database.read(lambda s: verify(s, run_id)).ok
    assert post(odile, run_id, "sign") == 422, "it is asked once more, for it is final"
    assert post(odile, run_id, "sign", sure="yes") == 303
    assert "Signed by" in odile.client.get(f"/runs/{run_id}/debrief").text
    assert database.read(lambda s: verify(s, run_id)).ok
    why = {"item": "wipers", "verdict": "done", "points": "1", "reason": "Too late for this."}
    token = odile.token(f"/runs/{run_id}/replay")
    answer = odile.client.post(f"/runs/{run_id}/override", data={"csrf": token, **why})
    assert "it can no longer be changed" in answer.text
    alterations = [
        (update(RunEvent).where(RunEvent.number == 12).values(tick=999), "event 13 of the log is not what was signed"),
        (
            update(Run).values(ledger="{}"),
            "the ledger, an override, the appraisal or the signature is not what was signed",
        ),
        (update(Run).values(signed_by="Somebody Else"), "the ledger, an override, the appraisal or the signature"),
    ]
    for statement, says in alterations:
        with database.sessions() as session:
            session.execute(statement)
            found = verify(session, run_id)
            assert not found.ok
            assert any(says in each for each in found.says), found
            session.rollback()
    with database.sessions() as session:
        session.add(
            Override(
                run_id=run_id,
                item="wipers",
                verdict="done",
                points=1,
                reason="slipped in",
                by="X",
                at=find_run(session, run_id).created,
            )
        )
        session.flush()
        assert not verify(session, run_id).ok
        session.rollback()
    with database.sessions() as session:
        add = RunEvent(run_id=run_id, number=500, tick=10**6, by="trainee", verb="note", args='{"text": "x"}')
        session.add(add)
        session.flush()
        assert "events" in " ".join(verify(session, run_id).says)
        session.rollback()


def test_verify_from_the_command_line(odile: Person, run_id: str) -> None:
    path = str(odile.client.app.state.settings.database)  # type: ignore[attr-defined]
    assert CliRunner().invoke(app, ["verify", run_id, "--database", path]).exit_code == 1
    post(odile, run_id, "sign", sure="yes")
    good = CliRunner().invoke(app, ["verify", run_id, "--database", path, "--json"])
    assert (good.exit_code, '"ok": true' in good.stdout) == (0, True)
    assert CliRunner().invoke(app, ["verify", "nothing", "--database", path]).exit_code == 2
    assert CliRunner().invoke(app, ["verify", run_id, "--database", path + "x"]).exit_code == 2


def test_the_trace_is_a_table_of_every_quantity(odile: Person, run_id: str) -> None:
    rows = list(csv.DictReader(io.StringIO(odile.client.get(f"/runs/{run_id}/trace.csv").text)))
    assert len(rows) > 1000
    assert rows[0]["bus.dc_left.alive"] == "False"
    assert rows[-1]["control.battery_main"] == "ON"


def test_a_trainee_sees_nobody_elses_record(app_client: TestClient, odile: Person, run_id: str) -> None:
    tobias = another(app_client)
    assert tobias.sign_in("tobias") == 303
    for what in ("replay", "moment?t=1", "ledger.csv", "trace.csv", "debrief"):
        assert tobias.client.get(f"/runs/{run_id}/{what}").status_code == 404


def take_in(person: Person, content: bytes) -> tuple[int, str, str]:
    """Upload a log and wait until it is judged; gives status, text of the page and where it leads."""
    page = person.client.get("/runs").text
    trainee = re.search(r'value="(\d+)">Ines', page)
    assert trainee
    form = {"csrf": person.token("/runs"), "trainee": trainee.group(1)}
    files = {"log": ("run.jsonl", content, "application/jsonl")}
    answer = person.client.post("/runs/import", data=form, files=files, follow_redirects=False)
    location = answer.headers.get("location", "")
    if answer.status_code == 303:
        wait_until_judged(person, location.split("/")[2])
    return answer.status_code, answer.text, location


def test_a_log_taken_in_is_judged_as_it_was_and_stands_beside_its_origin(odile: Person, run_id: str) -> None:
    log = odile.client.get(f"/runs/{run_id}/log.jsonl").content
    status, _, location = take_in(odile, log)
    assert status == 303
    other = location.split("/")[2]
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    one, two = (json.loads(database.read(lambda s, r=r: find_run(s, r)).ledger) for r in (run_id, other))
    assert one == two
    page = odile.client.get(f"/runs/{run_id}/beside/{other}").text
    assert page.count('data-differs="false"') == 34
    assert 'data-differs="true"' not in page
    assert f"/runs/{run_id}/beside/{other}" in odile.client.get(f"/runs/{run_id}/debrief").text


def test_runs_of_different_exercises_do_not_stand_side_by_side(odile: Person, run_id: str) -> None:
    shipped = next(path for path in shipped_exercises() if path.stem == "battery-and-apu")
    bundle = Library().bundle(shipped)
    status, _, location = take_in(odile, log_of(bundle, PERFECT["battery-and-apu"]()).text().encode())
    assert status == 303
    answer = odile.client.get(f"/runs/{run_id}/beside/{location.split('/')[2]}")
    assert "runs of different exercises" in answer.text


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda text: text[:-20], "line 32|cut off"),
        (lambda text: text.replace("frost-on-the-ramp", "fog-on-the-ramp"), "There is no such exercise"),
        (lambda text: text.replace('"control": "flap_lever"', '"control": "flap_leaver"').replace('"control":"flap_lever"', '"control":"flap_leaver"'), "there is no control 'flap_leaver'"),
        (lambda text: "\n".join([text.splitlines()[0], *reversed(text.splitlines()[1:])]), "goes back|never"),
        (lambda text: "hello", "JSON"),
        (lambda text: "\n".join([text.splitlines()[0], *[text.splitlines()[1]] * 30_000]), "at most 5,000"),
    ],
    ids=["cut off", "another exercise", "unknown control", "back in time", "no log", "too long"],
)  # fmt: skip
def test_a_log_that_cannot_be_taken_in_says_why(
    odile: Person, run_id: str, change: Callable[[str], str], says: str
) -> None:
    text = odile.client.get(f"/runs/{run_id}/log.jsonl").text
    status, answer, _ = take_in(odile, change(text.strip()).encode())
    page = html.unescape(answer)
    assert status in (409, 422)
    assert re.search(says, page), page[-1500:]
    assert "Traceback" not in page
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    assert database.read(lambda s: s.query(Run).count()) == 1


def test_a_log_that_is_no_text_is_refused(odile: Person, run_id: str) -> None:
    assert "not UTF-8" in take_in(odile, b"\xff\xfe\x00")[1]


def test_the_debrief_draws_what_each_machine_did(odile: Person) -> None:
    bundle = Library().bundle(next(path for path in shipped_exercises() if path.stem == "full-cold-start"))
    _, _, location = take_in(odile, log_of(bundle, rehearsed("full-cold-start")()).text().encode())
    page = odile.client.get(location).text
    for title in ("APU: running", "Left engine: starting", "Right engine: running", "Inertial unit 1: aligning"):
        assert f"<title>{title}" in page
    # The deck as it lit up: one zone or two on the battery, all of them at the end.
    lit = [int(n) for n in re.findall(r"<title>\d+:\d\d: (\d+) of \d+ zones lit", page)]
    assert len(lit) == 7 and lit[-1] > lit[0]
