"""The builder's requests: edits and refusals, two people on one draft, proof, publishing, files."""

from __future__ import annotations

import io
import json
import re
import time
import zipfile
from typing import Any

import pytest
from httpx2 import Response

from lumenstat.records.lists import RunFilter, find_runs
from lumenstat.records.runs import find_run
from tests.web.conftest import Person, another, packed

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
    sheet = begins == "sheet"
    files = {"file" if sheet else "files": (file[0], file[1])} if file else None
    data = {"csrf": person.token("/drafts"), "begins": begins, **form}
    where = "/drafts/sheet" if sheet else "/drafts/new"
    found: Response = person.client.post(where, data=data, files=files, follow_redirects=False)
    return found


@pytest.fixture
def draft(odile: Person) -> Draft:
    answer = begin(odile, "sheet", ("list.csv", CSV), title="From a sheet", airframe="rowan-r2")
    assert answer.status_code == 303
    return Draft(odile, answer.headers["location"])


def test_a_draft_is_proven_published_and_then_seen_by_others(odile: Person, draft: Draft) -> None:
    assert "From a sheet" in odile.client.get("/drafts").text
    assert "From a sheet" not in odile.client.get("/exercises").text
    refused = odile.client.post(f"{draft.path}/publish", data={"csrf": draft.csrf, "edition": draft.edition})
    assert "Prove the draft as it stands first" in refused.text
    parts = draft.prove()
    assert 'data-proof-state="proven"' in parts["progress"] and "data-chart" in parts["proof"]
    assert 'data-publishable="true"' in parts["head"]
    assert draft.post("publish", edition=draft.edition).headers["location"] == "/exercises/from-a-sheet"
    assert "From a sheet" in odile.client.get("/exercises").text
    # What is written from now on is another version; what was published stays as it was.
    draft.edit("fields", item="main-battery", fields={"challenge": "Other words"})
    assert "Other words" in draft.parts()["script"]
    assert "Other words" not in odile.client.get("/exercises/from-a-sheet").text
    parts = draft.parts()
    assert 'data-proof-state="stale"' in parts["progress"] and 'data-publishable="false"' in parts["head"]
    assert 'flown before "challenge of main-battery"' in parts["proof"] and "data-chart" in parts["proof"]
    refused = odile.client.post(f"{draft.path}/publish", data={"csrf": draft.csrf, "edition": draft.edition})
    assert "Prove the draft as it stands first" in refused.text
    draft.edit("remove", item="main-battery")
    assert 'data-proof-state="stale"' in draft.parts()["progress"]


def test_what_somebody_else_has_made_of_it_since_is_not_published(odile: Person, draft: Draft) -> None:
    draft.prove()
    seen = draft.edition
    draft.edit("fields", item="main-battery", fields={"why": "Another reason."})
    draft.prove()
    refused = draft.post("publish", edition=seen)
    assert refused.status_code == 409 and "changed this draft in the meantime" in refused.text
    assert odile.client.get("/exercises/from-a-sheet").status_code == 404
    assert draft.post("publish", edition=draft.edition).status_code == 303


def test_flights_are_judged_beside_the_proof_and_a_half_written_draft_is_no_error(odile: Person, draft: Draft) -> None:
    assert "The model flies every plausible flight" in odile.client.get(f"{draft.path}/fair").json()["html"]
    assert draft.post("fair").json()["busy"] is True
    for _ in range(600):
        if not (told := odile.client.get(f"{draft.path}/fair").json())["busy"]:
            break
        time.sleep(0.1)
    assert 'data-fair-findings="0"' in told["html"]
    draft.edit("append", list="start.out_of_service")
    draft.edit("exercise", fields={"ends_when": "no such thing"})
    assert odile.client.get(f"{draft.path}/fair").status_code == 200
    assert draft.post("fair").status_code == 409, "asked for by hand, it says why not"


