"""The builder's requests: edits and refusals, two people on one draft, proof, publishing, files."""

from __future__ import annotations

import io
import json
import time
import zipfile
from typing import Any

import pytest
from httpx2 import Response

from lumenstat.records.runs import runs_of
from tests.web.conftest import Person, another

CSV = b"Challenge,Response,Who,Why\nMain battery,ON,captain,It feeds Essential DC.\nEssential DC,22 to 29 V,captain,It must live.\n"


class Draft:
    """One draft in one person's browser."""

    def __init__(self, person: Person, path: str) -> None:
        self.person, self.path, self.edition = person, path, 0
        self.csrf = person.token("/drafts")

    def edit(self, verb: str, selected: str = "", **args: Any) -> Any:
        form = {"csrf": self.csrf, "edition": self.edition, "verb": verb, "args": json.dumps(args), "item": selected}
        answer = self.person.client.post(f"{self.path}/edit", data=form)
        if answer.status_code == 200:
            self.edition = answer.json()["edition"]
        return answer

    def post(self, what: str, **form: Any) -> Response:
        found: Response = self.person.client.post(
            f"{self.path}/{what}", data={"csrf": self.csrf, **form}, follow_redirects=False
        )
        return found

    def parts(self) -> Any:
        return self.person.client.get(f"{self.path}/parts").json()

    def prove(self) -> Any:
        assert self.post("prove").status_code == 200
        for _ in range(1800):
            if not (parts := self.parts())["busy"]:
                return parts
            time.sleep(0.1)
        raise AssertionError("the proof does not end")


def begin(person: Person, begins: str, file: tuple[str, bytes] | None = None, **form: str) -> Response:
    files = {"files": (file[0], file[1])} if file else None
    data = {"csrf": person.token("/drafts"), "begins": begins, **form}
    found: Response = person.client.post("/drafts/new", data=data, files=files, follow_redirects=False)
    return found


@pytest.fixture
def draft(odile: Person) -> Draft:
    answer = begin(odile, "sheet", ("list.csv", CSV), title="From a sheet", airframe="rowan-r2")
    assert answer.status_code == 303
    return Draft(odile, answer.headers["location"])


def test_a_draft_is_proven_published_and_then_seen_by_others(odile: Person, draft: Draft) -> None:
    assert "From a sheet" in odile.client.get("/drafts").text
    assert "From a sheet" not in odile.client.get("/exercises").text
    refused = odile.client.post(f"{draft.path}/publish", data={"csrf": draft.csrf})
    assert "Prove the draft as it stands first" in refused.text
    parts = draft.prove()
    assert 'data-proof-state="proven"' in parts["proof"] and "data-chart" in parts["proof"]
    assert 'data-publishable="true"' in parts["head"]
    assert draft.post("publish").headers["location"] == "/exercises/from-a-sheet"
    assert "From a sheet" in odile.client.get("/exercises").text
    # What is written from now on is another version; what was published stays as it was.
    draft.edit("fields", item="main-battery", fields={"challenge": "Other words"})
    assert "Other words" in draft.parts()["script"]
    assert "Other words" not in odile.client.get("/exercises/from-a-sheet").text
    assert 'data-proof-state="unproven"' in draft.parts()["proof"]


def test_what_stops_it_is_not_published(odile: Person, draft: Draft) -> None:
    draft.edit("pick", part="instrument", name="left_volts", after="essential-dc")
    parts = draft.prove()
    assert 'data-finding="dead-instrument"' in parts["proof"] and 'data-publishable="false"' in parts["head"]
    assert "findings that stop it" in odile.client.post(f"{draft.path}/publish", data={"csrf": draft.csrf}).text


