"""The station's socket: actions on disk before they are acknowledged, and bad messages that end nothing."""

from __future__ import annotations

import json
import re
import time
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select
from starlette.testclient import WebSocketTestSession
from starlette.websockets import WebSocketDisconnect

from lumenstat.documents.bundles import Bundle
from lumenstat.records.exercises import store_bundle
from lumenstat.records.tables import RunEvent, SignIn
from lumenstat.web.live.messages import OUTGOING, Act, MessageRefused, Open, read_message, schema
from lumenstat.web.security import SignedSocket
from tests.web.conftest import Person, another


def received(socket: WebSocketTestSession) -> dict[str, Any]:
    """The next frame, which is one of those that the schema knows."""
    frame: dict[str, Any] = socket.receive_json()
    OUTGOING.validate_python(frame)
    return frame


def until(socket: WebSocketTestSession, kind: str, most: int = 200) -> dict[str, Any]:
    for _ in range(most):
        frame = received(socket)
        if frame["type"] == kind:
            return frame
    raise AssertionError(f"no {kind} frame came")


def send(socket: WebSocketTestSession, number: str, verb: str, **args: object) -> dict[str, Any]:
    socket.send_json({"id": number, "verb": verb, "args": args})
    for _ in range(200):
        frame = received(socket)
        if frame.get("id") == number:
            return frame
    raise AssertionError("no answer came")


def told_so_far(socket: WebSocketTestSession) -> list[str]:
    socket.send_json({"ping": True})
    told = []
    while (frame := received(socket))["type"] != "pong":
        told.append(frame["type"])
    return told


def kept(client: TestClient) -> list[tuple[int, str]]:
    database = client.app.state.database  # type: ignore[attr-defined]
    return [(row.number, row.verb) for row in database.read(lambda s: list(s.scalars(select(RunEvent))))]


def test_an_action_is_on_disk_when_it_is_acknowledged_and_happens_once(odile: Person, ines: Person) -> None:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        whole = until(socket, "state")
        assert whole["whole"] is True
        assert whole["clock"]["running"] is False
        assert whole["quantities"]["control.hydraulic_pump"] == "ON"
        assert send(socket, "a1", "confirm", item="log")["type"] == "done"
        assert kept(ines.client) == [(0, "confirm")]
        assert send(socket, "a1", "confirm", item="log")["number"] == 0, "sent again after a lost link"
        assert kept(ines.client) == [(0, "confirm")]
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        again = until(socket, "state")
        assert again["card"]["answered"] == ["log"]
        assert again["clock"]["running"] is True
        assert send(socket, "a1", "confirm", item="log")["number"] == 0


def test_an_onlooker_sees_what_the_trainee_does(odile: Person, ines: Person) -> None:
    run = odile.start()
    with (
        odile.client.websocket_connect(f"/runs/{run}/socket") as watching,
        ines.client.websocket_connect(f"/runs/{run}/socket") as flying,
    ):
        until(watching, "state")
        send(flying, "1", "set", control="battery_main", to="ON")
        for _ in range(50):
            if until(watching, "state").get("quantities", {}).get("control.battery_main") == "ON":
                break
        else:
            raise AssertionError("the onlooker never saw it")
        assert send(watching, "2", "respond", item="log")["type"] == "refused", "an instructor answers no item"
        assert send(watching, "3", "set", control="battery_main", to="OFF")["type"] == "done"
        for _ in range(50):
            if words := until(flying, "state").get("words"):
                assert words == ["Your instructor set 'Main battery' to OFF."]
                break
        else:
            raise AssertionError("the trainee was not told")


def test_what_an_instructor_puts_in_while_time_stands_is_told_to_other_instructors_alone(
    odile: Person, ines: Person
) -> None:
    run = odile.start()
    address = f"/runs/{run}/socket"
    with (
        odile.client.websocket_connect(address) as acting,
        odile.client.websocket_connect(address) as watching,
        ines.client.websocket_connect(address) as flying,
    ):
        for socket in (acting, watching, flying):
            until(socket, "state")
        send(acting, "1", "note", text="Watch the third one")
        assert "logged" in told_so_far(watching)
        assert "logged" not in told_so_far(flying)


