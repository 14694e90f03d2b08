"""The one place where text and figures from outside are let in: from forms, sockets, edits, logs and files.

What passes can be stored, shown, hashed and computed with anywhere; what cannot is refused in words.
"""

from __future__ import annotations

import json
import re
from typing import Any, NoReturn

from lumenstat.errors import InputRefused

LARGEST_FIGURE = 1e15
"""In size; whole figures up to here are exact as JSON numbers, and fit the database's columns."""
MOST_DIGITS = 40
DEEPEST_NESTING = 24
LONGEST_TEXT = 1_000_000
_UNFIT = re.compile("[\ud800-\udfff\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ufffe\uffff]")


def check_text(text: str, what: str = "the text") -> str:
    """The text, where it can be written as UTF-8 and shown. Raises InputRefused that names the character."""
    if len(text) > LONGEST_TEXT:
        raise InputRefused(f"{what} is longer than {LONGEST_TEXT:,} characters")
    found = _UNFIT.search(text)
    if found is not None:
        line = text.count("\n", 0, found.start()) + 1
        character = f"U+{ord(found.group()):04X}, line {line}"
        raise InputRefused(f"{what} holds a character that belongs to no writing ({character}); take it out")
    return text


def check_figure(figure: float, what: str = "a figure") -> float:
    """The figure, where it is finite and of a size that means something here. Raises InputRefused."""
    if not -LARGEST_FIGURE <= figure <= LARGEST_FIGURE:
        raise InputRefused(f"{what} is no figure from -1e15 to 1e15")
    return figure


def check_value(value: Any, what: str = "it", depth: int = 0) -> Any:
    """A value as JSON has them, where everything in it can be let in. Raises InputRefused."""
    if depth > DEEPEST_NESTING:
        raise InputRefused(f"{what} is nested deeper than {DEEPEST_NESTING} levels")
    match value:
        case str():
            check_text(value, what)
        case bool() | None:
            pass
        case int() | float():
            check_figure(value, what)
        case dict():
            for key, each in value.items():
                check_text(str(key), f"a key of {what}")
                check_value(each, str(key)[:60], depth + 1)
        case list() | tuple():
            for each in value:
                check_value(each, what, depth + 1)
        case _:
            raise InputRefused(f"{what} is nothing that can be written down here")
    return value


def read_json(text: str) -> Any:
    """The value of a JSON text from outside. Raises InputRefused in words where it is none or cannot be let in."""
    try:
        value = json.loads(text, parse_int=_whole, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise InputRefused(f"it cannot be read as JSON: {error.msg}, line {error.lineno}") from None
    except RecursionError:
        raise InputRefused(f"it is nested deeper than {DEEPEST_NESTING} levels") from None
    return check_value(value)


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise InputRefused(f"a figure of {len(digits):,} digits cannot be used")
    return int(digits)


def _no_constant(name: str) -> NoReturn:
    raise InputRefused(f"{name} is no figure")
