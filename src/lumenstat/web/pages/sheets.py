"""Takes in a checklist from a spreadsheet: what its columns are is asked once and remembered; nothing is lost."""

from __future__ import annotations

import csv
import io
from typing import ClassVar, Literal

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse
from starlette.datastructures import FormData, UploadFile

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.draft import shipped_library
from lumenstat.drafting.sheet import FIELD_WORDS, FIELDS, TEMPLATE, Field, plain_heading
from lumenstat.drafting.taking_in import SECONDS_AT_MOST, SheetWanted, TakenSheet, airframe_of, take_sheet
from lumenstat.errors import EditRefused, EntryRefused, InputRefused, WorkerError
from lumenstat.language.foreign_tables import LARGEST_BYTES, MOST_COLUMNS, MOST_ROWS, TableRow
from lumenstat.language.wording import phrase, phrases
from lumenstat.records.drafts import create_draft
from lumenstat.records.headings import abbreviations, headings, set_abbreviations, set_headings
from lumenstat.web import urls
from lumenstat.web.pages.drafts import Named, titled
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, Viewer

router = APIRouter()

ROWS_SHOWN = 200


class Column(Context):
    """One column: its heading, if it has one, and what it is taken to hold."""

    number: int
    heading: str
    field: str


class SheetLine(Context):
    """One line of the sheet, with what is wrong with it."""

    line: int
    cells: tuple[str, ...]
    says: str


class SheetContext(Context):
    """A sheet beside what is asked about it."""

    template: ClassVar[str] = "sheet.html"
    tab: ClassVar[str] = "drafts"
    title: str
    airframe: str
    airframes: tuple[Named, ...]
    text: str
    heading: int | None
    columns: tuple[Column, ...]
    fields: tuple[tuple[str, str], ...]
    lines: tuple[SheetLine, ...]
    more: int
    says: str | None
    wrong_count: int
    open_count: int
    own: str


@router.get("/drafts/sheet/template.{kind}", name="sheet_template")
def template(kind: Literal["csv", "xlsx"], viewer: Instructor) -> Response:
    """A sheet to fill in."""
    name = {"Content-Disposition": f'attachment; filename="checklist.{kind}"'}
    if kind == "csv":
        text = io.StringIO()
        csv.writer(text).writerows(TEMPLATE)
        return Response(text.getvalue(), media_type="text/csv; charset=utf-8", headers=name)
    from openpyxl import Workbook  # noqa: PLC0415 - slow to load, and seldom needed

    book, content = Workbook(write_only=True), io.BytesIO()
    sheet = book.create_sheet("Checklist")
    for row in TEMPLATE:
        sheet.append(row)
    book.save(content)
    kind_of = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(content.getvalue(), media_type=kind_of, headers=name)


@router.post("/drafts/sheet", name="sheet", dependencies=[CheckedForm])
async def take_in(request: Request, viewer: Instructor) -> Response:
    """Begin a draft of a sheet; where it is not understood yet, show it beside what is asked."""
    form = await request.form(max_part_size=LARGEST_BYTES)
    file = form.get("file")
    content = str(form.get("text") or "").encode()
    if isinstance(file, UploadFile) and file.filename:
        content = await file.read(LARGEST_BYTES + 1)
    return await run_in_threadpool(_take_in, request, viewer, form, content)