def test_a_button_is_held_as_long_as_the_hand_held_it(odile: Person, ines: Person) -> None:
    """The news of a press that comes late, right before that of its release, does not make the hold shorter."""
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        for number, held in (("a", 0.0), ("b", 1.2)):
            pressed = send(socket, f"{number}1", "press", control="lamp_test")["t"]
            message = {"id": f"{number}2", "verb": "release", "args": {"control": "lamp_test"}, "held": held}
            socket.send_json(message)
            socket.send_json({"id": f"{number}3", "verb": "set", "args": {"control": "beacon", "to": "ON"}})
            times = {}
            while f"{number}3" not in times:
                frame = socket.receive_json()
                times[frame.get("id")] = frame.get("t")
            assert held <= times[f"{number}2"] - pressed < held + 0.9
            assert times[f"{number}3"] >= times[f"{number}2"], "what was done after it comes after it"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("not json", "one JSON object"),
        ("[1, 2]", "one JSON object"),
        ("{}", "needs an `id`"),
        ('{"id": "1"}', "needs a `verb`"),
        ('{"id": "1", "verb": "explode"}', "cannot be done from here"),
        ('{"id": "1", "verb": "set", "args": 5}', "valid dictionary|instance of Set"),
        ('{"id": "1", "verb": "set", "args": {"control": "warp", "to": "ON"}}', "there is no control 'warp'"),
        ('{"id": "1", "verb": "set", "args": {"control": "wipers", "to": "MAD"}}', "it has OFF, SLOW, FAST"),
        ('{"id": "1", "verb": "release", "args": {"control": "lamp_test"}, "held": "long"}', "how many seconds"),
        ('{"id": "1", "verb": "release", "args": {"control": "lamp_test"}, "held": -1}', "how many seconds"),
        ('{"id": "1", "verb": "release", "args": {"control": "lamp_test"}, "held": NaN}', "NaN is no figure"),
        ('{"id": "' + "x" * 70 + '", "verb": "finish"}', "1 to 64 characters"),
        ("[" * 5000, "one JSON object"),
    ],
)
def test_a_bad_message_is_answered_and_the_run_goes_on(odile: Person, ines: Person, text: str, says: str) -> None:
    import re

    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_text(text)
        assert re.search(says, until(socket, "refused")["says"])
        assert send(socket, "ok", "confirm", item="log")["type"] == "done"


def test_a_foreign_page_a_stranger_and_another_trainee_are_turned_away(
    odile: Person, ines: Person, app_client: TestClient
) -> None:
    run = odile.start("Tobias Arkwell")
    cases = [
        (another(app_client).client, {}, 4401),
        (ines.client, {}, 4404),
        (odile.client, {"origin": "http://elsewhere.example"}, 4403),
    ]
    for client, headers, code in cases:
        with client.websocket_connect(f"/runs/{run}/socket", headers=headers) as socket:
            with pytest.raises(WebSocketDisconnect) as closed:
                socket.receive_json()
            assert closed.value.code == code


