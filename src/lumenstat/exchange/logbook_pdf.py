"""A logbook on paper: every run with what was assessed and by whom, and the hashes of those that are signed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from lumenstat.exchange.printed_sheet import QUIET, Sheet
from lumenstat.records.logbook import LogbookLine

UNSIGNED = "not signed"


@dataclass(frozen=True)
class PrintedLogbook:
    """Whose logbook it is, and when it was printed (UTC)."""

    name: str
    school: str
    printed: datetime
    runs: Sequence[LogbookLine]
    mastered: Sequence[tuple[str, str]]
    seals: Mapping[str, str]
    """The seal of each run that is signed."""


def logbook_pdf(book: PrintedLogbook) -> bytes:
    """The logbook, oldest first, with its totals."""
    sheet = Sheet(f"Logbook: {book.name}", book.school)
    sheet.title_line(book.name)
    assessed = [run for run in book.runs if run.mode == "assessed"]
    hours = sum(run.minutes for run in book.runs) / 60
    sheet.say(
        f"Logbook as printed on {book.printed:%-d %B %Y, %H:%M} UTC: {len(book.runs)} runs, {hours:.1f} h; "
        f"{len(assessed)} assessed, {sum(run.outcome == 'Passed' for run in assessed)} of them passed.",
        colour=QUIET,
    )
    sheet.heading("Runs")
    heads = ("Date, UTC", "Exercise, airframe, version", "Kind", "Min", "Outcome", "%", "Assessed by, grade, remark")
    sheet.rows(heads, [_row(run) for run in book.runs], (21, 46, 16, 10, 25, 11, 56), right=(3, 5))
    if not book.runs:
        sheet.say("Nothing flown yet.", colour=QUIET)
    if book.mastered:
        sheet.heading("Mastered")
        sheet.rows(("Exercise", "Items"), list(book.mastered), (140, 45))
    signed = [run for run in book.runs if run.run_id in book.seals]
    if signed:
        sheet.heading("Seals of signed records, SHA-256")
        for run in signed:
            sheet.say(f"{run.at:%Y-%m-%d %H:%M} {run.title}: {_signed(run)}. {book.seals[run.run_id]}", size=7)
        sheet.say("`lumenstat verify RUN` holds a record against its seal.", colour=QUIET, size=8)
    return sheet.finished()


def _signed(run: LogbookLine) -> str:
    return f"Signed by {run.signed_by}, {run.signed_at:%d %b %Y}" if run.signed_at else UNSIGNED


def _row(run: LogbookLine) -> list[str]:
    beside = [part for part in (run.grade, run.remark) if part]
    by = ": ".join([run.assessed_by, "; ".join(beside)]) if beside else run.assessed_by
    return [
        f"{run.at:%d %b %Y %H:%M}",
        f"{run.title}; {run.airframe}; {run.version}",
        run.kind,
        f"{run.minutes:.1f}",
        run.outcome or "",
        "" if run.percent is None else f"{run.percent:g}",
        f"{by}. {_signed(run)}",
    ]
