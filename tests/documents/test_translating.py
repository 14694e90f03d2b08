"""Texts of documents in other languages: only what is shown to people is told, by the text as it stands."""

from __future__ import annotations

from pathlib import Path

import pytest

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Bundle, Library
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.translating import shown_texts, told_document, without_words
from lumenstat.rehearsal.perfect import rehearse

GUIDED = SHIPPED / "exercises" / "guided-power-up.yaml"


@pytest.fixture(scope="module")
def guided() -> Bundle:
    return Library().bundle(GUIDED)


def _rewritten(tmp_path: Path, old: str, new: str) -> Path:
    path = tmp_path / "rowan-r2-before-power.yaml"
    text = (SHIPPED / "checklists" / path.name).read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))
    return path


def test_titles_items_and_reasons_are_told_and_nothing_else(guided: Bundle) -> None:
    german = guided.told_in("de")
    assert german.exercise.title == "Zum ersten Mal am Platz: Strom, geführt"
    log, before = german.procedure.by_id["log"].item, guided.procedure.by_id["log"].item
    assert (log.challenge, log.response) == ("Technisches Bordbuch", "An Bord, ohne offene Posten")
    assert log.why and log.why.startswith("Fehlt es") and log.id == before.id and log.weight == before.weight
    assert german.exercise.bands[0].words == "Stark" and german.exercise.aims[0].when == guided.exercise.aims[0].when
    main_rest = german.procedure.by_id["main-rest"].item
    assert main_rest.hints[0] == "Das Messgerät hat einen Wahlschalter"
    assert main_rest.moment.when == guided.procedure.by_id["main-rest"].item.moment.when  # type: ignore[union-attr]


def test_each_document_is_told_in_its_own_words_only(guided: Bundle) -> None:
    """The checklist says Ground power otherwise; the zone of the deck is engraved, and the airframe has no words."""
    german = guided.told_in("de")
    assert german.procedure.by_id["ask-cart"].item.challenge == "Bodenstrom"
    assert german.airframe is guided.airframe


def test_a_language_without_words_gives_the_documents_themselves(guided: Bundle) -> None:
    assert guided.told_in("fr") is guided and guided.names_in("fr") is None
    assert guided.told_in("de") is guided.told_in("de") and guided.names_in("de") is guided.names_in("de")


def test_what_is_judged_is_the_same_in_every_language(guided: Bundle) -> None:
    """The model's own flight of the told documents is the same, event by event."""
    flown, german = rehearse(guided), rehearse(guided.told_in("de"))
    assert german.events == flown.events and german.ready_at == flown.ready_at


def test_words_stand_in_the_digest_only_where_there_are_any() -> None:
    plain = Library().bundle(SHIPPED / "exercises" / "night-stop-no-cart.yaml")
    assert '"texts"' not in plain.canonical_json
    again = Bundle.from_canonical_json(Library().bundle(GUIDED).canonical_json)
    assert again.told_in("de").exercise.title.startswith("Zum ersten Mal")


def test_words_for_a_text_that_is_gone_are_named_and_stop_nothing(tmp_path: Path) -> None:
    path = _rewritten(tmp_path, "challenge: Technical log,", "challenge: Tech log,")
    (problem,) = Library([tmp_path]).check(path)
    assert problem.rule == "words-for-nothing" and "'Technical log'" in problem.says and problem.path == "texts.de"
    loaded = Library([tmp_path]).load(path).document
    assert isinstance(loaded, Checklist)
    assert "Tech log" in without_words(loaded, "de") and "Technical log" not in set(shown_texts(loaded))


@pytest.mark.parametrize(("key", "says"), [("deutsch:", "texts"), ("DE:", "texts")])
def test_a_language_has_two_small_letters(tmp_path: Path, key: str, says: str) -> None:
    path = _rewritten(tmp_path, "\n  de:", f"\n  {key}")
    problems = Library([tmp_path]).check(path)
    assert any(problem.path.startswith(says) for problem in problems)


def test_an_airframe_that_was_used_already_is_told_in_its_words_too(guided: Bundle) -> None:
    """What was worked out of the one, its controls by their ids, is not taken over by the other."""
    content = guided.airframe.model_dump(mode="json", by_alias=True) | {
        "texts": {"de": {"Main battery": "Hauptbatterie"}}
    }
    written = Airframe.model_validate(content)
    assert written.controls["battery_main"].name == "Main battery"
    assert "control.battery_main" in written.quantities
    told = told_document(written, "de")
    assert told.controls["battery_main"].name == "Hauptbatterie"
    assert "Hauptbatterie" in told.quantities["control.battery_main"].meaning
    assert written.controls["battery_main"].name == "Main battery"