def test_edits_answer_with_the_page_and_refusals_with_a_remedy(draft: Draft) -> None:
    added = draft.edit("add", kind="hold", after="main-battery").json()
    assert added["selected"] and f'data-row-item="{added["selected"]}"' in added["script"]
    assert draft.edit("kind", item="main-battery", kind="verify").status_code == 200
    for verb, args, says in (
        ("fields", {"item": "main-battery", "fields": {"weight": "heavy"}}, "weight takes a figure"),
        ("fields", {"item": "sails", "fields": {"why": "x"}}, "there is no item"),
        ("dance", {}, "there is no change called"),
        ("shift", {"item": "main-battery"}, "lacks something"),
        ("text", {"which": "exercise", "text": "a: &b 1\nc: *b"}, "anchors and aliases"),
        ("text", {"which": "0", "text": "a: 1\na: 2"}, "line 2"),
        ("waive", {"item": "main-battery", "rule": "reason-missing", "reason": "no"}, "in a sentence"),
        ("pick", {"part": "control", "name": "warp"}, "there is no control"),
        ("exercise", {"fields": {"pass_mark": "high"}}, "pass mark takes a figure"),
    ):
        answer = draft.edit(verb, **args)
        assert (answer.status_code, says in answer.json()["says"]) == (422, True), answer.json()
    assert draft.edition == 2


@pytest.mark.parametrize(
    "until", ["bus.dc_left.volts / 0 > 1", " and ".join(["lamp.ground_ready"] * 1000), "bus.no_such_bus.alive", "1 +"]
)
def test_an_expression_that_cannot_stand_is_shown_at_its_item(draft: Draft, until: str) -> None:
    draft.edit("add", kind="wait", after="main-battery")
    answer = draft.edit("fields", item="new-wait", fields={"until": until})
    assert answer.status_code == 200
    proof = answer.json()["proof"]
    assert 'data-severity="stops"' in proof and 'data-select="new-wait"' in proof
    refused = draft.person.client.post(f"{draft.path}/prove", data={"csrf": draft.csrf})
    assert "mend what its findings say" in refused.text


def test_who_comes_second_is_told_and_shown_both(app_client: Any, draft: Draft) -> None:
    other = another(app_client)
    other.sign_in("odile")
    second = Draft(other, draft.path)
    draft.edit("fields", item="main-battery", fields={"why": "Hers."})
    answer = second.edit("fields", item="main-battery", fields={"why": "His."})
    assert answer.status_code == 409
    assert "changed this draft in the meantime: why of main-battery" in answer.json()["says"]
    assert "script" in answer.json()["theirs"]
    assert "Hers." in draft.parts()["inspector"]
    second.edition = answer.json()["theirs"]["edition"]
    assert second.edit("fields", item="main-battery", fields={"why": "His."}).status_code == 200


def test_undo_and_redo_over_the_wire(draft: Draft) -> None:
    before = draft.parts()["script"]
    draft.edit("remove", item="main-battery")
    assert draft.parts()["script"] != before
    assert draft.edit("undo").json()["script"] == before
    assert draft.edit("redo").json()["script"] != before
    assert "nothing to do again" in draft.edit("redo").json()["says"]


def test_flown_by_its_writer_a_flight_becomes_items(odile: Person, draft: Draft) -> None:
    station = draft.post("fly").headers["location"]
    run_id = station.split("/")[2]
    assert odile.client.get(station).status_code == 200
    with odile.client.websocket_connect(f"/runs/{run_id}/socket", headers={"origin": "http://testserver"}) as socket:
        socket.receive_json()
        for number, (verb, args) in enumerate((("set", {"control": "beacon", "to": "ON"}), ("finish", {}))):
            socket.send_json({"id": f"a{number}", "verb": verb, "args": args})
            time.sleep(0.2)
    for _ in range(600):
        if "By doing: a flight" in odile.client.get(draft.path).text:
            break
        time.sleep(0.1)
    edition = draft.parts()["edition"]
    assert draft.post("take", run=run_id, edition=edition).status_code == 303
    assert 'data-row-item="beacon"' in draft.parts()["script"] and "By doing" in draft.parts()["script"]
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    assert [run.draft_id for run in database.read(runs_of)] == [draft.path.split("/")[2]]
    assert (
        "not one of this draft"
        in odile.client.post(
            f"{begin(odile, 'copy', exercise='shutdown-to-dark').headers['location']}/take",
            data={"csrf": draft.csrf, "run": run_id, "edition": 0},
        ).text
    )


