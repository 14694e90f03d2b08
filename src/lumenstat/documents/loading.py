"""From text to a checked document: every problem in one pass, with its line and what would be right."""

from __future__ import annotations

import copy
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Exercise
from lumenstat.errors import DocumentError, Problem
from lumenstat.language.sources import Path_, Source, read_source, read_source_file
from lumenstat.language.values import nearest

Document = Airframe | Checklist | Exercise

FORMATS: dict[str, type[Document]] = {
    "lumenstat/airframe/1": Airframe,
    "lumenstat/checklist/1": Checklist,
    "lumenstat/exercise/1": Exercise,
}


@dataclass(frozen=True)
class Loaded:
    """A document as far as it could be understood, and what is wrong with it.

    `document` is there even when some parts were wrong: those parts were left out so that the rest could be
    checked too. It must not be used unless `problems` is empty.
    """

    source: Source
    document: Document | None
    problems: tuple[Problem, ...]
    left_out: frozenset[str] = frozenset()
    """Ids of the parts that were left out."""

    def caused_here(self, problems: Sequence[Problem]) -> list[Problem]:
        """Without those that only say that a part which was left out is not there: one slip is one problem."""
        return [each for each in problems if not self.left_out & set(_names_in(each.says))]

    def usable(self) -> Document:
        """The document, or a DocumentError with every problem."""
        if self.problems or self.document is None:
            raise DocumentError(list(self.problems))
        return self.document


def load_text(text: str, file: str) -> Loaded:
    """Load a document from its text."""
    try:
        return _structure(read_source(text, file))
    except DocumentError as error:
        return Loaded(Source(file, None, {(): 1}), None, error.problems)


def load_file(path: Path) -> Loaded:
    """Load a document from disk."""
    try:
        return _structure(read_source_file(path))
    except DocumentError as error:
        return Loaded(Source(str(path), None, {(): 1}), None, error.problems)


def _structure(source: Source) -> Loaded:
    written = source.data.get("format")
    model = FORMATS.get(written) if isinstance(written, str) else None
    if model is None:
        says = f"`format:` must be one of {', '.join(FORMATS)}"
        return Loaded(source, None, (source.problem(("format",), says),))
    try:
        return Loaded(source, model.model_validate(source.data), ())
    except ValidationError as error:
        problems, paths = _problems(error, source, model)
    # What is wrong is left out and the rest is read, so that the other checks have something to look at.
    left_out = frozenset(name for path in paths if (name := _id_around(source.data, path)) is not None)
    return Loaded(source, _without(source.data, paths, model), tuple(problems), left_out)


def _id_around(data: Any, path: Path_) -> str | None:
    """The id of the innermost part around a place."""
    found = None
    for part in path:
        if isinstance(data, dict) and isinstance(data.get("id"), str):
            found = data["id"]
        inside = part in data if isinstance(data, dict) else isinstance(part, int) and part < len(data)
        if not isinstance(data, dict | list) or not inside:
            break
        data = data[part]  # type: ignore[index]
    return data["id"] if isinstance(data, dict) and isinstance(data.get("id"), str) else found


def _names_in(says: str) -> Iterator[str]:
    """The parts of the first name that a problem quotes."""
    quoted = re.search(r"'([^']+)'", says)
    yield from quoted.group(1).split(".") if quoted else ()


def _problems(error: ValidationError, source: Source, model: type[BaseModel]) -> tuple[list[Problem], list[Path_]]:
    problems, paths = [], []
    found = error.errors(include_url=False)
    for each in found:
        if each["type"] == "too_short" and any(_inside(other["loc"], each["loc"]) for other in found):
            continue  # it is only too short because what is in it was wrong
        path = _path_in(source.data, each["loc"])
        # Such an error lies in the mapping around a key; the key itself is what an author looks for.
        if each["type"] in ("missing", "extra_forbidden"):
            path = (*path, each["loc"][-1]) if path[-1:] != (each["loc"][-1],) else path
        paths.append(path)
        problems.append(source.problem(path, _remedy(dict(each), path, source, model)))
    return problems, paths


def _inside(loc: tuple[int | str, ...], around: tuple[int | str, ...]) -> bool:
    return len(loc) > len(around) and loc[: len(around)] == around


def _path_in(data: Any, loc: tuple[int | str, ...]) -> Path_:
    """The error's place as keys that are really in the document (union tags left out)."""
    path: list[str | int] = []
    for part in loc:
        here: Any = data
        inside = part in here if isinstance(here, dict) else isinstance(part, int) and part < len(here)
        if isinstance(here, dict | list) and inside:
            data = here[part]  # type: ignore[index]
        else:
            continue
        path.append(part)
    return tuple(path)


def _remedy(error: dict[str, Any], path: Path_, source: Source, model: type[BaseModel]) -> str:
    said = str(error["msg"])
    if error["type"] == "missing":
        return f"needs the key {path[-1]!r}"
    if error["type"] == "extra_forbidden":
        return f"has no key {path[-1]!r}{nearest(str(path[-1]), _keys_beside(error['loc'], model))}"
    if error["type"] == "union_tag_invalid":
        return f"{error['ctx']['tag']!r} is no kind of item; use one of {error['ctx']['expected_tags']}"
    if error["type"] == "union_tag_not_found":
        return "needs the key 'kind'"
    if error["type"] == "string_pattern_mismatch":
        return f"{error['input']!r} is not a name here; use small letters, figures and _, beginning with a letter"
    # Long input is repeated by the library in full; a line of output is enough.
    return said.removeprefix("Value error, ").removeprefix("Input ")[:300]


def _keys_beside(loc: tuple[int | str, ...], model: type[BaseModel]) -> list[str]:
    """The keys that the model around an unknown key does have, as far as its types tell."""
    schema = model.model_json_schema(by_alias=True)
    # Walks the schema along the path, as far as it can be told which type stands there.
    definitions = schema.get("$defs", {})

    def resolve(node: dict[str, Any]) -> dict[str, Any]:
        while "$ref" in node:
            node = definitions[node["$ref"].rsplit("/", 1)[1]]
        return node

    node = resolve(schema)
    for part in loc[:-1]:
        if isinstance(part, int):
            node = resolve(node.get("items", {}))
        elif part in node.get("properties", {}):
            node = resolve(node["properties"][part])
        elif "discriminator" in node:
            node = resolve({"$ref": node["discriminator"]["mapping"].get(part, next(iter(definitions)))})
        if "anyOf" in node:
            node = resolve(node["anyOf"][0])
    return list(node.get("properties", {}))


def _without(data: Any, paths: list[Path_], model: type[Document]) -> Document | None:
    """The document without its wrong parts, if what is left stands on its own."""
    pruned = copy.deepcopy(data)
    for path in sorted(paths, key=lambda p: [str(x).zfill(6) for x in p], reverse=True):
        _prune(pruned, path)
    try:
        return model.model_validate(pruned)
    except ValidationError:
        return None


def _prune(data: Any, path: Path_) -> None:
    """Take out the innermost list entry around the path, or else the key itself."""
    # A whole entry: half of an item would bring problems that its author never made.
    cut = max((n for n, part in enumerate(path) if isinstance(part, int)), default=len(path) - 1)
    for part in path[:cut]:
        try:
            data = data[part]
        except (KeyError, IndexError, TypeError):
            return
    last = path[cut]
    if isinstance(data, list) and isinstance(last, int):
        if last < len(data):
            del data[last]
    elif isinstance(data, dict):
        data.pop(last, None)