def test_what_stops_it_is_not_published(odile: Person, draft: Draft) -> None:
    draft.edit("pick", part="instrument", name="left_volts", after="essential-dc")
    parts = draft.prove()
    assert 'data-finding="dead-instrument"' in parts["proof"] and 'data-publishable="false"' in parts["head"]
    assert (
        "findings that stop it"
        in odile.client.post(f"{draft.path}/publish", data={"csrf": draft.csrf, "edition": draft.edition}).text
    )


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
    refused = draft.person.client.post(f"{draft.path}/prove", data={"csrf": draft.csrf, "edition": draft.edition})
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


def test_the_script_shows_brackets_and_what_an_item_hangs_on(draft: Draft) -> None:
    draft.edit("fields", item="main-battery", fields={"applies_when": "time > 5", "one_of": "power"})
    script = packed(draft.parts()["script"])
    assert "Set, if, or: Main battery" in script
    section = re.search(r'data-bracket="([^"]+)" data-to="any"', script)
    assert section is not None
    draft.edit("section", section=section.group(1), fields={"order": "any"})
    script = packed(draft.parts()["script"])
    assert "bracket-any" in script and f'data-bracket="{section.group(1)}" data-to="strict"' in script


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
    found = database.read(lambda s: [find_run(s, line.id).draft_id for line in find_runs(s, RunFilter()).rows])
    assert found == [draft.path.split("/")[2]]
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
        ("sheet", ("a.csv", b"\xff\xfea"), {"airframe": "rowan-r2", "title": "A"}, "save it as CSV UTF-8"),
        ("yaml", ("a.yaml", b"format: lumenstat/checklist/1\n"), {}, "give one exercise document"),
        ("yaml", ("a.yaml", b"a: 1\na: 2\n"), {}, "line 2"),
        ("yaml", ("a.yaml", b"\xff"), {}, "not UTF-8"),
    ],
)
def test_a_beginning_that_cannot_be_made_says_why(
    odile: Person, begins: str, file: Any, form: dict[str, str], says: str
) -> None:
    answer = begin(odile, begins, file, **form)
    assert answer.status_code == (404 if begins == "copy" else 422) and says in answer.text
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
    page = draft.person.client.get(f"{draft.path}/parts?item=exercise").json()["inspector"]
    assert "wipers at SLOW" in page
    assert "prove it to know" in page
    draft.prove()
    page = draft.person.client.get(f"{draft.path}/parts?item=exercise").json()["inspector"]
    assert "Essential DC on Main battery alone" in page and "Main battery at 95 %" in page


def test_lists_of_the_exercise_are_written_in_forms(draft: Draft) -> None:
    for path, fields in (
        ("faults", {"faults.0.kind": "bulb_dead", "faults.0.target": "ground_ready", "faults.0.at": "12"}),
        ("start.carts.ground", {"start.carts.ground.1.volts": "112,5", "start.carts.ground.1.name": "Old cart"}),
        ("papers", {"papers.0.name": "Position"}),
        ("papers.0.lines", {"papers.0.lines.1.value": "56.1", "papers.0.lines.1.id": "latitude"}),
        ("start.out_of_service", {"start.out_of_service.0.says": "Lamp out"}),
        ("bands", {"bands.3.at_least": "50", "bands.3.words": "Nearly"}),
        ("aims", {"aims.0.when": "bus.dc_essential.alive", "aims.0.says": "Essential lives", "aims.0.gating": ""}),
    ):
        assert draft.edit("append", list=path).status_code == 200, path
        assert draft.edit("exercise", fields=fields).status_code == 200, path
    written = draft.person.client.get(f"{draft.path}/exercise.yaml").text
    for part in (
        "target: ground_ready",
        "at: 12",
        "volts: 112.5",
        "Old cart",
        "name: Position",
        "value: 56.1",
        "Nearly",
        "Lamp out",
        "says: Essential lives",
        "gating: false",
    ):
        assert part in written, written
    bundle = draft.person.client.get(f"{draft.path}/bundle.json")
    assert bundle.status_code == 200, bundle.text
    draft.edit("exercise", fields={"start.first_flight_of_day": ""})
    assert "first_flight_of_day: false" in draft.person.client.get(f"{draft.path}/exercise.yaml").text
    assert draft.edit("drop", list="papers.0.lines", number=0).status_code == 200
    assert draft.edit("drop", list="papers", number=0).status_code == 200
    assert "papers" not in draft.person.client.get(f"{draft.path}/exercise.yaml").text


