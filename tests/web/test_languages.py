"""Pages, frames, papers and help in the language that an account has chosen."""

from __future__ import annotations

import html
import io
import json
import re
from types import SimpleNamespace
from typing import Any
from urllib.parse import quote

import pytest
from fastapi.testclient import TestClient
from pypdf import PdfReader

from lumenstat.assessment.ledger import Ledger
from lumenstat.language.wording import catalogue_of, phrase, told
from lumenstat.records.runs import find_run
from lumenstat.runs.judging import Underway
from lumenstat.web.pages.being_judged import progress_of
from tests.web.conftest import Person, packed, wait_until_judged
from tests.web.test_builder import begin
from tests.web.test_training import planned


def choose(person: Person, language: str, name: str) -> int:
    form = {"csrf": person.token("/account"), "name": name, "time_zone": "UTC", "theme": "paper", "language": language}
    return person.client.post("/account", data=form, follow_redirects=False).status_code


@pytest.fixture
def german(ines: Person) -> Person:
    assert choose(ines, "de", "Ines Okafor-Lund") == 303
    return ines


def _told_apart(person: Person, run: str) -> list[dict[str, object]]:
    """Frames of a station on which something out of order is done, and the exercise then finished."""
    with person.client.websocket_connect(f"/runs/{run}/socket") as socket:
        for number, (verb, args) in enumerate([
            ("confirm", {"item": "log"}), ("set", {"control": "battery_main", "to": "ON"}),
            ("set", {"control": "no_such", "to": "ON"}), ("finish", {}),
        ]):  # fmt: skip
            socket.send_json({"id": str(number), "verb": verb, "args": args})
        frames = []
        while (frame := socket.receive_json()).get("id") != "3":
            frames.append(frame)
    return frames


def test_an_account_chooses_its_language_and_pages_follow(german: Person, odile: Person) -> None:
    page = german.client.get("/account").text
    assert '<html lang="de"' in page and "Ihr Konto" in page and "Gespeichert." not in page
    assert '<option value="de" lang="de" selected>Deutsch</option>' in packed(page)
    assert "Nothing waits for you" not in german.client.get("/home").text
    assert '<html lang="en"' in odile.client.get("/home").text


def test_a_language_that_there_are_no_words_of_is_refused(ines: Person) -> None:
    assert choose(ines, "xx", "Ines Okafor-Lund") == 422
    assert '<html lang="en"' in ines.client.get("/home").text


def test_who_has_not_signed_in_gets_what_their_browser_asks_for(app_client: TestClient) -> None:
    asked = {"de": "fr-FR, de;q=0.8, en;q=0.5", "en": "fr, en"}
    for language, header in asked.items():
        page = app_client.get("/sign-in", headers={"Accept-Language": header}).text
        assert f'<html lang="{language}"' in page
    assert "Nur zur Ausbildung" in app_client.get("/sign-in", headers={"Accept-Language": "de"}).text


def test_what_goes_wrong_is_said_in_the_reader_s_language(german: Person) -> None:
    assert "Unter dieser Adresse gibt es nichts." in german.client.get("/nowhere").text
    assert "Das darf nur ein Ausbilder." in german.client.get("/exercises").text
    form = {"csrf": german.token("/account"), "password": "short", "again": "other", "present": ""}
    answer = german.client.post("/account/password", data=form, headers={"X-Form": "1"})
    assert "Die beiden sind nicht gleich." in answer.text


def test_the_coach_speaks_the_trainee_s_language_over_the_socket(german: Person, odile: Person) -> None:
    run = odile.start()
    frames = _told_apart(german, run)
    (refused,) = [frame for frame in frames if frame["type"] == "refused"]
    assert str(refused["says"]).startswith("das Bedienelement 'no_such' gibt es nicht")
    words = [text for frame in frames for text in frame.get("words", ())]  # type: ignore[attr-defined]
    assert all("comes first" not in text and "asks for that" not in text for text in words)


def test_one_ledger_is_read_in_each_reader_s_language(german: Person, odile: Person) -> None:
    run = odile.start()
    _told_apart(german, run)
    wait_until_judged(odile, run)
    pages = {name: person.client.get(f"/runs/{run}/debrief").text for name, person in (("de", german), ("en", odile))}
    assert "Nicht erreicht." in pages["de"] or "Nie " in pages["de"]
    assert "Never" not in re.sub(r"<[^>]+>", " ", pages["de"]) and "Nicht bestanden" in pages["de"]
    assert "Not passed" in pages["en"] and "Nicht bestanden" not in pages["en"]
    stored = odile.client.app.state.database.read(lambda s: find_run(s, run).ledger)  # type: ignore[attr-defined]
    assert "phrase~" in stored and Ledger.model_validate_json(stored).outcome_words.startswith("Not passed")
    outward = odile.client.get(f"/runs/{run}/record.json").text
    assert "phrase~" not in outward and "Not passed" in outward


TITLE = {"en": "First time in the seat: power up, guided", "de": "Zum ersten Mal am Platz: Strom, geführt"}


