"""What the reader's process is asked for: files that somebody brings, and logs that still go on."""

from __future__ import annotations

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import RunLog, parse_log
from lumenstat.errors import LogError
from lumenstat.language.foreign_tables import TableRow, read_table
from lumenstat.language.wording import phrase
from lumenstat.runs.workers import Progress
from lumenstat.simulation.flight import fly


def judge_so_far(progress: Progress, canonical_json: str, log_text: str) -> Ledger:
    """The ledger of a log that goes on."""
    return score(Bundle.from_canonical_json(canonical_json), parse_log(log_text), progress).ledger


def read_log(progress: Progress, content: bytes) -> RunLog:
    """A run log from a file's bytes. Raises LogError."""
    progress(phrase("reading the log"), 0, 1)
    try:
        return parse_log(content.decode("utf-8"))
    except UnicodeDecodeError:
        raise LogError(phrase("it is not UTF-8 text")) from None


def try_log(progress: Progress, canonical_json: str, log: RunLog) -> None:
    """Fly a log, to see whether it can be. Raises LogError or ActionRefused."""
    progress(phrase("flying the log"), 0, 1)
    fly(Bundle.from_canonical_json(canonical_json), log.events)


def read_rows(progress: Progress, content: bytes) -> list[TableRow]:
    """The rows of a list. Raises InputRefused."""
    progress(phrase("reading the list"), 0, 1)
    return read_table(content)
