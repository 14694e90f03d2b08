"""Begins a draft from files, in a process of its own: reading a large file takes long, and some are made to."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.abbreviations import shipped_abbreviations
from lumenstat.drafting.beginnings import from_sheet, from_texts
from lumenstat.drafting.draft import Draft, read_draft, shipped_library
from lumenstat.drafting.sheet import Field, Mapped, guess_columns, read_sheet
from lumenstat.drafting.trees import plain_of
from lumenstat.errors import EditRefused
from lumenstat.language.foreign_tables import TableRow, read_table
from lumenstat.language.intake import check_text
from lumenstat.language.wording import phrase

SECONDS_AT_MOST = 20.0


@dataclass(frozen=True)
class ImportedDraft:
    """A draft made of files: its content as it is kept, its title, what was done, the digest it amounts to if any."""

    content: str
    title: str
    says: str
    digest: str | None


def take_in(
    progress: Callable[[str, int, int], None],
    files: Sequence[tuple[str, bytes]],
) -> ImportedDraft:
    """A draft of YAML texts. Raises DocumentError, EditRefused and InputRefused in words."""
    progress(phrase("reading the files"), 0, len(files))
    texts = [(name, _text(name, content)) for name, content in files]
    draft, says = from_texts(texts), phrase("took in {count} documents", count=len(texts))
    return ImportedDraft(draft.to_json(), title_of(draft), says, read_draft(draft).digest)


@dataclass(frozen=True)
class SheetWanted:
    """How a sheet is to be read: for which airframe, under which title; columns only where somebody chose them.

    `known_headings` are those mapped before, `own` abbreviations of the school.
    """

    airframe: str
    title: str
    columns: Mapping[int, Field] | None
    heading: int | None
    known_headings: Mapping[str, str]
    own: Mapping[str, str]


@dataclass(frozen=True)
class TakenSheet:
    """A sheet as it was understood: its rows, its columns, what is wrong by line; the draft once nothing is."""

    rows: tuple[TableRow, ...]
    mapped: Mapped
    problems: tuple[tuple[int, str], ...]
    open_count: int
    taken: ImportedDraft | None


def take_sheet(progress: Callable[[str, int, int], None], content: bytes, wanted: SheetWanted) -> TakenSheet:
    """A draft of a spreadsheet, or how far it is understood. Raises EditRefused and InputRefused in words."""
    progress(phrase("reading the sheet"), 0, 1)
    plane = airframe_of(wanted.airframe)
    rows = tuple(read_table(content))
    mapped = guess_columns(rows, wanted.known_headings)
    if wanted.columns is not None:
        # The heading that was chosen may lie beyond what is left of the sheet.
        heading = wanted.heading if wanted.heading is not None and wanted.heading < len(rows) else None
        mapped = Mapped(wanted.columns, heading)
    if not mapped.complete:
        return TakenSheet(rows, mapped, (), 0, None)
    read = read_sheet(rows, mapped, plane, shipped_abbreviations().with_own(wanted.own))
    left_open = sum(row.open for row in read.rows)
    # Columns that were only guessed by their place are shown first: a column of notes is easily taken for an answer.
    if read.problems or (wanted.columns is None and not mapped.headed):
        return TakenSheet(rows, mapped, read.problems, left_open, None)
    draft = from_sheet(plane, wanted.title, read.rows)
    says = (
        phrase("took in {count} lines, {left_open} of them open", count=len(read.rows), left_open=left_open)
        if left_open
        else phrase("took in {count} lines", count=len(read.rows))
    )
    return TakenSheet(
        rows, mapped, (), left_open, ImportedDraft(draft.to_json(), title_of(draft), says, read_draft(draft).digest)
    )


def title_of(draft: Draft) -> str:
    """The exercise's title as it is written now."""
    return str(plain_of(draft.exercise).get("title") or "Untitled")[:200]


def airframe_of(name: str) -> Airframe:
    """The shipped airframe of that id. Raises EditRefused where there is none."""
    found = shipped_library().find(Airframe, name)
    if found is None or not isinstance(found.document, Airframe):
        raise EditRefused(phrase("Choose an airframe."))
    return found.document


def _text(name: str, content: bytes) -> str:
    try:
        return check_text(content.decode("utf-8-sig"), name[:60])
    except UnicodeDecodeError:
        raise EditRefused(phrase("{name} is not UTF-8 text; save it as UTF-8.", name=name[:60])) from None
