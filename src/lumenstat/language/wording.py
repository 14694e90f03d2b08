"""Texts for people, which can be told in another language: an English template and what is filled into it.

A `Phrase` is its English text, so that nothing has to know of languages; it also keeps what it was made of, and `told`
tells it anew in the words of a catalogue. Figures stay as instruments show them, with a decimal point.
"""

from __future__ import annotations

import gettext
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache, lru_cache
from pathlib import Path
from typing import Annotated, Any, Protocol

from babel import Locale
from babel.dates import format_date, format_datetime
from pydantic import GetCoreSchemaHandler, SerializationInfo
from pydantic_core import CoreSchema, core_schema

LOCALES = Path(__file__).parents[1] / "locale"
DOMAIN = "lumenstat"
SOURCE_LANGUAGE = "en"
MARK = "phrase~"
"""The key under which JSON holds the parts of a phrase."""
KEEP_PARTS = {"keep_parts": True}
"""The context with which a model is written as JSON so that its phrases can be told in other languages afterwards."""

Part = str | tuple[str, str | None, Mapping[str, Any]] | Mapping[str, str]
"""Text as it is; a template, its plural (chosen by the value `count`) and the values of its `{names}`; or a text that
brings its words of each language along."""


DATE_PARTS = {
    "%A": "EEEE", "%a": "EEE", "%-d": "d", "%d": "dd", "%B": "MMMM", "%b": "MMM", "%m": "MM", "%Y": "y",
    "%H": "HH", "%M": "mm",
}  # fmt: skip
"""Parts of dates as `strftime` and as the Unicode locale data write them."""


class Names(dict[str, str]):
    """What documents say, and their words for it in one language; one object for one bundle and language."""

    __slots__ = ()
    __hash__ = object.__hash__  # type: ignore[assignment]


class Catalogue(Protocol):
    """The words of one language."""

    def gettext(self, message: str, /) -> str:
        """A template in this language."""

    def ngettext(self, msgid1: str, msgid2: str, n: int, /) -> str:
        """A template in this language for so many."""

    def info(self) -> dict[str, str]:
        """What its head says of it: its language among others."""


class _Value(str):
    """A text that is filled into another: `{x:low}` begins it small, `{x:high}` large, `{x:bare}` drops its full stop,
    `{x:head}` is what stands before its first colon, `{x:short}` its first two letters."""

    __slots__ = ()

    def __format__(self, spec: str) -> str:
        match spec:
            case "low":
                return _going_on(self)
            case "high":
                return f"{self[:1].upper()}{self[1:]}"
            case "bare":
                return self.rstrip(".")
            case "short":
                return self[:2].capitalize()
            case "head":
                return self.split(":", 1)[0]
            case _:
                return super().__format__(spec)


def _going_on(text: str) -> str:
    """A sentence as it goes on within another; what begins with a name, such as 'Left AC', keeps its capital."""
    second = text.split(" ", 2)[1:2]
    named = bool(second) and second[0].isupper()
    return f"{text[:1].lower()}{text[1:]}" if text[1:2].islower() and not named else text


class Phrase(str):
    """A text made of templates and their values; as a `str` it is English."""

    __slots__ = ("parts",)
    parts: tuple[Part, ...]

    def __new__(cls, *parts: Part) -> Phrase:
        """The English text of these parts."""
        made = super().__new__(cls, "".join(_filled(part, None) for part in parts))
        made.parts = parts
        return made

    def __str__(self) -> str:
        return self

    def __add__(self, other: str) -> Phrase:
        return Phrase(*self.parts, *_parts(other))

    def __radd__(self, other: str) -> Phrase:
        return Phrase(*_parts(other), *self.parts)

    def __reduce__(self) -> tuple[type[Phrase], tuple[Part, ...]]:
        return Phrase, self.parts


def phrase(template: str, /, **values: Any) -> str:
    """A text with the values of its `{names}`; values may be phrases themselves."""
    return Phrase((template, None, _kept_values(values)))


def phrases(one: str, many: str, count: int, /, **values: Any) -> str:
    """A text that is another for one than for several; `{count}` stands for how many."""
    return Phrase((one, many, {"count": count, **_kept_values(values)}))


