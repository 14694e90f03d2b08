"""A logbook on paper: every run with what was assessed and by whom, and the hashes of those that are signed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from lumenstat.assessment.ledger import outcome_phrase
from lumenstat.exchange.printed_sheet import QUIET, Sheet
from lumenstat.language.code_words import code_words
from lumenstat.language.wording import SOURCE_LANGUAGE, joined, phrase
from lumenstat.records.logbook import LogbookLine

UNSIGNED = phrase("not signed")


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
    language: str = SOURCE_LANGUAGE


def logbook_pdf(book: PrintedLogbook) -> bytes:
    """The logbook, oldest first, with its totals."""
    sheet = Sheet(phrase("Logbook: {book}", book=book.name), book.school, book.language)
    sheet.title_line(book.name)
    assessed = [run for run in book.runs if run.mode == "assessed"]
    hours = sum(run.minutes for run in book.runs) / 60
    sheet.say(
        phrase(
            "Logbook as printed on {printed:%-d %B %Y, %H:%M} UTC: {runs} runs, {hours:.1f} h; "
            "{assessed} assessed, {passed} of them passed.",
            printed=book.printed,
            runs=len(book.runs),
            hours=hours,
            assessed=len(assessed),
            passed=sum(run.outcome == "Passed" for run in assessed),
        ),
        colour=QUIET,
    )
    sheet.heading(phrase("Runs"))
    heads = (
        phrase("Date, UTC"),
        phrase("Exercise, airframe, version"),
        phrase("Kind"),
        phrase("Min"),
        phrase("Outcome"),
        "%",
        phrase("Assessed by, grade, remark"),
    )
    sheet.rows(heads, [_row(run) for run in book.runs], (21, 46, 16, 10, 25, 11, 56), right=(3, 5))
    if not book.runs:
        sheet.say(phrase("Nothing flown yet."), colour=QUIET)
    if book.mastered:
        sheet.heading(phrase("Mastered"))
        sheet.rows((phrase("Exercise"), phrase("Items")), list(book.mastered), (140, 45))
    signed = [run for run in book.runs if run.run_id in book.seals]
    if signed:
        sheet.heading(phrase("Seals of signed records, SHA-256"))
        for run in signed:
            at = joined(" ", (f"{run.at:%Y-%m-%d %H:%M}", run.title))
            sheet.say(
                phrase("{run}: {signed}. {seal}", run=at, signed=_signed(run), seal=book.seals[run.run_id]), size=7
            )
        sheet.say(phrase("`lumenstat verify RUN` holds a record against its seal."), colour=QUIET, size=8)
    return sheet.finished()


def _signed(run: LogbookLine) -> str:
    return (
        phrase("Signed by {signed_by}, {signed_at:%d %b %Y}", signed_by=run.signed_by, signed_at=run.signed_at)
        if run.signed_at
        else UNSIGNED
    )


def _row(run: LogbookLine) -> list[str]:
    beside = [part for part in (run.grade, run.remark) if part]
    by = joined(": ", (run.assessed_by, joined("; ", beside))) if beside else run.assessed_by
    return [
        phrase("{at:%d %b %Y %H:%M}", at=run.at),
        joined("; ", (run.title, run.airframe, run.version)),
        code_words(run.kind),
        f"{run.minutes:.1f}",
        outcome_phrase(run.outcome or ""),
        "" if run.percent is None else f"{run.percent:g}",
        phrase("{by}. {signed}", by=by, signed=_signed(run)),
    ]
