"""Texts that can be told in other languages: what a phrase keeps, and what becomes of it on its way."""

from __future__ import annotations

import json
import pickle
from datetime import date

import pytest
from pydantic import BaseModel

from lumenstat.errors import EntryRefused
from lumenstat.language.wording import (
    KEEP_PARTS,
    Names,
    Words,
    as_json,
    catalogue_of,
    from_json,
    in_languages,
    joined,
    kept,
    language_name,
    languages,
    phrase,
    phrases,
    retold,
    told,
)

GERMAN = catalogue_of("de")
CALLED = phrase("Called {reading:g} {unit}, but {instrument} showed {exact} {unit}.", reading=24.6, unit="V",
                instrument="Battery volts", exact="22.1")  # fmt: skip


class Row(BaseModel):
    says: Words


def test_a_phrase_is_its_english_text_wherever_it_goes() -> None:
    assert CALLED == "Called 24.6 V, but Battery volts showed 22.1 V."
    assert f"{CALLED}" == CALLED and json.dumps(CALLED) == json.dumps("".join(CALLED))
    assert str(EntryRefused(CALLED)) is CALLED


def test_it_is_told_anew_with_the_same_values() -> None:
    assert told(CALLED, GERMAN) == "24.6 V angesagt, aber Battery volts zeigte 22.1 V."
    assert told(CALLED, None) == CALLED
    assert told("no phrase", GERMAN) == "no phrase"


def test_a_phrase_within_a_phrase_is_told_too() -> None:
    says = phrase("{instrument} showed {exact} {unit} and was judged {judged}; it was {means}.", instrument="Volts", exact="22.1", unit="V",
                  judged=phrase("within limits"), means=phrase("below limits"))  # fmt: skip
    assert told(says, GERMAN).endswith("wurde als innerhalb der Grenzen beurteilt; es war unter den Grenzen.")


def test_several_forms_are_chosen_by_the_count() -> None:
    one, two = (phrases("{count} hint taken.", "{count} hints taken.", n) for n in (1, 2))
    assert (one, two) == ("1 hint taken.", "2 hints taken.")
    assert [told(each, GERMAN) for each in (one, two)] == ["1 Tipp genommen.", "2 Tipps genommen."]


def test_texts_put_together_stay_phrases() -> None:
    both = phrase("Not reached.") + " " + phrase("Never done.")
    assert both == "Not reached. Never done." and told(both, GERMAN) == "Nicht erreicht. Nie getan."
    assert told("A: " + phrase("Never done."), GERMAN) == "A: Nie getan."
    listed = joined(phrase(" and "), ["Main", phrase("dark")])
    assert listed == "Main and dark" and told(listed, GERMAN) == "Main und dunkel"


@pytest.mark.parametrize(
    ("spec", "english", "german"),
    [("low", "not reached.", "nicht erreicht."), ("bare", "Not reached", "Nicht erreicht"), ("high", "Not reached.", "Nicht erreicht.")],
)  # fmt: skip
def test_what_is_filled_in_can_begin_small_or_lose_its_full_stop(spec: str, english: str, german: str) -> None:
    says = phrase("{x:" + spec + "}", x=phrase("Not reached."))
    assert (says, told(says, GERMAN)) == (english, german)
    assert phrase("{x:head}", x="Wipers set to ON: nothing else") == "Wipers set to ON"


def test_dates_have_the_names_of_the_language() -> None:
    says = phrase("{day:%A, %-d %B %Y}, times of {zone}.", day=date(2031, 3, 4), zone="UTC")
    assert says == "Tuesday, 4 March 2031, times of UTC."
    assert told(says, GERMAN) == "Dienstag, 4. März 2031, Zeiten in UTC."


def test_parts_survive_processes_and_json() -> None:
    for again in (pickle.loads(pickle.dumps(CALLED)), from_json(json.loads(json.dumps(as_json(CALLED))))):
        assert again == CALLED and told(again, GERMAN) == told(CALLED, GERMAN)
    with pytest.raises(ValueError, match="the parts of one"):
        from_json({"something": "else"})


def test_a_model_writes_english_unless_parts_are_asked_for() -> None:
    row = Row(says=CALLED)
    assert json.loads(row.model_dump_json()) == {"says": str.__str__("".join(CALLED))}
    stored = row.model_dump_json(context=KEEP_PARTS)
    assert told(Row.model_validate_json(stored).says, GERMAN).startswith("24.6 V angesagt")
    assert Row.model_validate_json('{"says": "of an older release"}').says == "of an older release"


def test_frames_are_told_when_they_reach_their_reader() -> None:
    frame = json.dumps(kept({"words": [CALLED], "deep": {"says": phrase("Not reached.")}, "volts": 24.6}))
    assert json.loads(retold(frame, "de")) == {
        "words": ["24.6 V angesagt, aber Battery volts zeigte 22.1 V."], "deep": {"says": "Nicht erreicht."}, "volts": 24.6,
    }  # fmt: skip
    assert json.loads(retold(frame, "en"))["words"] == ["".join(CALLED)]
    plain = '{"says":"as it is"}'
    assert retold(plain, "de") is plain


def test_what_documents_say_is_told_in_their_own_words() -> None:
    names = Names({"Battery volts": "Batteriespannung"})
    assert told(CALLED, GERMAN, names) == "24.6 V angesagt, aber Batteriespannung zeigte 22.1 V."
    assert told(CALLED, None, names) == "Called 24.6 V, but Batteriespannung showed 22.1 V."


def test_languages_are_named_as_those_who_speak_them_do() -> None:
    assert languages() == ("en", "de") and catalogue_of("en") is None and catalogue_of("xx") is None
    assert [language_name(each) for each in languages()] == ["English", "Deutsch"]


def test_what_documents_say_is_told_in_a_list_too() -> None:
    names = Names({"Main battery": "Hauptbatterie"})
    both = phrase("{names} set.", names=joined(", ", ("Main battery", "Wipers")))
    assert told(both, None, names) == "Hauptbatterie, Wipers set." and told(both, None) == "Main battery, Wipers set."


def test_a_text_may_bring_its_own_words_along() -> None:
    title = in_languages("First time in the seat", {"de": "Zum ersten Mal am Platz"})
    says = phrase("{title}, {phase}", title=title, phase=phrase("flight"))
    assert title == "First time in the seat" and told(title, None) == title
    assert told(joined(", ", (title, "Class 7")), GERMAN) == "Zum ersten Mal am Platz, Class 7"
    assert told(says, GERMAN).startswith("Zum ersten Mal am Platz, ")
    stored = json.dumps({"says": as_json(title)})
    assert from_json(json.loads(stored)["says"]) == title
    assert json.loads(retold(stored, "de")) == {"says": "Zum ersten Mal am Platz"}
    assert json.loads(retold(stored, "en")) == {"says": title}
    assert in_languages("Cold start", {}) == "Cold start"