def _kept_values(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values as they can be stored: texts, figures and dates; of others, errors above all, what they say."""
    return {name: each if isinstance(each, str | int | float | date) else str(each) for name, each in values.items()}


def in_languages(text: str, others: Mapping[str, str]) -> str:
    """A text that documents say, with their own words for it by language."""
    return Phrase({SOURCE_LANGUAGE: text, **others}) if others else text


def joined(between: str, texts: Iterable[str]) -> str:
    """Texts one after another, with something between them."""
    parts: list[Part] = []
    for number, text in enumerate(texts):
        parts += _parts(between) if number else ()
        parts += _parts(text)
    return Phrase(*parts)


def told(text: str, catalogue: Catalogue | None, names: Names | None = None) -> str:
    """A text in the words of a catalogue, in English without one, and what documents say in theirs."""
    if not isinstance(text, Phrase):
        return names.get(text, text) if names else text
    return "".join(_filled(part, catalogue, names) for part in text.parts)


def _parts(text: str) -> tuple[Part, ...]:
    return text.parts if isinstance(text, Phrase) else (text,)


def _filled(part: Part, catalogue: Catalogue | None, names: Names | None = None) -> str:
    if isinstance(part, str):
        return names.get(part, part) if names else part
    if isinstance(part, Mapping):
        language = catalogue.info()["language"] if catalogue else SOURCE_LANGUAGE
        return part.get(language, part[SOURCE_LANGUAGE])
    one, many, values = part
    if catalogue is None:
        template = one if many is None or values["count"] == 1 else many
    else:
        template = catalogue.gettext(one) if many is None else catalogue.ngettext(one, many, values["count"])
    if not values:
        return template
    return template.format(**filled_in(values, catalogue, names))


def filled_in(values: Mapping[str, Any], catalogue: Catalogue | None, names: Names | None = None) -> dict[str, Any]:
    """Values as they are filled into a template: texts are told; figures, and HTML, stay as they are."""
    return {name: _value(each, catalogue, names) for name, each in values.items()}


def _value(value: Any, catalogue: Catalogue | None, names: Names | None) -> Any:
    if isinstance(value, str):
        return value if hasattr(value, "__html__") else _Value(told(value, catalogue, names))
    if isinstance(value, date) and catalogue is not None:
        return _Date(value, catalogue.info()["language"])
    return value


@dataclass(frozen=True)
class _Date:
    """A day or a moment, formatted as `strftime` does with the names of another language."""

    when: date
    language: str

    def __format__(self, spec: str) -> str:
        for ours, theirs in DATE_PARTS.items():
            spec = spec.replace(ours, theirs)
        shaped = format_datetime if isinstance(self.when, datetime) else format_date
        return str(shaped(self.when, spec, locale=self.language))


# ---- languages -------------------------------------------------------------------------------------------------------


@cache
def languages() -> tuple[str, ...]:
    """The languages that there are words of: English, and those with a catalogue."""
    return (SOURCE_LANGUAGE, *sorted(path.parents[1].name for path in LOCALES.glob(f"*/LC_MESSAGES/{DOMAIN}.mo")))


def catalogue_file(language: str) -> Path:
    """Where the compiled catalogue of a language is."""
    return LOCALES / language / "LC_MESSAGES" / f"{DOMAIN}.mo"


@cache
def catalogue_of(language: str) -> Catalogue | None:
    """The words of a language; None for English and for one that there are no words of."""
    if language == SOURCE_LANGUAGE or language not in languages():
        return None
    return gettext.translation(DOMAIN, LOCALES, [language])


def language_name(language: str) -> str:
    """A language as those who speak it call it."""
    name = Locale.parse(language).get_display_name(language) or language
    return f"{name[:1].upper()}{name[1:]}"


# ---- in models and their JSON ----------------------------------------------------------------------------------------


class _KeepsPhrases:
    """A text in a model that stays a phrase; in JSON it is English, or its parts where the writer asks for them."""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        written = core_schema.plain_serializer_function_ser_schema(_written, info_arg=True, when_used="json")
        return core_schema.no_info_plain_validator_function(
            from_json, json_schema_input_schema=core_schema.str_schema(), serialization=written
        )


def keeping_phrases(schema: Any) -> Any:
    """A model's core schema in which every plain text may be a phrase and stays one."""
    if isinstance(schema, list):
        return [keeping_phrases(each) for each in schema]
    if not isinstance(schema, dict):
        return schema
    if schema.get("type") == "str" and set(schema) <= {"type", "metadata"}:
        return core_schema.is_instance_schema(str)
    return {key: value if key in ("default", "metadata") else keeping_phrases(value) for key, value in schema.items()}


def from_json(value: Any) -> str:
    """A text, or what `as_json` made of a phrase. Raises ValueError."""
    if isinstance(value, str):
        return value
    if isinstance(value, dict) and isinstance(value.get(MARK), list):
        return Phrase(*(_part_from_json(part) for part in value[MARK]))
    raise ValueError("a text, or the parts of one")


def _part_from_json(part: Any) -> Part:
    if isinstance(part, str | Mapping):
        return part
    one, many, values = part
    return one, many, {name: from_json(value) if isinstance(value, dict) else value for name, value in values.items()}


def as_json(text: Any) -> Any:
    """A phrase with its parts, so that it can be told later; other values as they are."""
    if not isinstance(text, Phrase):
        return text
    return {MARK: [_part_as_json(part) for part in text.parts]}


def _part_as_json(part: Part) -> Any:
    if isinstance(part, str | Mapping):
        return part
    return [part[0], part[1], {name: as_json(value) for name, value in part[2].items()}]


def kept(content: Any) -> Any:
    """Content for JSON in which phrases keep their parts."""
    if isinstance(content, dict):
        return {key: kept(value) for key, value in content.items()}
    if isinstance(content, list | tuple):
        return [kept(value) for value in content]
    return as_json(content)


@lru_cache(maxsize=256)
def retold(content: str, language: str, names: Names | None = None) -> str:
    """JSON in which each phrase that `as_json` wrote is told in a language; other content as it is."""
    if MARK not in content:
        return content
    catalogue = catalogue_of(language)

    def tell(found: dict[str, Any]) -> Any:
        return told(from_json(found), catalogue, names) if MARK in found else found

    # From the inside outwards: what stands in the values of a phrase is told first, and is then a text among others.
    return json.dumps(json.loads(content, object_hook=tell), separators=(",", ":"), ensure_ascii=False)


def _written(text: str, info: SerializationInfo) -> Any:
    return as_json(text) if info.context and info.context.get("keep_parts") else "".join((text,))


Words = Annotated[str, _KeepsPhrases()]
"""A field of a model that is told to people in their language."""
