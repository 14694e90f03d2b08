"""Reads a YAML 1.2 or JSON text into plain values, once, and remembers the line of every key."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lumenstat.errors import DocumentError, InputRefused, Problem
from lumenstat.language.intake import check_text
from lumenstat.language.yaml_events import UnreadableError, read_yaml

LARGEST_DOCUMENT_BYTES = 200_000
"""Four times the largest that ships."""

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

    def problem(self, path: Path_, says: str, rule: str | None = None, items: tuple[str, ...] = ()) -> Problem:
        """A problem at the path, ready to be shown."""
        return Problem(self.file, self.line_of(path), dotted(path), says, rule, items)


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
        # Tabs may stand between the parts of JSON, and YAML does not know them.
        _check_json(text, file)
        text = text.expandtabs()
    lines: dict[Path_, int] = {(): 1}
    try:
        data = read_yaml(text, lines)
    except UnreadableError as error:
        raise DocumentError([Problem(file, error.line, dotted(error.path), str(error))]) from None
    if not isinstance(data, dict):
        raise _refusal(file, 1, "a document is a mapping that begins with a `format:` line")
    return Source(file, data, lines)


def read_source_file(path: Path) -> Source:
    """Read a document from disk; unreadable bytes are refused like any other problem."""
    try:
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        # The line of the first byte that does not fit, as for any other problem.
        line = path.read_bytes()[: error.start].count(b"\n") + 1
        raise _refusal(str(path), line, "is not UTF-8 text; save it as UTF-8") from None
    except FileNotFoundError:
        raise _refusal(str(path), 1, "no such file") from None
    except OSError as error:
        raise _refusal(str(path), 1, f"cannot be opened: {error.strerror}") from None
    return read_source(text, str(path))


def _refusal(file: str, line: int, says: str) -> DocumentError:
    return DocumentError([Problem(file, line, "", says)])


def _check_json(text: str, file: str) -> None:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise _refusal(file, error.lineno, f"cannot be read as JSON: {error.msg}") from None
    except RecursionError:
        raise _refusal(file, 1, "is nested too deeply") from None
