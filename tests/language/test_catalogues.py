"""The catalogues: gathered from the sources as they are, complete, compiled, and true to their placeholders."""

from __future__ import annotations

import re
import runpy
from pathlib import Path
from string import Formatter
from types import SimpleNamespace

import pytest
from babel.messages.catalog import Catalog
from babel.messages.mofile import read_mo

from lumenstat.language import wording

ROOT = Path(wording.__file__).parents[3]
TEXTS = SimpleNamespace(**runpy.run_path(str(ROOT / "assets" / "texts.py")))


@pytest.fixture(scope="module")
def gathered() -> Catalog:
    found: Catalog = TEXTS.gathered()
    return found


def _named(template: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(template) if name is not None}


def _all(catalogue: Catalog) -> dict[tuple[str, ...], list[str]]:
    return {tuple(_forms(each.id)): _forms(each.string) for each in catalogue if each.id}


def _forms(text: str | tuple[str, ...] | list[str] | None) -> list[str]:
    return [text] if isinstance(text, str) else list(text or ())


@pytest.mark.parametrize("language", TEXTS.languages())
def test_every_text_of_the_sources_has_its_words_and_no_other_is_kept(language: str, gathered: Catalog) -> None:
    """Run `make texts` where this fails, and give the new texts their words in the catalogue."""
    catalogue = TEXTS.catalogue_of(language)
    ids = {str(message.id) for message in gathered if message.id}
    assert {str(message.id) for message in catalogue if message.id} == ids
    assert TEXTS.missing(catalogue) == []
    assert not any(message.fuzzy for message in catalogue if message.id)


@pytest.mark.parametrize("language", TEXTS.languages())
def test_the_compiled_catalogue_is_the_written_one(language: str) -> None:
    written = TEXTS.catalogue_of(language)
    with (TEXTS.LOCALES / language / "LC_MESSAGES" / "lumenstat.mo").open("rb") as file:
        compiled = read_mo(file)
    assert _all(compiled) == _all(written)


@pytest.mark.parametrize("language", TEXTS.languages())
def test_words_fill_in_what_their_text_does(language: str) -> None:
    """A name that the text does not have would break the page; one that is missing loses what it tells."""
    wrong = [
        (message.id, words)
        for message in TEXTS.catalogue_of(language)
        if message.id
        for words in _forms(message.string)
        if _named(words) - {"count"} != _named(_forms(message.id)[-1]) - {"count"}
    ]
    assert wrong == []


@pytest.mark.parametrize("language", TEXTS.languages())
def test_spaces_at_the_ends_and_codes_stay(language: str) -> None:
    for message in TEXTS.catalogue_of(language):
        for text, words in zip(_forms(message.id), _forms(message.string), strict=False):
            assert (text[:1] == " ", text[-1:] == " ") == (words[:1] == " ", words[-1:] == " "), text
            assert set(re.findall(r"`[^`]*`", text)) == set(re.findall(r"`[^`]*`", words)), text
