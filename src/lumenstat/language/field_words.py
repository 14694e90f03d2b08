"""What is wrong with a field of a form, in our words: those of the library that checks it stand in no catalogue."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from lumenstat.language.wording import phrase

_WHOLE = phrase("a whole number is needed")
_FIGURE = phrase("a figure is needed")

WORDS: Mapping[str, Callable[[Mapping[str, Any]], str]] = {
    "missing": lambda _: phrase("something is needed here"),
    "int_parsing": lambda _: _WHOLE,
    "int_from_float": lambda _: _WHOLE,
    "float_parsing": lambda _: _FIGURE,
    "finite_number": lambda _: _FIGURE,
    "bool_parsing": lambda _: phrase("it is true or false"),
    "greater_than_equal": lambda limits: phrase("at least {least} is needed", least=limits["ge"]),
    "greater_than": lambda limits: phrase("more than {least} is needed", least=limits["gt"]),
    "less_than_equal": lambda limits: phrase("at most {most} is allowed", most=limits["le"]),
    "less_than": lambda limits: phrase("less than {most} is needed", most=limits["lt"]),
    "string_too_short": lambda limits: phrase("at least {least} characters are needed", least=limits["min_length"]),
    "string_too_long": lambda limits: phrase("at most {most} characters are allowed", most=limits["max_length"]),
    "literal_error": lambda limits: phrase("it is one of {choices}", choices=limits["expected"].replace(" or ", ", ")),
}
"""By the type that pydantic names, of the limits that it names."""


def field_words(error: Mapping[str, Any]) -> str:
    """One of `ValidationError.errors()`, without a full stop; of a type that has no words here, what pydantic says."""
    words = WORDS.get(error["type"])
    return words(error.get("ctx", {})) if words else str(error["msg"])