def test_lists_call_an_exercise_what_its_reader_calls_it(german: Person, odile: Person) -> None:
    run = odile.start(exercise="guided-power-up")
    _told_apart(german, run)
    wait_until_judged(odile, run)
    assert choose(odile, "de", "Odile Marrash") == 303
    pages = ("/runs", "/exercises", "/exercises/guided-power-up/start-many", "/days")
    for person, page in [(german, "/home"), (german, "/people/6/record"), *((odile, page) for page in pages)]:
        text = html.unescape(person.client.get(page).text)
        assert TITLE["de"] in text and TITLE["en"] not in text, page
    assert TITLE["de"] in html.unescape(odile.client.get("/runs", params={"q": "geführt"}).text)
    assert "geführt" not in odile.client.get("/runs", params={"q": "geführt nirgends"}).text.split("<tbody")[-1]
    assert choose(odile, "en", "Odile Marrash") == 303
    assert TITLE["en"] in odile.client.get("/runs").text


def test_a_plan_calls_its_exercises_what_each_reader_calls_them(odile: Person, ines: Person) -> None:
    plan = f"/days/{planned(odile)}"
    assert choose(ines, "de", "Ines Okafor-Lund") == 303
    for person, language in ((odile, "en"), (ines, "de")):
        page = html.unescape(person.client.get(plan).text)
        assert TITLE[language] in page and TITLE["en" if language == "de" else "de"] not in page


def test_papers_are_printed_in_the_reader_s_language(german: Person, odile: Person) -> None:
    run = odile.start()
    _told_apart(german, run)
    wait_until_judged(odile, run)
    paper = PdfReader(io.BytesIO(german.client.get(f"/runs/{run}/debrief.pdf").content))
    text = " ".join(page.extract_text() for page in paper.pages)
    assert "Nicht auf der Karte" in text and "Nur zur Ausbildung" in text and "Not on the card" not in text


def test_papers_say_what_documents_say_in_their_own_words(german: Person, odile: Person) -> None:
    run = odile.start(exercise="guided-power-up")
    with german.client.websocket_connect(f"/runs/{run}/socket") as socket:
        socket.send_json({"id": "1", "verb": "confirm", "args": {"item": "log"}})
        socket.send_json({"id": "2", "verb": "finish", "args": {}})
        while socket.receive_json().get("id") != "2":
            pass
    wait_until_judged(odile, run)
    paper = PdfReader(io.BytesIO(german.client.get(f"/runs/{run}/debrief.pdf").content))
    text = " ".join(" ".join(page.extract_text() for page in paper.pages).split())
    assert "Technisches Bordbuch" in text and "Technical log" not in text
    logbook = PdfReader(io.BytesIO(german.client.get("/people/6/record.pdf").content)).pages[0].extract_text()
    logbook = " ".join(logbook.split())
    assert "Flugbuch" in logbook and TITLE["de"] in logbook and TITLE["en"] not in logbook
    assert "bewertet" in logbook and "assessed" not in logbook


def test_how_far_judging_is_is_told_whole() -> None:
    standing = SimpleNamespace(standing=lambda _: Underway(0, phrase("flying the log"), 3, 10))
    request: Any = SimpleNamespace(app=SimpleNamespace(state=SimpleNamespace(judges=standing)))
    run: Any = SimpleNamespace(id="r", ledger=None, not_judged=None, voided_at=None)
    words = progress_of(request, run).words
    assert (str(words), told(words, catalogue_of("de"))) == (
        "flying the log, 3 of 10",
        "das Protokoll wird geflogen, 3 von 10",
    )


def test_scripts_get_their_words_and_no_others(german: Person) -> None:
    page = german.client.get("/home").text
    (address,) = re.findall(r'<script src="(/words/de\.js\?v=[0-9a-f]+)"', page)
    answer = german.client.get(address)
    assert answer.headers["cache-control"].endswith("immutable") and answer.headers["content-type"].startswith(
        "text/javascript"
    )
    texts = json.loads(re.search(r"texts: (\{.*?\}), plural", answer.text)[1])  # type: ignore[index]
    assert texts["Desk linked"] == "Pult verbunden" and texts["{count} item"] == ["{count} Punkt", "{count} Punkte"]
    assert "School settings" not in texts
    assert german.client.get("/words/en.js").status_code == german.client.get("/words/../x.js").status_code == 404


def test_help_is_read_and_searched_in_the_reader_s_language(german: Person, odile: Person) -> None:
    assert (
        "Der Platz" in german.client.get("/help/station").text
        and "The station" in odile.client.get("/help/station").text
    )
    assert "Erste Schritte" in german.client.get("/help").text
    assert "/help/station" in german.client.get(f"/help?q={quote('schraffierten Streifen')}").text
    model = german.client.get("/help/model").text
    assert '<article class="help" lang="en">' in model


def test_a_draft_is_begun_in_its_author_s_words_and_holds_plain_text(odile: Person) -> None:
    assert choose(odile, "de", "Odile Marrash") == 303
    draft = begin(odile, "copy", exercise="frost-on-the-ramp").headers["location"]
    assert "title: Kopie von Frost on the ramp" in odile.client.get(f"{draft}/exercise.yaml").text
    page = odile.client.get(draft).text
    assert "Aufforderung" in page and "Unter dem offenen Punkt einfügen" in page
