"""A list as a file: the same rows as CSV or XLSX."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import Response

from lumenstat.exchange.list_files import Cell, as_csv, as_xlsx


def table_file(name: str, heads: Sequence[str], rows: Sequence[Sequence[Cell]], kind: str) -> Response:
    """The answer that a browser keeps as `name` with its ending; `kind` is csv or xlsx."""
    made = as_csv(heads, rows) if kind == "csv" else as_xlsx(name.replace("-", " ").capitalize(), heads, rows)
    headers = {"Content-Disposition": f'attachment; filename="{name}.{kind}"'}
    return Response(made.content, media_type=made.media_type, headers=headers)
