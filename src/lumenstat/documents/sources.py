"""Reads a YAML 1.2 or JSON text into plain values and remembers the line of every key."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from io import StringIO
from pathlib import Path
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.events import AliasEvent, CollectionStartEvent, ScalarEvent

from lumenstat.documents.intake import DEEPEST_NESTING, check_figure, check_text
from lumenstat.errors import DocumentError, InputRefused, Problem

LARGEST_DOCUMENT_BYTES = 200_000
"""Four times the largest that ships; reading takes a second or two for each 100 kB."""

Path_ = tuple[str | int, ...]


@dataclass(frozen=True)
class Source:
    """A document as plain Python values, with the 1-based line of every key path."""

    file: str
    data: Any
    lines: dict[Path_, int]

    def line_of(self, path: Path_) -> int:
        """Line of the path, or of the nearest thing around it that has one."""
        for end in range(len(path), -1, -1):
            if (line := self.lines.get(path[:end])) is not None:
                return line
        return 1

    def problem(self, path: Path_, says: str, rule: str | None = None) -> Problem:
        """A problem at the path, ready to be shown."""
        return Problem(self.file, self.line_of(path), dotted(path), says, rule)


def dotted(path: Path_) -> str:
    """`('items', 2, 'control')` as `items[2].control`."""
    text = ""
    for part in path:
        text += f"[{part}]" if isinstance(part, int) else f".{part}" if text else str(part)
    return text


def read_source(text: str, file: str) -> Source:
    """Parse a document's text. Raises DocumentError with the line of whatever cannot be read."""
    if len(text.encode("utf-8", "replace")) > LARGEST_DOCUMENT_BYTES:
        raise _refusal(file, 1, f"a document may hold at most {LARGEST_DOCUMENT_BYTES:,} bytes; split it")
    try:
        check_text(text, "the document")
    except InputRefused as error:
        raise _refusal(file, 1, str(error)) from None
    if file.endswith(".json"):
        _check_json(text, file)
        text = text.expandtabs()
    try:
        _refuse_aliases_and_depth(text, file)
        tree = YAML(typ="rt").load(StringIO(text))
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line = mark.line + 1 if mark else 1
        raise _refusal(file, line, _plain_yaml_problem(error)) from None
    except (YAMLError, RecursionError, ValueError, TypeError, LookupError, AttributeError) as error:
        # The parser fails on some texts in ways of its own: on a list within a key, for one.
        says = f"cannot be read as YAML: {str(error).splitlines()[0]}"
        raise _refusal(file, 1, says) from None
    if not isinstance(tree, CommentedMap):
        raise _refusal(file, 1, "a document is a mapping that begins with a `format:` line")
    lines: dict[Path_, int] = {(): 1}
    try:
        return Source(file, _plain(tree, (), lines), lines)
    except _FigureError as error:
        raise DocumentError([Source(file, None, lines).problem(error.path, str(error))]) from None


def read_source_file(path: Path) -> Source:
    """Read a document from disk; unreadable bytes are refused like any other problem."""
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        line = path.read_bytes()[: error.start].count(b"\n") + 1
        raise _refusal(str(path), line, "is not UTF-8 text; save it as UTF-8") from None
    except OSError as error:
        raise _refusal(str(path), 1, f"cannot be opened: {error.strerror}") from None
    return read_source(text, str(path))


def _refusal(file: str, line: int, says: str) -> DocumentError:
    return DocumentError([Problem(file, line, "", says)])


def _plain_yaml_problem(error: MarkedYAMLError) -> str:
    said = str(error.problem or error.context or "cannot be read").strip()
    if said.startswith("found duplicate key"):
        key = said.split('"')[1] if '"' in said else ""
        return f"the key {key!r} stands here twice; keep one of them"
    if "cannot start any token" in said and "\\t" in said:
        return "a tab cannot indent YAML; use spaces"
    return f"cannot be read as YAML: {said}"


def _check_json(text: str, file: str) -> None:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise _refusal(file, error.lineno, f"cannot be read as JSON: {error.msg}") from None


def _refuse_aliases_and_depth(text: str, file: str) -> None:
    depth = 0
    for event in YAML(typ="rt").parse(StringIO(text)):
        if isinstance(event, AliasEvent) or (
            isinstance(event, ScalarEvent | CollectionStartEvent) and event.anchor is not None
        ):
            line = event.start_mark.line + 1
            raise _refusal(file, line, "anchors and aliases are not used here; write the value out")
        if getattr(event, "tag", None) is not None and str(event.tag) != "!":
            line = event.start_mark.line + 1
            raise _refusal(file, line, f"tags like {str(event.tag)[:40]!r} are not used here; write the value plainly")
        if isinstance(event, CollectionStartEvent):
            depth += 1
            if depth > DEEPEST_NESTING:
                raise _refusal(file, event.start_mark.line + 1, f"nested deeper than {DEEPEST_NESTING} levels")
        elif type(event).__name__.endswith("EndEvent"):
            depth -= 1


class _FigureError(ValueError):
    """A figure that cannot be used, with its path."""

    def __init__(self, path: Path_, says: str) -> None:
        self.path = path
        super().__init__(says)


def _figure(node: float, path: Path_, lines: dict[Path_, int]) -> float:
    try:
        if isinstance(node, int):
            return int(check_figure(int(node), "this"))
        figure = float(node)
        # What is no finite figure is told of by the document's own check, key by key.
        return check_figure(figure, "this") if math.isfinite(figure) else figure
    except InputRefused as error:
        raise _FigureError(path, str(error)) from None


def _plain(node: Any, path: Path_, lines: dict[Path_, int]) -> Any:
    if isinstance(node, CommentedMap):
        plain: dict[str, Any] = {}
        for key, value in node.items():
            name = str(key)
            lines[(*path, name)] = node.lc.key(key)[0] + 1
            plain[name] = _plain(value, (*path, name), lines)
        return plain
    if isinstance(node, CommentedSeq):
        for index in range(len(node)):
            lines[(*path, index)] = node.lc.item(index)[0] + 1
        return [_plain(value, (*path, index), lines) for index, value in enumerate(node)]
    if isinstance(node, bool) or node is None:
        return node
    if isinstance(node, int | float):
        return _figure(node, path, lines)
    return str(node)
