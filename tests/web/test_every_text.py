"""No page says anything that no catalogue holds: pages are read in a language whose every text stands in brackets.

What documents and people say, and the codes of faults, is theirs and stays as it is.
"""

from __future__ import annotations

import re
import sys
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from ruamel.yaml import YAML
from sqlalchemy.orm import Session

from lumenstat.documents.bundles import SHIPPED
from lumenstat.language import wording
from lumenstat.records.courses import Course
from lumenstat.records.day_plans import DayPlanRecord
from lumenstat.records.exercises import current_exercises
from lumenstat.records.groups import groups
from lumenstat.records.preferences import Preferences, set_preferences
from lumenstat.records.tables import Person
from lumenstat.standins.today import plan_today
from lumenstat.systems.registry import fault_targets
from lumenstat.web import rendering
from tests.web import conftest
from tests.web.pseudo import PSEUDO, untold, write_pseudo
from tests.web.test_builder import begin
from tests.web.test_front import judged_run

ONE_OF_EACH_KIND = ("log", "wipers", "main-at-rest", "start-decision", "main-on", "ask-cart", "ready")
FILES = re.compile(r"\.(csv|xlsx|pdf|zip|jsonl|ics|json|yaml|css|js|svg)|^/(help|static|words|audit)\b")
"""No pages; the list of changes, which is kept as it was written, in English; and the help, which has files of its own."""
PAGES_AT_MOST = 60
CODE = re.compile(r"[2-9A-Z]{6}")
"""That a station is joined with."""
EDGES = " ,;:.()·'\""
NOBODYS = {
    "--record-store", "lumenstat restore",
    "Lumenstat", "English", "Esperanto", "Shift", "Enter", "Esc", "Tab", "UTC", "Frost on the ramp, again", "own words",
}  # fmt: skip
"""Names of keys and languages, ours, and what the test itself has written."""


@pytest.fixture
def bracketed(tmp_path: Path, app_client: TestClient, monkeypatch: pytest.MonkeyPatch) -> Iterator[TestClient]:
    """The application with everybody's account in the bracketed language."""
    write_pseudo(tmp_path)
    monkeypatch.setattr(wording, "LOCALES", tmp_path)
    cached = (wording.languages, wording.catalogue_of, wording.retold, rendering.environment_of)
    for each in cached:
        each.cache_clear()

    def settle(session: Session) -> None:
        for person in session.query(Person):
            set_preferences(session, person.id, Preferences(language=PSEUDO))

    app_client.app.state.database.write(settle)  # type: ignore[attr-defined]
    yield app_client
    for each in cached:
        each.cache_clear()


@pytest.fixture
def flattened(monkeypatch: pytest.MonkeyPatch) -> set[str]:
    """Where pages format a phrase into plain text, which no reader's language reaches afterwards."""
    found: set[str] = set()

    def formatted(self: wording.Phrase, spec: str) -> str:
        code = sys._getframe(1).f_code
        if "/lumenstat/web/" in code.co_filename:
            found.add(f"{code.co_filename.split('/lumenstat/')[-1]}, {code.co_name}: {self}")
        return str.__format__(self, spec)

    monkeypatch.setattr(wording.Phrase, "__format__", formatted, raising=False)
    return found


def _said(content: Any) -> Iterator[str]:
    if isinstance(content, Mapping):
        for key, value in content.items():
            yield from (str(key), *_said(value))
    elif isinstance(content, list):
        for value in content:
            yield from _said(value)
    elif content is not None:
        yield re.sub(r"\s+", " ", str(content)).strip()


def _theirs(client: TestClient) -> list[str]:
    """What documents and people say, the longest first."""
    yaml = YAML(typ="safe")
    found = {text for path in SHIPPED.rglob("*.yaml") for text in _said(yaml.load(path.read_text()))}

    def read(session: Session) -> set[str]:
        names = {person.name for person in session.query(Person)} | {group.name for group in groups(session)}
        names |= {text for course in session.query(Course) for text in (course.name, course.about)}
        for record in session.query(DayPlanRecord):
            names |= {record.title, *record.plan.wanted.rooms, *record.plan.wanted.stations}
        for version in current_exercises(session):
            for targets in fault_targets(version.bundle.airframe).values():
                names |= {*targets, *targets.values()}
        return names | set(client.app.state.settings.grades)  # type: ignore[attr-defined]

    found |= client.app.state.database.read(read) | NOBODYS  # type: ignore[attr-defined]
    return sorted(
        (text.lower().strip(EDGES) for text in found if re.search(r"[A-Za-z]{2,}", text)), key=len, reverse=True
    )


