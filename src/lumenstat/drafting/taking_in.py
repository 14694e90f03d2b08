"""Begins a draft from files, in a process of its own: reading a large file takes long, and some are made to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.beginnings import from_sheet, from_texts
from lumenstat.drafting.draft import Draft, read_draft, shipped_library
from lumenstat.drafting.spreadsheet import read_sheet
from lumenstat.drafting.trees import plain_of
from lumenstat.errors import EditRefused
from lumenstat.language.intake import check_text

Kind = Literal["sheet", "yaml"]
SECONDS_AT_MOST = 20.0


@dataclass(frozen=True)
class TakenIn:
    """A draft made of files: its content as it is kept, its title, what was done, the digest it amounts to if any."""

    content: str
    title: str
    says: str
    digest: str | None


def take_in(
    progress: Callable[[str, int, int], None],
    kind: Kind,
    files: Sequence[tuple[str, bytes]],
    airframe: str,
    title: str,
) -> TakenIn:
    """A draft of a sheet or of YAML texts. Raises DocumentError, EditRefused and InputRefused in words."""
    progress("reading the files", 0, len(files))
    if kind == "sheet":
        plane = airframe_of(airframe)
        rows = read_sheet(files[0][1] if files else b"", plane)
        draft, says = from_sheet(plane, title, rows), f"took in {len(rows)} lines"
    else:
        texts = [(name, _text(name, content)) for name, content in files]
        draft, says = from_texts(texts), f"took in {len(texts)} documents"
    return TakenIn(draft.to_json(), title_of(draft), says, read_draft(draft).digest)


def title_of(draft: Draft) -> str:
    """The exercise's title as it is written now."""
    return str(plain_of(draft.exercise).get("title") or "Untitled")[:200]


def airframe_of(name: str) -> Airframe:
    """The shipped airframe of that id. Raises EditRefused where there is none."""
    found = shipped_library().find(Airframe, name)
    if found is None or not isinstance(found.document, Airframe):
        raise EditRefused("Choose an airframe.")
    return found.document


def _text(name: str, content: bytes) -> str:
    try:
        return check_text(content.decode("utf-8-sig"), name[:60])
    except UnicodeDecodeError:
        raise EditRefused(f"{name[:60]} is not UTF-8 text; save it as UTF-8.") from None
