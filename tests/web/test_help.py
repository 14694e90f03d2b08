"""Help: every topic is a page, words are found in it, and each page of the application has a way to it."""

from __future__ import annotations

import re

import pytest
from fastapi.testclient import TestClient

from lumenstat.web.help import OF_TAB, TOPICS, search, topics
from tests.web.conftest import Person


@pytest.mark.parametrize("name", [name for name, _ in TOPICS])
def test_every_topic_is_a_page_whose_links_lead_somewhere(app_client: TestClient, name: str) -> None:
    page = app_client.get(f"/help/{name}")
    assert page.status_code == 200
    assert f'<h1 class="text-22 font-bold text-ink">{topics()[name].title}</h1>' in page.text
    article = page.text[page.text.index("<article") : page.text.index("</article>")]
    for address in re.findall(r'href="(/[^"]*)"', article):
        assert app_client.get(address).status_code == 200, address


def test_words_are_found_with_their_section(app_client: TestClient) -> None:
    found = list(search("riser shaded"))
    assert [(each.topic, each.section) for each in found] == [("station", "The riser")]
    page = app_client.get("/help?q=riser+shaded")
    assert "1 place with" in page.text and "/help/station" in page.text
    assert "Nothing. Try one word" in app_client.get("/help?q=zeppelin").text
    assert app_client.get("/help/nothing").status_code == 404


def test_the_help_of_a_page_is_one_step_away(odile: Person) -> None:
    for tab, path in (("desk", "/desk"), ("drafts", "/drafts"), ("people", "/people")):
        assert f'href="/help/{OF_TAB[tab]}"' in odile.client.get(path).text
    assert set(OF_TAB.values()) <= {name for name, _ in TOPICS}


def test_a_hint_is_put_away_for_good(ines: Person) -> None:
    words = "At its station the clock stands until your first act."
    assert words in ines.client.get("/home").text
    form = {"csrf": ines.token("/home"), "hint": "trainee"}
    assert ines.client.post("/account/hints", data=form).status_code == 204
    assert words not in ines.client.get("/home").text
    assert ines.client.post("/account/hints", data=form | {"hint": "zeppelin"}).status_code == 404
