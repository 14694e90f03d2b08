"""Texts of documents in other languages: `texts: {de: {"Main battery": "Hauptbatterie"}}`, by the text as it stands.

Only what is shown to people is told in another language. Ids, expressions, positions and units stay what they are, so
what is judged is the same in every language.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, StringConstraints

from lumenstat.language.checker import Checker
from lumenstat.language.values import Text
from lumenstat.language.wording import Names, phrase

Model = TypeVar("Model", bound=BaseModel)

LanguageCode = Annotated[str, StringConstraints(strict=True, pattern=r"^[a-z]{2}$")]
Texts = Mapping[LanguageCode, Mapping[Text, Text]]
"""By language, what a document says, and its words for it."""

SHOWN = frozenset({
    "title", "name", "brief", "summary", "challenge", "response", "good", "why", "caution", "cautions", "hints",
    "statement", "says", "words",
})  # fmt: skip
"""The fields of documents that are told to people."""
UNUSED = "words-for-nothing"


def shown_texts(document: Any) -> Iterator[str]:
    """Every text of a document, or of a part of one, that is told to people."""
    if isinstance(document, BaseModel):
        for field in type(document).model_fields:
            value = getattr(document, field)
            if field in SHOWN and isinstance(value, str):
                yield value
            elif field in SHOWN and isinstance(value, tuple) and all(isinstance(each, str) for each in value):
                yield from value
            elif field != "texts":
                yield from shown_texts(value)
    elif isinstance(document, Mapping):
        for value in document.values():
            yield from shown_texts(value)
    elif isinstance(document, tuple | list):
        for value in document:
            yield from shown_texts(value)


def told_document(document: Model, language: str) -> Model:
    """The document with what is told to people in its own words for a language."""
    texts: Texts = getattr(document, "texts", {})
    if language not in texts:
        return document
    found: Model = _told(document, Names(texts[language]))
    return found


def _told(part: Any, names: Names) -> Any:
    if isinstance(part, BaseModel):
        changed = {}
        for field in type(part).model_fields:
            value = getattr(part, field)
            new = _worded(value, names) if field in SHOWN else value if field == "texts" else _told(value, names)
            if new is not value:
                changed[field] = new
        return part.model_copy(update=changed) if changed else part
    if isinstance(part, tuple):
        new_parts = tuple(_told(each, names) for each in part)
        return new_parts if any(a is not b for a, b in zip(part, new_parts, strict=True)) else part
    if isinstance(part, dict):
        found = {key: _told(value, names) for key, value in part.items()}
        return found if any(found[key] is not value for key, value in part.items()) else part
    return part


def _worded(value: Any, names: Names) -> Any:
    if isinstance(value, str):
        return names.get(value, value)
    if isinstance(value, tuple) and all(isinstance(each, str) for each in value):
        return tuple(names.get(each, each) for each in value)
    return _told(value, names)


def check_texts(document: BaseModel, checker: Checker) -> None:
    """Note words for a text that does not stand in the document: it was changed, or is written otherwise."""
    texts: Texts = getattr(document, "texts", {})
    if not texts:
        return
    shown = set(shown_texts(document))
    for language, words in texts.items():
        for text in words:
            if text not in shown:
                says = phrase(
                    "there are words in {language} for '{text}', which stands nowhere here; it was changed, "
                    "or is written otherwise",
                    language=language,
                    text=text,
                )
                checker.wrong(("texts", language), says, UNUSED)


def without_words(document: BaseModel, language: str) -> list[str]:
    """The texts of a document that have no words in a language yet, each once."""
    texts: Texts = getattr(document, "texts", {})
    return [text for text in dict.fromkeys(shown_texts(document)) if text not in texts.get(language, {})]
