"""Any list as a table that leaves: CSV, or XLSX with dates and figures as such."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

Cell = str | float | datetime | None
FORMULA = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True)
class Table:
    """A file that is made: its bytes and what they are."""

    content: bytes
    media_type: str


def as_csv(heads: Sequence[str], rows: Sequence[Sequence[Cell]]) -> Table:
    """A table in UTF-8; times in ISO 8601."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(heads)
    writer.writerows([_text(cell) for cell in row] for row in rows)
    return Table(text.getvalue().encode(), "text/csv; charset=utf-8")


def as_xlsx(title: str, heads: Sequence[str], rows: Sequence[Sequence[Cell]]) -> Table:
    """A workbook with one sheet."""
    from openpyxl import Workbook  # noqa: PLC0415 - slow to load, and only where a workbook is made

    book, content = Workbook(write_only=True), io.BytesIO()
    sheet = book.create_sheet(title)
    sheet.append(list(heads))
    for row in rows:
        # A cell that begins like a formula would be run by whoever opens the file.
        sheet.append([_plain(cell) if isinstance(cell, str) else cell for cell in row])
    book.save(content)
    return Table(content.getvalue(), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")


def _text(cell: Cell) -> str:
    if isinstance(cell, datetime):
        return cell.isoformat(timespec="minutes")
    if isinstance(cell, float):
        return f"{cell:g}"
    return "" if cell is None else _plain(cell)


def _plain(cell: str) -> str:
    """Text that a spreadsheet would take for a formula is led by an apostrophe; a figure written as text is left."""
    try:
        float(cell)
    except ValueError:
        return f"'{cell}" if cell.startswith(FORMULA) else cell
    return cell