def test_an_expired_sign_in_is_told_and_the_same_run_goes_on_after_signing_in(
    odile: Person, ines: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(SignedSocket, "LOOK_SECONDS", 0.2)
    run = odile.start()
    database = ines.client.app.state.database  # type: ignore[attr-defined]
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        send(socket, "1", "confirm", item="log")
        database.write(
            lambda s: [s.delete(row) for row in s.scalars(select(SignIn)) if row.person.sign_in_name == "ines"] and None
        )
        time.sleep(SignedSocket.LOOK_SECONDS + 0.1)
        socket.send_json({"id": "2", "verb": "confirm", "args": {"item": "outside"}})
        with pytest.raises(WebSocketDisconnect) as closed:
            for _ in range(200):
                socket.receive_json()
        assert closed.value.code == 4401
    assert ines.sign_in("ines", target=f"/runs/{run}/station") == 303
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        assert until(socket, "state")["card"]["answered"] == ["log"]


def test_signing_out_elsewhere_ends_what_is_done_in_that_name_at_once(odile: Person, ines: Person) -> None:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        send(socket, "1", "confirm", item="log")
        form = {"csrf": ines.token("/runs")}
        assert ines.client.post("/sign-out-everywhere", data=form, follow_redirects=False).status_code == 303
        socket.send_json({"id": "2", "verb": "confirm", "args": {"item": "outside"}})
        with pytest.raises(WebSocketDisconnect) as closed:
            for _ in range(200):
                socket.receive_json()
        assert closed.value.code == 4401
    assert kept(odile.client) == [(0, "confirm")]


def test_a_failed_disk_takes_nothing_back_that_was_acknowledged(
    odile: Person, ines: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    from lumenstat.records import runs

    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        send(socket, "1", "confirm", item="log")
        real = runs.add_events

        def full(*_: object) -> None:
            raise OSError("disk full")

        monkeypatch.setattr(runs, "add_events", full)
        refused = send(socket, "2", "set", control="battery_main", to="ON")
        assert refused["type"] == "refused"
        assert "did not happen" in refused["says"]
        monkeypatch.setattr(runs, "add_events", real)
        assert send(socket, "3", "confirm", item="outside")["type"] == "done"
        assert kept(ines.client) == [(0, "confirm"), (1, "confirm")]
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        assert until(socket, "state")["quantities"]["control.battery_main"] == "OFF"


def test_ending_leads_to_the_debrief_and_the_log_scores_the_same_outside(
    odile: Person, ines: Person, tmp_path: Any
) -> None:
    import json

    from typer.testing import CliRunner

    from lumenstat.cli import app
    from lumenstat.documents.bundles import shipped_exercises

    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        send(socket, "1", "confirm", item="log")
        send(socket, "2", "set", control="flap_lever", to="8")
    with odile.client.websocket_connect(f"/runs/{run}/socket") as watching:
        assert send(watching, "end", "finish")["type"] == "done"
        until(watching, "ended", most=400)
    page = odile.client.get(f"/runs/{run}/debrief").text
    assert 'data-outcome="fail"' in page
    assert ines.client.get(f"/runs/{run}/station", follow_redirects=False).headers["location"].endswith("/debrief")
    log = tmp_path / "run.jsonl"
    log.write_text(odile.client.get(f"/runs/{run}/log.jsonl").text)
    result = CliRunner().invoke(
        app, ["score", str(next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp")), str(log), "--json"]
    )
    assert result.exit_code == 0
    outside = json.loads(result.stdout)
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    from lumenstat.assessment.ledger import Ledger
    from lumenstat.records.runs import find_run

    stored = Ledger.model_validate_json(database.read(lambda s: find_run(s, run)).ledger)
    inside = json.loads(stored.model_dump_json())
    assert outside["items"] == inside["items"]
    assert outside["percent"] == inside["percent"]
    with odile.client.websocket_connect(f"/runs/{run}/socket") as late:
        assert late.receive_json()["type"] == "ended"


def test_a_frame_tells_what_changed_and_one_a_second_that_time_passes(odile: Person, ines: Person) -> None:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        send(socket, "1", "confirm", item="log")
        begun = time.monotonic()
        quiet = [until(socket, "state") for _ in range(4)]
        assert 1.5 < time.monotonic() - begun < 8
        assert all("quantities" not in frame for frame in quiet[1:]), "nothing moves in a dark aircraft"
        send(socket, "2", "set", control="battery_main", to="ON")
        begun = time.monotonic()
        while "bus.dc_essential.volts" not in until(socket, "state").get("quantities", {}):
            assert time.monotonic() - begun < 1.5, "what changes comes within a beat, not with the next second"


def test_the_schema_in_docs_is_the_one_of_these_messages() -> None:
    published = Path(__file__).parents[2] / "docs" / "schemas" / "socket.json"
    assert json.loads(published.read_text()) == schema()


def test_messages_are_read_as_what_they_are() -> None:
    assert read_message('{"open": "log"}') == Open(open="log")
    assert read_message('{"id": "a", "verb": "press", "args": {"control": "x"}}').model_dump() == {
        "id": "a", "verb": "press", "args": {"control": "x"}, "held": 0.0,
    }  # fmt: skip
    released = read_message('{"id": "a", "verb": "release", "held": 2}')
    assert isinstance(released, Act)
    assert (released.held, released.args) == (2, {})


@pytest.mark.parametrize(
    ("text", "says", "client_id"),
    [
        ("{", "A message is one JSON object", None),
        ("[]", "A message is one JSON object.", None),
        ('{"verb": "press"}', "needs an `id`", None),
        ('{"id": "", "verb": "press"}', "needs an `id`", None),
        ('{"id": "' + "x" * 65 + '", "verb": "press"}', "needs an `id`", None),
        ('{"id": 7, "verb": "press"}', "needs an `id`", None),
        ('{"id": "a"}', "needs a `verb`", "a"),
        ('{"id": "a", "verb": 7}', "needs a `verb`", "a"),
        ('{"id": "a", "verb": "release", "held": true}', "`held` is for", "a"),
        ('{"id": "a", "verb": "release", "held": "1"}', "`held` is for", "a"),
        ('{"id": "a", "verb": "release", "held": -1}', "`held` is for", "a"),
        ('{"id": "a", "verb": "release", "held": 3601}', "`held` is for", "a"),
    ],
)
def test_a_message_that_is_none_says_what_would_be_right(text: str, says: str, client_id: str | None) -> None:
    with pytest.raises(MessageRefused, match=re.escape(says)) as found:
        read_message(text)
    assert found.value.client_id == client_id


def test_a_station_that_asks_is_told_that_the_desk_is_there(odile: Person, ines: Person) -> None:
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_json({"ping": True})
        assert until(socket, "pong") == {"type": "pong"}
        socket.send_json({"ping": "perhaps"})
        assert until(socket, "refused")["says"].startswith("An action needs")
    assert kept(ines.client) == [], "asking starts no clock and is in no log"


@pytest.mark.parametrize("wants,passes", [("hold", False), ("go on", True)])
def test_the_clock_is_held_while_the_link_is_lost_where_the_exercise_wants_that(
    odile: Person, ines: Person, frost: Bundle, wants: str, passes: bool
) -> None:
    exercise = frost.exercise.model_copy(update={"on_lost_link": wants})
    bundle = Bundle(frost.airframe, frost.checklists, exercise)
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    database.write(lambda session: store_bundle(session, bundle))
    run = odile.start()
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        until(socket, "state")
        send(socket, "a1", "confirm", item="log")
        begun = until(socket, "state")["t"]
    time.sleep(4)
    with ines.client.websocket_connect(f"/runs/{run}/socket") as socket:
        back = until(socket, "state")
        assert (back["t"] - begun > 3) is passes
        while back.get("clock", {"frozen": True})["frozen"]:
            back = until(socket, "state")
        send(socket, "a2", "confirm", item="outside")
    held = [verb for _, verb in kept(ines.client) if verb in ("freeze", "note", "resume")]
    assert held[:4] == ([] if passes else ["freeze", "note", "note", "resume"])