def test_files_come_out_and_go_in_again(odile: Person, draft: Draft) -> None:
    archive = zipfile.ZipFile(io.BytesIO(odile.client.get(f"{draft.path}/documents.zip").content))
    texts = {name: archive.read(name).decode() for name in archive.namelist()}
    assert set(texts) == {"exercise.yaml", "checklist-1.yaml"}
    assert odile.client.get(f"{draft.path}/checklist-1.yaml").text == texts["checklist-1.yaml"]
    assert odile.client.get(f"{draft.path}/bundle.json").json()["exercise"]["id"] == "from-a-sheet"
    assert odile.client.get(f"{draft.path}/card.pdf").content.startswith(b"%PDF")
    assert "has no text" in odile.client.get(f"{draft.path}/poem.yaml").text
    files = [("files", (name, text.encode())) for name, text in texts.items()]
    form = {"csrf": draft.csrf, "begins": "yaml"}
    answer = odile.client.post("/drafts/new", data=form, files=files, follow_redirects=False)
    assert answer.status_code == 303
    again = answer.headers["location"]
    assert odile.client.get(f"{again}/checklist-1.yaml").text == texts["checklist-1.yaml"]


@pytest.mark.parametrize(
    ("begins", "file", "form", "says"),
    [
        ("wish", None, {}, "A draft begins from nothing"),
        ("nothing", None, {"airframe": "rowan-r2"}, "Give the exercise a title"),
        ("nothing", None, {"airframe": "kite", "title": "A"}, "Choose an airframe"),
        ("copy", None, {"exercise": "none"}, "There is no such exercise"),
        ("sheet", ("a.csv", b"\xff\xfe"), {"airframe": "rowan-r2", "title": "A"}, "not UTF-8"),
        ("yaml", ("a.yaml", b"format: lumenstat/checklist/1\n"), {}, "give one exercise document"),
        ("yaml", ("a.yaml", b"a: 1\na: 2\n"), {}, "line 2"),
        ("yaml", ("a.yaml", b"\xff"), {}, "not UTF-8"),
    ],
)
def test_a_beginning_that_cannot_be_made_says_why(
    odile: Person, begins: str, file: Any, form: dict[str, str], says: str
) -> None:
    answer = begin(odile, begins, file, **form)
    assert answer.status_code == 404 and says in answer.text
    assert "No draft yet" in odile.client.get("/drafts").text


def test_a_proof_can_be_stopped(odile: Person) -> None:
    draft = Draft(odile, begin(odile, "copy", exercise="battery-and-apu").headers["location"])
    draft.post("prove")
    draft.post("prove", stop="yes")
    for _ in range(900):
        if not draft.parts()["busy"]:
            break
        time.sleep(0.1)
    assert "data-chart" not in draft.parts()["proof"]


def test_the_perfect_flight_is_looked_at_moment_by_moment(odile: Person, draft: Draft) -> None:
    page = odile.client.get(f"{draft.path}/flight?t=3")
    assert page.status_code == 200 and "The model" in page.text
    moment = odile.client.get(f"{draft.path}/flight/moment?t=9e5").json()
    assert moment["quantities"]["control.battery_main"] == "ON"


def test_the_start_says_what_it_means(draft: Draft) -> None:
    page = draft.person.client.get(f"{draft.path}/parts?item=exercise").json()["inspector"]
    assert "Main battery, at rest" in page and "Full alignment here" in page
    draft.edit("out-of-place", control="wipers", to="SLOW")
    draft.edit("fault", kind="bulb_dead", target="ground_ready", when="12")
    page = draft.person.client.get(f"{draft.path}/parts?item=exercise").json()["inspector"]
    assert "wipers at SLOW" in page and "bulb_dead, ground_ready, at 12.0 s" in page


def test_a_trainee_writes_nothing(ines: Person, draft: Draft) -> None:
    assert ines.client.get("/drafts").status_code == 403
    assert ines.client.get(draft.path).status_code == 403
