"""A judged record as it leaves: its ledger as a table, and the debrief on paper with the hashes of what was signed."""

from __future__ import annotations

from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import standing, with_overrides
from lumenstat.errors import RecordError
from lumenstat.exchange.list_files import Cell, Table, as_csv
from lumenstat.language.wording import SOURCE_LANGUAGE, phrase
from lumenstat.records.overrides import as_they_count
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import appraisal_of, overrides_of
from lumenstat.records.tables import Run
from lumenstat.runs.telling import instructors_acts

LEDGER_COLUMNS = (
    "number", "item", "challenge", "at_seconds", "verdict", "earned", "possible", "says", "computed", "by", "reason",
)  # fmt: skip


def judged_run(session: Session, run_id: str) -> tuple[Run, Ledger]:
    """An ended run with its computed ledger. Raises RecordError before that."""
    run = find_run(session, run_id)
    if run.ledger is None:
        raise RecordError(phrase("This run is not judged yet."))
    return run, Ledger.model_validate_json(run.ledger)


def ledger_csv(session: Session, run_id: str) -> Table:
    """The ledger as it counts, one line an item."""
    run, ledger = judged_run(session, run_id)
    bundle, overrides = run.exercise.bundle, as_they_count(overrides_of(session, run_id))
    computed = {row.item: row for row in ledger.items}
    by = {item: override for (kind, item), override in standing(overrides).items() if kind == "item"}
    steps = bundle.procedure.by_id
    rows: list[list[Cell]] = []
    for row in with_overrides(bundle, ledger, overrides).items:
        over, step = by.get(row.item), steps[row.item]
        at = "" if row.at is None else f"{row.at:.2f}"
        line: list[Cell] = [str(step.number + 1), row.item, step.item.challenge, at, row.verdict, f"{row.earned:g}"]
        line += [f"{row.possible:g}", row.says, computed[row.item].verdict]
        rows.append([*line, over.by if over else "", over.reason if over else ""])
    return as_csv(LEDGER_COLUMNS, rows)


def record_pdf(session: Session, run_id: str, school: str, language: str = SOURCE_LANGUAGE) -> bytes:
    """The debrief on paper; of a signed record with its hashes."""
    from lumenstat.exchange.debrief_pdf import About, debrief_pdf  # noqa: PLC0415 - slow to load, only where printed

    run, ledger = judged_run(session, run_id)
    flown, overrides = run.exercise.bundle, as_they_count(overrides_of(session, run_id))
    bundle = flown.told_in(language)
    signed = (
        phrase(
            "Signed by {signed_by}, {signed_at:%-d %B %Y, %H:%M} UTC.", signed_by=run.signed_by, signed_at=run.signed_at
        )
        if run.signed_at
        else None
    )
    acts = instructors_acts(log_of(session, run).events, bundle)
    about = About(
        trainee=run.trainee.name,
        flown=phrase("{at:%-d %B %Y, %H:%M} UTC", at=run.started or run.created),
        school=school,
        signed=signed,
        appraisal=appraisal_of(session, run_id),
        acts=tuple((event.tick / 100, says) for event, says in acts),
        hashes=tuple(_hashes(run)),
        language=language,
        names=flown.names_in(language),
    )
    return debrief_pdf(bundle, ledger, overrides, about)


def _hashes(run: Run) -> list[tuple[str, str]]:
    """What a signed record can be held against, by name."""
    if run.signed_by is None:
        return []
    return [
        (phrase("Record"), run.id),
        (phrase("Documents, SHA-256"), run.digest),
        (phrase("Log, last link of its chain"), (run.chain or "").split("\n")[-1]),
        (phrase("Seal over log, ledger, overrides, appraisal and signature"), run.erased_seal or run.seal or ""),
    ]
