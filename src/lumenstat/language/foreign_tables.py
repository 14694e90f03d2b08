"""Reads a table that somebody made elsewhere: CSV with any delimiter, or the first sheet of an XLSX workbook."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass

from lumenstat.errors import InputRefused
from lumenstat.language.wording import phrase

LARGEST_BYTES = 2_000_000
LARGEST_UNPACKED = 40_000_000
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 2_000, 60, 2_000
ENCODINGS = ("utf-8-sig", "cp1252")
"""UTF-8, or what spreadsheets of one well-known family of systems save where nobody asked for UTF-8."""


@dataclass(frozen=True)
class TableRow:
    """One row that holds anything: its number in the file from 1, and its cells, stripped."""

    line: int
    cells: tuple[str, ...]

    def cell(self, column: int) -> str:
        """A cell, empty where the row is shorter."""
        return self.cells[column] if column < len(self.cells) else ""


def read_table(content: bytes) -> list[TableRow]:
    """The rows that hold anything. Raises InputRefused that says what would be right."""
    if len(content) > LARGEST_BYTES:
        raise InputRefused(
            phrase("the file is larger than {at:,} kB; a list of this kind is not", at=LARGEST_BYTES // 1000)
        )
    # By how it begins, not by its name: files are sent on under any name.
    if content[:4] == b"PK\x03\x04":
        rows = _kept(_workbook(content))
    elif content[:4] == b"\xd0\xcf\x11\xe0":
        raise InputRefused(phrase("this is a workbook of the old kind (.xls); save it as .xlsx or as CSV"))
    else:
        rows = _kept(_csv(_text(content)))
    if not rows:
        raise InputRefused(phrase("there is nothing in the file"))
    return rows


def _kept(rows: Iterable[tuple[int, list[str]]]) -> list[TableRow]:
    found: list[TableRow] = []
    for line, cells in rows:
        stripped = [" ".join(cell.split()) for cell in cells]
        # Tables are often saved with empty columns on the right.
        while stripped and not stripped[-1]:
            stripped.pop()
        if not stripped:
            continue
        if len(found) >= MOST_ROWS:
            raise InputRefused(
                phrase(
                    "line {line}: at most {most_rows:,} rows are read; split the file", line=line, most_rows=MOST_ROWS
                )
            )
        if len(stripped) > MOST_COLUMNS:
            raise InputRefused(
                phrase("line {line}: at most {most_columns} columns are read", line=line, most_columns=MOST_COLUMNS)
            )
        if long := next((cell for cell in stripped if len(cell) > LONGEST_CELL), None):
            raise InputRefused(
                phrase(
                    "line {line}: the cell {long}... is longer than {longest_cell:,} characters",
                    line=line,
                    long=repr(long[:20]),
                    longest_cell=LONGEST_CELL,
                )
            )
        found.append(TableRow(line, tuple(stripped)))
    return found


def _text(content: bytes) -> str:
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            text = content.decode("utf-16")
        except UnicodeDecodeError:
            raise InputRefused(phrase("the file is not text that can be read; save it as CSV UTF-8")) from None
    else:
        # The strictest first: the last one takes any bytes.
        for encoding in ENCODINGS:
            try:
                text = content.decode(encoding)
                break
            except UnicodeDecodeError:
                continue
        else:
            raise InputRefused(phrase("the file is not text that can be read; save it as CSV UTF-8"))
    if any(ord(letter) < 32 and letter not in "\t\r\n\x0b\x0c" for letter in text):
        raise InputRefused(phrase("the file holds control characters; it is no CSV"))
    return text


def _csv(text: str) -> Iterable[tuple[int, list[str]]]:
    head = text[:4000]
    # Whichever is most frequent: office programs differ by country.
    delimiter = max(",;\t", key=head.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise InputRefused(
            phrase("line {line} cannot be read as CSV: {error}", line=reader.line_num, error=error)
        ) from None


def _workbook(content: bytes) -> Iterable[tuple[int, list[str]]]:
    from openpyxl import load_workbook  # noqa: PLC0415 - slow to load, and only where a workbook comes

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            # By what its parts say, before one of them is unpacked.
            if sum(each.file_size for each in packed.infolist()) > LARGEST_UNPACKED:
                raise InputRefused(phrase("the workbook unpacks to more than a list of this kind holds"))
        book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        for number, row in enumerate(sheet.iter_rows(values_only=True, max_col=MOST_COLUMNS + 1), start=1):
            # A sheet may say that it has a million rows, all of them empty.
            if number > 4 * MOST_ROWS:
                raise InputRefused(
                    phrase(
                        "line {number}: at most {most_rows:,} rows are read; split the file",
                        number=number,
                        most_rows=MOST_ROWS,
                    )
                )
            yield number, ["" if cell is None else _shown(cell) for cell in row]
    except InputRefused:
        raise
    except Exception as error:  # a workbook is many files, and each can be wrong in ways of its own
        raise InputRefused(
            phrase("the workbook cannot be read ({name}); save it anew, or as CSV", name=type(error).__name__)
        ) from None


def _shown(cell: object) -> str:
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell)