def test_what_was_done_before_and_what_is_remembered_are_written_in_forms(draft: Draft) -> None:
    for number, fields in enumerate(
        (
            {"start.before.0.after": "2,5", "start.before.0.set": "battery_main ON, flap_lever 8"},
            {"start.before.1.hold": "lamp_test"},
            {"start.before.2.request": "ground_power.connect"},
        )
    ):
        assert draft.edit("append", list="start.before").status_code == 200
        assert draft.edit("exercise", fields=fields).status_code == 200, number
    assert draft.edit("exercise", fields={"start.remembered.latitude_degrees": "55.5"}).status_code == 200
    assert draft.edit("exercise", fields={"start.moved_since_shutdown": "true"}).status_code == 200
    start = draft.person.client.get(f"{draft.path}/bundle.json").json()["exercise"]["start"]
    assert [line["after"] for line in start["before"]] == [2.5, 10, 10]
    assert start["before"][0]["set"] == {"battery_main": "ON", "flap_lever": "8"}
    assert start["before"][1]["hold"] == "lamp_test"
    assert start["before"][2]["request"] == ["ground_power", "connect"]
    assert start["remembered"] == {**start["place"], "latitude_degrees": 55.5}
    assert start["moved_since_shutdown"] is True
    page = draft.person.client.get(f"{draft.path}/parts?item=exercise").json()["inspector"]
    assert 'value="battery_main ON, flap_lever 8"' in page
    draft.edit("exercise", fields={"start.remembered.name": ""})
    assert "remembered" not in draft.person.client.get(f"{draft.path}/exercise.yaml").text


@pytest.mark.parametrize(
    ("verb", "args", "says"),
    [
        ("exercise", {"fields": {"start.place.latitude_degrees": "nan"}}, "takes a figure, not 'nan'"),
        ("exercise", {"fields": {"start.before.0.set": "beacon"}}, "'beacon' needs a control and its position"),
        ("append", {"list": "start.carts.moon"}, "no ground supply 'moon'"),
        ("append", {"list": "seed"}, "has no list 'seed'"),
        ("drop", {"list": "bands", "number": 9}, "no line 10 in bands"),
        ("exercise", {"fields": {"start.carts.ground.0.volts": "many"}}, "volts takes a figure, not 'many'"),
        ("exercise", {"fields": {"bands.7.words": "x"}}, "no line 7 there"),
    ],
)
def test_a_list_refuses_what_it_cannot_hold(draft: Draft, verb: str, args: dict[str, Any], says: str) -> None:
    answer = draft.edit(verb, **args)
    assert answer.status_code == 422 and says in answer.json()["says"], answer.text


def test_the_card_prints_as_a_page_with_its_cautions(draft: Draft) -> None:
    draft.edit("fields", item="main-battery", fields={"caution": "Nobody near the propellers."})
    page = draft.person.client.get(f"{draft.path}/card").text
    for part in ("Caution: Nobody near the propellers.", "Training aid only", "data-print", "Main battery"):
        assert part in page


def test_the_list_of_drafts_tells_how_far_each_is(odile: Person, draft: Draft) -> None:
    def state() -> str:
        row = odile.client.get("/drafts").text.split("From a sheet")[1]
        return row.split("</tr>")[0].rsplit("<td>", 1)[1].split("</td>")[0]

    assert state() == "draft"
    draft.prove()
    assert state() == "proven, not published"
    draft.post("publish", edition=draft.edition)
    assert state() == "published"
    draft.edit("fields", item="main-battery", fields={"why": "Another reason than before."})
    assert state() == "published, changed since"
    draft.edit("undo")
    assert state() == "published"


def test_a_trainee_writes_nothing(ines: Person, draft: Draft) -> None:
    assert ines.client.get("/drafts").status_code == 403
    assert ines.client.get(draft.path).status_code == 403
