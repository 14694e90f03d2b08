"""Starting for many, the desk's socket, joining by a code, and what is done to a run as a whole."""

from __future__ import annotations

import re
import time
from typing import Any

import pytest
from httpx2 import Response

from lumenstat.records.lessons import stations_of
from lumenstat.web.live.desk import DeskTile
from tests.web.conftest import Person, another
from tests.web.test_people import number, post
from tests.web.test_station_socket import send, until

FORM = "/exercises/frost-on-the-ramp/start-many"


def start(odile: Person, *names: str, **more: object) -> str:
    people = [number(odile, name) for name in names]
    answer = post(odile, FORM, FORM, trainees=people, **more)
    assert answer.status_code == 303, answer.text
    where = answer.headers["location"]
    for _ in range(600):
        if where.startswith("/desk/"):
            return str(where.split("/")[2])
        page = odile.client.get(where, follow_redirects=False)
        where = page.headers.get("location", where)
        time.sleep(0.1)
    raise AssertionError("it was never ready")


def runs(odile: Person, lesson: str) -> list[Any]:
    found: list[Any] = odile.client.app.state.database.read(lambda s: stations_of(s, lesson))  # type: ignore[attr-defined]
    return found


def tiles(socket: Any, wanted: Any, tries: int = 40) -> dict[str, DeskTile]:
    """Tiles as they come, until something is so."""
    known: dict[str, DeskTile] = {}
    for _ in range(tries):
        message = socket.receive_json()
        if message["type"] != "tiles":
            continue
        known |= {tile["run"]: DeskTile(**tile) for tile in message["tiles"]}
        if wanted(known):
            return known
    raise AssertionError(f"never so: {known}")


def act(socket: Any, runs: list[str], verb: str, **args: Any) -> dict[str, str]:
    socket.send_json({"id": f"{verb}-{time.monotonic()}", "runs": runs, "verb": verb, "args": args})
    while True:
        message = socket.receive_json()
        if message["type"] == "answer":
            refused: dict[str, str] = message["refused"]
            return refused


def test_one_press_starts_a_class_with_a_station_and_a_code_each(odile: Person, ines: Person) -> None:
    lesson = start(odile, "ines", "tobias", "maribel", together="yes", group="1")
    page = odile.client.get(f"/desk/{lesson}").text
    assert page.count("data-tile=") == 3 and "Frost on the ramp, Autumn course A" in page
    assert len(set(re.findall(r"tracking-\[.15em\]\">([A-Z0-9]{6})<", page))) == 3
    assert "Frost on the ramp" in ines.client.get("/home").text
    nobody = post(odile, FORM, FORM)
    assert nobody.status_code == 422 and "at least one trainee" in nobody.text


def test_neighbours_begin_differently_where_it_is_asked_for(odile: Person) -> None:
    fault = "bulb_dead|apu_available"
    own = {"starts": "own", "charge_from": "55", "charge_to": "90", "celsius_from": "-10", "celsius_to": "15"}
    lesson = start(odile, "ines", "tobias", **own, fault=[fault, ""], at_from="60", at_to="90")
    found = runs(odile, lesson)
    assert len({run.digest for run in found}) == 2
    assert all("Dead bulb" in (run.variant or "") for run in found)
    assert odile.client.get(f"/exercises/frost-on-the-ramp?{lesson}").status_code == 200
    for wrong, says in (
        ({"charge_from": "90", "charge_to": "10"}, "the lower figure first"),
        ({"charge_from": "much"}, "in figures"),
        ({"fault": "gremlins|nose"}, "knows no fault"),
        ({}, "Give a range"),
    ):
        answer = post(odile, FORM, FORM, trainees=[number(odile, "ines")], starts="own", **wrong)
        assert answer.status_code == 422 and says in answer.text
        assert "checked" in answer.text, "what was chosen stays"