def _take_in(request: Request, viewer: Viewer, form: FormData, content: bytes) -> Response:
    database = request.app.state.database
    columns = _columns(form)
    own = _own(str(form.get("own"))) if form.get("own") is not None else dict(database.read(abbreviations))
    wanted = SheetWanted(
        airframe=str(form.get("airframe") or ""),
        title=titled(str(form.get("title") or viewer.says(phrase("From a sheet")))),
        columns=columns,
        heading=_heading(str(form.get("heading") or "")),
        known_headings=dict(database.read(headings)),
        own=own,
    )
    try:
        read: TakenSheet = request.app.state.reader.call(take_sheet, content, wanted, seconds=SECONDS_AT_MOST)
    except (EditRefused, InputRefused, WorkerError) as error:
        raise EntryRefused(phrase("{error:high}.", error=str(error))) from None
    # Remembered even if the sheet cannot be taken in yet: it was work to type.
    if form.get("own") is not None:
        database.write(lambda session: set_abbreviations(session, own))
    # By the words of its heading, so that the next sheet with the same head needs no question.
    if columns is not None and read.mapped.heading is not None:
        named = read.rows[read.mapped.heading]
        chosen = {plain_heading(named.cell(n)): field for n, field in columns.items()}
        database.write(lambda session: set_headings(session, chosen))
    if read.taken is None:
        return page(request, _context(read, wanted), 422 if read.problems else 200)
    begun = read.taken
    draft_id = database.write(
        lambda session: create_draft(
            session, viewer.id, viewer.name, begun.title, begun.content, viewer.says(begun.says), begun.digest
        )
    )
    return RedirectResponse(urls.builder(draft_id), 303)


def _columns(form: FormData) -> dict[int, Field] | None:
    """What somebody said that the columns are; None where they were not asked yet."""
    if form.get("asked") != "yes":
        return None
    found: dict[int, Field] = {}
    for number in range(MOST_COLUMNS):
        chosen = next((field for field in FIELDS if field == form.get(f"column-{number}")), None)
        if chosen is not None:
            found[number] = chosen
    return found


def _heading(text: str) -> int | None:
    """The place of the row that names the columns, from the number that somebody counts to from 1."""
    return int(text) - 1 if text.isdecimal() and 0 < int(text) <= MOST_ROWS else None


def _own(text: str) -> dict[str, str]:
    """A school's own abbreviations, one on a line: `EXT PWR = ground power`. Raises EntryRefused."""
    found = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        short, equals, long = line.partition("=")
        if not equals or not short.strip() or not long.strip() or len(short) > 40 or len(long) > 80:
            raise EntryRefused(
                phrase("Abbreviations, line {number}: write it like `EXT PWR = ground power`.", number=number), "own"
            )
        found[short.strip().upper()] = long.strip()
    return found


def _context(read: TakenSheet, wanted: SheetWanted) -> SheetContext:
    says: dict[int, str] = {}
    for line, what in read.problems:
        says[line] = f"{says[line]} {what}" if line in says else what
    # The first rows, and whichever have something to mend.
    shown = [row for n, row in enumerate(read.rows) if n < ROWS_SHOWN or row.line in says]
    width = max(len(row.cells) for row in read.rows)
    names = read.rows[read.mapped.heading].cells if read.mapped.heading is not None else ()
    airframes = [airframe_of(name) for name in shipped_library().ids(Airframe)]
    return SheetContext(
        title=wanted.title,
        airframe=wanted.airframe,
        airframes=tuple(Named(id=each.id, name=each.name) for each in airframes),
        text=_text_of(read.rows),
        heading=None if read.mapped.heading is None else read.mapped.heading + 1,
        columns=tuple(
            Column(number=n, heading=names[n] if n < len(names) else "", field=read.mapped.columns.get(n, "ignore"))
            for n in range(width)
        ),
        fields=tuple(FIELD_WORDS.items()),
        lines=tuple(SheetLine(line=r.line, cells=r.cells, says=says.get(r.line, "")) for r in shown),
        more=len(read.rows) - len(shown),
        says=_says(read, len(says)),
        wrong_count=len(says),
        open_count=read.open_count,
        own="\n".join(f"{short} = {long}" for short, long in wanted.own.items()),
    )


def _says(read: TakenSheet, wrong: int) -> str | None:
    if wrong:
        return phrases(
            "{count} line cannot be taken in yet. Mend it below; nothing is lost.",
            "{count} lines cannot be taken in yet. Mend them below; nothing is lost.",
            wrong,
        )
    if not read.mapped.complete:
        return phrase("Say which column is the challenge and which the response. It is remembered for the next sheet.")
    return None


def _text_of(rows: tuple[TableRow, ...]) -> str:
    """The sheet as it can be mended on the page."""
    return "\n".join("\t".join(row.cells) for row in rows)
