"""YAML texts as trees that can be changed and written again with their comments and their order kept."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from io import StringIO
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.scalarstring import DoubleQuotedScalarString

from lumenstat.drafting.shapes import misshapen
from lumenstat.errors import DocumentError
from lumenstat.language.sources import dotted, read_source

WORDS_OTHERS_TAKE_FOR_YES_OR_NO = {"on", "off", "yes", "no", "y", "n", "true", "false", "null", "~"}


def yaml() -> YAML:
    """The one way that drafts are read and written."""
    handler = YAML(typ="rt")
    handler.preserve_quotes = True
    handler.width = 4096
    handler.indent(mapping=2, sequence=4, offset=2)
    return handler


def tree_of(text: str) -> CommentedMap:
    """The text as a tree to be changed, with its comments.

    Raises DocumentError, with the line, where it cannot be read or has not a draft's shape.
    """
    plain_of(text)
    tree: CommentedMap = yaml().load(StringIO(text))
    return tree


@lru_cache(maxsize=128)
def plain_of(text: str) -> Mapping[str, Any]:
    """The text as plain values that are only looked at: cached, for a page looks at the same text many times.

    Raises DocumentError, as `tree_of` does.
    """
    source = read_source(text, "draft")
    if problems := [source.problem(path, f"{dotted(path)} {says}") for path, says in misshapen(source.data)]:
        raise DocumentError(problems)
    plain: Mapping[str, Any] = source.data
    return plain


def text_of(tree: CommentedMap) -> str:
    """The tree as text."""
    out = StringIO()
    yaml().dump(tree, out)
    return out.getvalue()


def written(value: Any) -> Any:
    """A plain value as it stands in a tree: texts that other readers could take for something else in quotes."""
    if isinstance(value, str):
        # "ON", "8" or "no" would come back as something else than a text.
        return DoubleQuotedScalarString(value) if _needs_quotes(value) else value
    if isinstance(value, dict):
        tree = CommentedMap((key, written(each)) for key, each in value.items())
        tree.fa.set_flow_style()
        return tree
    if isinstance(value, list | tuple):
        row = CommentedSeq(written(each) for each in value)
        # Plain values stand on one line; a list of items has a line for each.
        if all(not isinstance(each, dict) for each in value):
            row.fa.set_flow_style()
        return row
    return value


def _needs_quotes(value: str) -> bool:
    if value.lower() in WORDS_OTHERS_TAKE_FOR_YES_OR_NO:
        return True
    try:
        float(value)
    except ValueError:
        return False
    return True


def lists_of_items(tree: Mapping[str, Any]) -> Iterator[list[Any]]:
    """Every list of items: of sections, of branches, of what follows a bad reading."""
    for section in tree.get("sections") or ():
        yield from _inside(section.get("items"))


def _inside(items: list[Any] | None) -> Iterator[list[Any]]:
    if items is None:
        return
    yield items
    for item in list(items):
        for branch in item.get("branches") or ():
            yield from _inside(branch.get("items"))
        if item.get("if_not"):
            yield from _inside(item["if_not"].get("items"))


def find_item(tree: Mapping[str, Any], name: str) -> tuple[list[Any], int] | None:
    """The list that an item stands in, and where in it."""
    for items in lists_of_items(tree):
        for number, item in enumerate(items):
            if item.get("id") == name:
                return items, number
    return None


def ids_of(tree: Mapping[str, Any]) -> list[str]:
    """The ids of all items."""
    return [str(item.get("id", "")) for items in lists_of_items(tree) for item in items]