def test_the_desk_sees_freezes_tells_and_lets_go(odile: Person, ines: Person) -> None:
    lesson = start(odile, "ines", "tobias", together="yes")
    one, other = [run.id for run in runs(odile, lesson)]
    with (
        odile.client.websocket_connect(f"/desk/{lesson}/socket") as desk,
        ines.client.websocket_connect(f"/runs/{one}/socket") as station,
    ):
        until(station, "state")
        first = tiles(desk, lambda known: len(known) == 2 and known[one].linked)
        assert first[one].state == "waiting" and first[one].frozen and not first[other].linked
        assert send(station, "1", "confirm", item="log")["type"] == "refused", "everybody waits for the word"
        assert act(desk, [one], "resume") == {}
        assert send(station, "2", "set", control="battery_main", to="ON")["type"] == "done"
        assert send(station, "3", "hand", up=True)["type"] == "done"
        seen = tiles(desk, lambda known: one in known and known[one].hand and known[one].slips == 1)
        assert seen[one].zones["dc_essential"] == "live" and seen[one].state == "running"
        assert act(desk, [one], "freeze") == {}
        assert "frozen already" in act(desk, [one], "freeze")[one]
        assert send(station, "4", "confirm", item="log")["says"].startswith("The exercise is frozen")
        assert act(desk, [one], "say", text="Look at the log") == {}
        assert act(desk, ["nothing"], "freeze") == {"nothing": "That run is not in this lesson."}
        desk.send_text("{")
        assert "A desk sends an act" in next(iter(_answer(desk).values()))
        assert act(desk, [one], "finish") == {}
        tiles(desk, lambda known: one in known and known[one].state in ("judging", "ended"))
    log = odile.client.get(f"/runs/{one}/log.jsonl").text
    assert [line for line in log.splitlines() if '"say"' in line and '"by": "instructor"' in line]


def _answer(socket: Any) -> dict[str, str]:
    while True:
        message = socket.receive_json()
        if message["type"] == "answer":
            refused: dict[str, str] = message["refused"]
            return refused


def test_a_desk_is_for_instructors(odile: Person, ines: Person) -> None:
    from starlette.websockets import WebSocketDisconnect

    lesson = start(odile, "ines")
    for person, path, code in (
        (ines, f"/desk/{lesson}/socket", 4401),
        (another(odile.client), f"/desk/{lesson}/socket", 4401),
        (odile, "/desk/nothing/socket", 4404),
    ):
        with person.client.websocket_connect(path) as socket, pytest.raises(WebSocketDisconnect) as closed:
            socket.receive_json()
        assert closed.value.code == code


def test_a_code_opens_one_run_and_nothing_else(odile: Person) -> None:
    lesson = start(odile, "ines", "tobias")
    mine, theirs = runs(odile, lesson)
    lab = another(odile.client)
    wrong = post(lab, "/join", "/join", code="AAAAAA")
    assert wrong.status_code == 404 and "No exercise waits under that code" in wrong.text
    asked = post(lab, "/join", "/join", code=mine.join_code.lower())
    assert "Are you Ines Okafor-Lund?" in asked.text
    joined = post(lab, "/join", "/join", code=mine.join_code, sure="yes")
    assert joined.headers["location"] == f"/runs/{mine.id}/station"
    assert lab.client.get(f"/runs/{mine.id}/station").status_code == 200
    for path in ("/runs", "/home", "/account", f"/runs/{theirs.id}/station"):
        assert lab.client.get(path).status_code == 403, path
    with lab.client.websocket_connect(f"/runs/{mine.id}/socket") as socket:
        until(socket, "state")
        assert send(socket, "1", "confirm", item="log")["type"] == "done"


@pytest.mark.parametrize("part,asked", [("crew", "done"), ("observer", "refused")])
def test_a_code_opens_a_phone_for_who_wants_no_more(odile: Person, ines: Person, part: str, asked: str) -> None:
    mine = runs(odile, start(odile, "ines"))[0]
    phone = another(odile.client)
    joined = post(phone, "/join", "/join", code=mine.join_code, sure="yes", part=part)
    assert joined.headers["location"] == f"/runs/{mine.id}/phone"
    page = phone.client.get(f"/runs/{mine.id}/phone")
    assert page.status_code == 200 and ("data-request" in page.text) is (part == "crew")
    assert phone.client.get(f"/runs/{mine.id}/station").status_code == 403
    hub = odile.client.app.state.hub  # type: ignore[attr-defined]
    with phone.client.websocket_connect(f"/runs/{mine.id}/socket") as socket:
        whole = until(socket, "state")
        assert whole["whole"] is True
        assert hub.linked(mine.id) is False, "the trainee's station is not there"
        assert send(socket, "1", "set", control="battery_main", to="ON")["type"] == "refused"
        assert send(socket, "2", "request", service="ground_power", action="connect")["type"] == asked