def _left(piece: str, theirs: list[str]) -> str:
    if CODE.fullmatch(piece):
        return ""
    left = re.sub(r"\s+", " ", piece.lower()).rstrip("…")
    for text in theirs:
        left = re.sub(rf"(?<![a-z]){re.escape(text)}(?![a-z])", " ", left) if text in left else left
    if re.search(r"[a-z]{3,}", left) and any(text.startswith(left.strip(" ,;:.")) for text in theirs):
        return ""  # cut off where there was no room
    return left if re.search(r"[a-z]{3,}", re.sub(r"\b[a-z]+/[a-z_/]+|\bt\+|[0-9a-f]{8,}", "", left)) else ""


def _untold_of(person: conftest.Person, first: list[str], theirs: list[str]) -> dict[str, str]:
    """What pages say in no catalogue's words, with the page: those named, and those that they lead to."""
    todo, seen, found = list(first), set[str](), dict[str, str]()
    while todo and len(seen) < 2 * PAGES_AT_MOST:
        path = todo.pop(0).split("#")[0].replace("&amp;", "&")
        alike = re.sub(r"[0-9a-f]{8,}|\d+|\?.*|(?<=exercises/)[a-z0-9-]+", "N", path)
        if path in seen or (alike in seen and path not in first) or FILES.search(path):
            continue
        seen |= {alike, path}
        text = re.sub(
            r'<select class="field[^>]*name="(time_)?zone".*?</select>', "", person.client.get(path).text, flags=re.S
        )
        found |= {piece: path for piece in untold(text) if _left(piece, theirs)}
        todo += re.findall(r'href="(/[^"]*)"', text)
    assert len(seen) > 10
    return found


@pytest.mark.slow
def test_pages_say_nothing_that_no_catalogue_holds(
    bracketed: TestClient, odile: conftest.Person, ines: conftest.Person, flattened: set[str]
) -> None:
    bracketed.app.state.database.write(plan_today)  # type: ignore[attr-defined]
    theirs = _theirs(bracketed)
    run, waiting = judged_run(odile, ines), odile.start()
    draft = begin(odile, "copy", exercise="frost-on-the-ramp", title="Frost on the ramp, again").headers["location"]
    time.sleep(0.5)
    head = conftest.another(bracketed)
    head.sign_in("rosamund")
    pages = [draft, f"{draft}/card", f"/runs/{run}/debrief", f"/runs/{run}/replay", f"/runs/{waiting}/station", "/home"]
    pages += [f"{draft}?item={each}" for each in ("exercise", "section:at-rest", *ONE_OF_EACH_KIND)]
    pages += [
        f"/runs/{waiting}/phone",
        "/school",
        "/audit",
        "/people/list",
        "/exercises/frost-on-the-ramp/start-many",
        "/days",
        "/groups/1/record?exercise=frost-on-the-ramp",
        f"/runs/{run}/beside/{judged_run(odile, ines)}",
    ]
    assert _untold_of(head, [*pages, "/courses/1", "/courses/1/change", "/account", "/join", "/nowhere"], theirs) == {}
    own = [
        "/home",
        "/account",
        f"/runs/{run}/debrief",
        f"/runs/{waiting}/station",
        f"/runs/{waiting}/phone",
        "/people/6/record",
    ]
    assert _untold_of(ines, own, theirs) == {}
    assert flattened == set(), "an f-string makes plain English of a phrase"


def test_a_text_that_is_in_no_catalogue_is_noticed() -> None:
    page = '<p title="⟦told⟧ but not this">⟦{a} of ⟦{b}⟧⟧ <b>Frost</b></p><script>not this either</script><p>42 V</p>'
    assert untold(page) == {"but not this", "Frost"}
