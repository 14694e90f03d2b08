"""`lumenstat/checklist/1`: what is to be done, in which order, and why. Each kind of item has a room in `items`."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lumenstat.documents.translating import Texts
from lumenstat.items.registry import Item
from lumenstat.language.values import DocumentId, Since, Text, Written


class Section(Written):
    """Items that belong together, in strict or in any order."""

    id: DocumentId
    title: Text
    style: Literal["read-and-do", "flow-then-check"] = "read-and-do"
    order: Literal["strict", "any"] = "strict"
    line_after: DocumentId | None = None
    floats_until: DocumentId | None = None
    items: Annotated[tuple[Item, ...], Field(min_length=1)]


class Checklist(Written):
    """A checklist document: one procedure set's version for one airframe."""

    format: Literal["lumenstat/checklist/1"]
    id: DocumentId
    name: Text
    airframe: DocumentId
    procedure_set: Text
    version: Text
    sections: Annotated[tuple[Section, ...], Field(min_length=1)]
    texts: Annotated[Texts, Since("0.8")] = {}