def test_beside_a_station_stand_the_log_the_slips_and_the_verdicts_so_far(odile: Person, ines: Person) -> None:
    run = runs(odile, start(odile, "ines"))[0].id
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        send(socket, "1", "set", control="battery_main", to="ON")
        with odile.client.websocket_connect(f"/runs/{run}/socket") as watching:
            until(watching, "state")
            send(watching, "2", "fault", fault="i", kind="bulb_dead", target="apu_available")
            send(watching, "3", "note", text="no log")
        seen = odile.client.get(f"/runs/{run}/watch").json()
        assert [line["says"] for line in seen["lines"]] == [
            "Main battery: ON", "Fault: Dead bulb: APU, Available", "Note: no log",
        ]  # fmt: skip
        assert seen["faults"] == [["i", "Dead bulb: APU, Available"]]
        assert seen["words"] == ["That is 'Main battery'; 'Technical log: On board and clear' comes first."]
        assert odile.client.get(f"/runs/{run}/watch?after=3").json()["lines"] == []
        page = odile.client.get(f"/runs/{run}/verdicts").text
        assert 'data-verdict="done"' in page and "Main battery" in page
    station = odile.client.get(f"/runs/{run}/station").text
    assert 'data-do="fault"' in station and "Cancel this start" not in station
    assert 'data-do="fault"' not in ines.client.get(f"/runs/{run}/station").text


def test_a_run_is_handed_over_taken_back_voided_and_put_away(odile: Person, ines: Person) -> None:
    first, second, third = runs(odile, start(odile, "ines", "tobias", "maribel"))
    station = f"/runs/{first.id}/station"
    assert post(odile, f"/runs/{first.id}/hand-over", station, instructor=number(odile, "casimir")).status_code == 303
    assert "Handed over to Casimir" in str(odile.client.get(f"/runs/{first.id}/watch").json())
    assert "Cancel this start" in odile.client.get(f"/runs/{second.id}/station").text
    assert post(odile, f"/runs/{second.id}/take-back", station).status_code == 303
    assert odile.client.get(f"/runs/{second.id}/station").status_code == 404
    assert post(odile, f"/runs/{third.id}/archive", station).status_code == 409, "one that goes on is not put away"
    short = post(odile, f"/runs/{third.id}/void", station, reason="no")
    assert short.status_code == 422
    assert post(odile, f"/runs/{third.id}/void", station, reason="The wrong exercise.").status_code == 303
    assert "The wrong exercise." in odile.client.get("/runs?standing=voided").text
    assert third.id not in odile.client.get("/runs").text
    assert "Voided by Odile Marrash" in odile.client.get(f"/runs/{third.id}/debrief").text


def test_exercises_are_searched_grouped_and_withdrawn(odile: Person) -> None:
    page = odile.client.get("/exercises?q=frost&sort=shortest").text
    assert "2 of 20" in page and "automatic-transfer" in page and 'class="light-zone"' in page
    assert "No exercise is found" in odile.client.get("/exercises?q=nothing+of+this").text
    answer: Response = post(odile, "/exercises/frost-on-the-ramp/withdraw", "/exercises/frost-on-the-ramp")
    assert answer.status_code == 303
    assert ">Frost on the ramp<" not in odile.client.get("/exercises").text
    assert ">Frost on the ramp<" in odile.client.get("/exercises?withdrawn=yes").text
    post(odile, "/exercises/frost-on-the-ramp/withdraw", "/exercises?withdrawn=yes", withdrawn="no")
    assert ">Frost on the ramp<" in odile.client.get("/exercises").text
