"""The one place where text and figures from outside are let in: from forms, sockets, edits, logs and files.

What passes can be stored, shown, hashed and computed with anywhere; what cannot is refused in words.
"""

from __future__ import annotations

import json
import re
from typing import Any, NoReturn

from lumenstat.errors import InputRefused
from lumenstat.language.wording import phrase

LARGEST_FIGURE = 1e15
"""In size; whole figures up to here are exact as JSON numbers, and fit the database's columns."""
MOST_DIGITS = 40
DEEPEST_NESTING = 24
LONGEST_TEXT = 1_000_000
_UNFIT = re.compile("[\ud800-\udfff\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ufffe\uffff]")


def check_text(text: str, what: str = phrase("the text")) -> str:
    """The text, where it can be written as UTF-8 and shown. Raises InputRefused that names the character."""
    if len(text) > LONGEST_TEXT:
        raise InputRefused(
            phrase("{what} is longer than {longest_text:,} characters", what=what, longest_text=LONGEST_TEXT)
        )
    found = _UNFIT.search(text)
    if found is not None:
        line = text.count("\n", 0, found.start()) + 1
        character = f"U+{ord(found.group()):04X}, line {line}"
        raise InputRefused(
            phrase(
                "{what} holds a character that belongs to no writing ({character}); take it out",
                what=what,
                character=character,
            )
        )
    return text


def check_figure(figure: float, what: str = "a figure") -> float:
    """The figure, where it is finite and of a size that means something here. Raises InputRefused."""
    if not -LARGEST_FIGURE <= figure <= LARGEST_FIGURE:
        raise InputRefused(phrase("{what} is no figure from -1e15 to 1e15", what=what))
    return figure


def check_value(value: Any, what: str = "it", depth: int = 0) -> Any:
    """A value as JSON has them, where everything in it can be let in. Raises InputRefused."""
    if depth > DEEPEST_NESTING:
        raise InputRefused(
            phrase("{what} is nested deeper than {deepest_nesting} levels", what=what, deepest_nesting=DEEPEST_NESTING)
        )
    match value:
        case str():
            check_text(value, what)
        # Before figures: to Python a truth is one.
        case bool() | None:
            pass
        case int() | float():
            check_figure(value, what)
        case dict():
            for key, each in value.items():
                check_text(str(key), phrase("a key of {what}", what=what))
                check_value(each, str(key)[:60], depth + 1)
        case list() | tuple():
            for each in value:
                check_value(each, what, depth + 1)
        case _:
            raise InputRefused(phrase("{what} is nothing that can be written down here", what=what))
    return value


def read_json(text: str) -> Any:
    """The value of a JSON text from outside. Raises InputRefused in words where it is none or cannot be let in."""
    try:
        # Not by the library's own reading of figures, which takes Infinity and any number of digits.
        value = json.loads(text, parse_int=_whole, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise InputRefused(
            phrase("it cannot be read as JSON: {error}, line {line}", error=error.msg, line=error.lineno)
        ) from None
    except RecursionError:
        raise InputRefused(
            phrase("it is nested deeper than {deepest_nesting} levels", deepest_nesting=DEEPEST_NESTING)
        ) from None
    return check_value(value)


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise InputRefused(phrase("a figure of {count:,} digits cannot be used", count=len(digits)))
    return int(digits)


def _no_constant(name: str) -> NoReturn:
    raise InputRefused(phrase("{name} is no figure", name=name))
