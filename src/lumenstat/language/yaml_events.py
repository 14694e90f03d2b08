"""YAML as libyaml's events, put together into plain values by the YAML 1.2 core schema.

`ON`, `12:40` and `no` stay text. Anchors, aliases and tags are refused: a document says everything where it stands.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from typing import Any

import yaml

from lumenstat.errors import InputRefused
from lumenstat.language.intake import DEEPEST_NESTING, MOST_DIGITS, check_figure

Path_ = tuple[str | int, ...]
Lines = dict[Path_, int]

_CONSTANTS: dict[str, Any] = {
    **dict.fromkeys(("", "~", "null", "Null", "NULL")),
    **dict.fromkeys(("true", "True", "TRUE"), True),
    **dict.fromkeys(("false", "False", "FALSE"), False),
    **dict.fromkeys((".inf", ".Inf", ".INF", "+.inf", "+.Inf", "+.INF"), math.inf),
    **dict.fromkeys(("-.inf", "-.Inf", "-.INF"), -math.inf),
    **dict.fromkeys((".nan", ".NaN", ".NAN"), math.nan),
}
_WHOLE = re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+")
_FIGURE = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")


class UnreadableError(ValueError):
    """A text that cannot be read, with the line and the path of what is wrong."""

    def __init__(self, line: int, path: Path_, says: str) -> None:
        self.line, self.path = line, path
        super().__init__(says)


def read_yaml(text: str, lines: Lines) -> Any:
    """The value of a text of one document; puts the line of every key and entry into `lines`.

    Raises UnreadableError.
    """
    try:
        return _Reader(yaml.parse(text, Loader=yaml.CSafeLoader), lines).document()
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line = mark.line + 1 if mark else 1
        raise UnreadableError(line, (), _plain_problem(error, text)) from None
    except yaml.YAMLError as error:
        raise UnreadableError(1, (), f"cannot be read as YAML: {str(error).splitlines()[0]}") from None


def _plain_problem(error: yaml.MarkedYAMLError, text: str) -> str:
    said = str(error.problem or error.context or "cannot be read").strip()
    # The library's own bound, told as ours.
    if "nesting depth" in said:
        return f"nested deeper than {DEEPEST_NESTING} levels"
    mark = error.problem_mark
    if mark is not None and "cannot start any token" in said:
        line = text.splitlines()[mark.line : mark.line + 1]
        if line and line[0][mark.column : mark.column + 1] == "\t":
            return "a tab cannot indent YAML; use spaces"
    return f"cannot be read as YAML: {said}"


def _line(event: Any) -> int:
    return int(event.start_mark.line) + 1


class _Reader:
    """Puts values together from events."""

    def __init__(self, events: Iterable[Any], lines: Lines) -> None:
        self._events = self._checked(events)
        self._lines = lines

    @staticmethod
    def _checked(events: Iterable[Any]) -> Iterator[Any]:
        """Every event, unless it is one that documents do without."""
        depth, documents = 0, 0
        for event in events:
            line = _line(event)
            if getattr(event, "anchor", None) is not None:
                raise UnreadableError(line, (), "anchors and aliases are not used here; write the value out")
            # A bare exclamation mark only says that it is a text.
            tag = getattr(event, "tag", None)
            if tag is not None and tag != "!":
                raise UnreadableError(line, (), f"tags like {tag[:40]!r} are not used here; write the value plainly")
            if isinstance(event, yaml.CollectionStartEvent):
                depth += 1
                if depth > DEEPEST_NESTING:
                    raise UnreadableError(line, (), f"nested deeper than {DEEPEST_NESTING} levels")
            elif isinstance(event, yaml.CollectionEndEvent):
                depth -= 1
            elif isinstance(event, yaml.DocumentStartEvent):
                documents += 1
                if documents > 1:
                    raise UnreadableError(line, (), "holds more than one document; give each a file of its own")
            yield event

    def document(self) -> Any:
        """The value of the document; None where there is none."""
        value = None
        for event in self._events:
            if isinstance(event, yaml.NodeEvent):
                value = self._value(event, ())
        return value

    def _value(self, event: Any, path: Path_) -> Any:
        if isinstance(event, yaml.ScalarEvent):
            return self._scalar(event, path)
        if isinstance(event, yaml.MappingStartEvent):
            return self._mapping(path)
        return self._sequence(path)

    def _mapping(self, path: Path_) -> dict[str, Any]:
        found: dict[str, Any] = {}
        while not isinstance(event := next(self._events), yaml.MappingEndEvent):
            line = _line(event)
            if not isinstance(event, yaml.ScalarEvent):
                raise UnreadableError(line, path, "a key is one plain word, not a list or a mapping")
            name = str(self._scalar(event, path))
            # A second value would silently win.
            if name in found:
                raise UnreadableError(line, (*path, name), f"the key {name!r} stands here twice; keep one of them")
            at = (*path, name)
            self._lines[at] = line
            found[name] = self._value(next(self._events), at)
        return found

    def _sequence(self, path: Path_) -> list[Any]:
        found: list[Any] = []
        while not isinstance(event := next(self._events), yaml.SequenceEndEvent):
            at = (*path, len(found))
            self._lines[at] = _line(event)
            found.append(self._value(event, at))
        return found

    @staticmethod
    def _scalar(event: yaml.ScalarEvent, path: Path_) -> Any:
        text: str = event.value
        # Quoted, so text whatever it looks like.
        if not event.implicit[0]:
            return text
        if text in _CONSTANTS:
            return _CONSTANTS[text]
        try:
            if _WHOLE.fullmatch(text):
                if len(text) > MOST_DIGITS:
                    raise InputRefused(f"a figure of {len(text):,} digits cannot be used")
                return int(
                    check_figure(int(text, 0 if text.startswith("0") and text[1:2] in ("o", "x") else 10), "this")
                )
            if _FIGURE.fullmatch(text):
                figure = float(text)
                # What is no finite figure is told of by the document's own check, key by key.
                return check_figure(figure, "this") if math.isfinite(figure) else figure
        except InputRefused as error:
            raise UnreadableError(_line(event), path, str(error)) from None
        return text
