"""The instructor has the last word: verdicts of their own beside the computed ones, never instead of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import get_args

from pydantic import BaseModel, ConfigDict

from lumenstat.assessment.grading import band_of, outcome_of, percent_of
from lumenstat.assessment.ledger import Gate, ItemRow, Ledger, Outcome, Points, Verdict
from lumenstat.assessment.scoring import GATING, points_of
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import RecordError

VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
LEAST_REASON = 8


class Overridden(BaseModel):
    """One item as an instructor judges it."""

    model_config = ConfigDict(frozen=True)
    item: str
    verdict: Verdict
    points: float
    reason: str
    by: str
    at: str


def checked(ledger: Ledger, item: str, verdict: str, points: float, reason: str) -> tuple[ItemRow, Verdict, str]:
    """The row that is overridden, the verdict and the reason. Raises RecordError that says what would be right."""
    row = next((row for row in ledger.items if row.item == item), None)
    if row is None:
        raise RecordError(f"There is no item {item!r} in this ledger.")
    found = next((v for v in VERDICTS if v == verdict), None)
    if found is None:
        raise RecordError(f"There is no verdict {verdict!r}; there is {', '.join(VERDICTS)}.")
    most = row.possible if row.possible else 0.0
    if not 0 <= points <= most:
        raise RecordError(f"Points for this item go from 0 to {most:g}.")
    if len(reason.strip()) < LEAST_REASON:
        raise RecordError("Give the reason in a sentence: it stands in the record beside your name.")
    return row, found, reason.strip()


def with_overrides(bundle: Bundle, ledger: Ledger, overrides: Sequence[Overridden]) -> Ledger:
    """The ledger as it counts with the instructor's verdicts; the latest of an item is the one."""
    latest = {override.item: override for override in overrides}
    if not latest:
        return ledger
    rows = tuple(_row(row, latest.get(row.item)) for row in ledger.items)
    possible, earned = points_of(rows, ledger.extras)
    percent = percent_of(earned, possible)
    gates = _gates(bundle, ledger, rows, latest)
    outcome: Outcome = ledger.outcome
    if outcome != "unfinished":
        outcome = outcome_of(bundle.exercise, percent, gates)
    return ledger.model_copy(
        update={
            "items": rows,
            "points": Points(earned=round(earned, 4), possible=round(possible, 4)),
            "percent": percent,
            "band": band_of(bundle.exercise, percent, outcome),
            "gates": gates,
            "outcome": outcome,
        }
    )


def _row(row: ItemRow, override: Overridden | None) -> ItemRow:
    if override is None:
        return row
    possible = 0.0 if override.verdict == "not-applicable" else row.possible
    return row.model_copy(
        update={"verdict": override.verdict, "earned": min(override.points, possible), "possible": possible}
    )


def _gates(
    bundle: Bundle, ledger: Ledger, rows: tuple[ItemRow, ...], latest: Mapping[str, Overridden]
) -> tuple[Gate, ...]:
    """Gates of limits stand; those of overridden items go by the new verdict."""
    steps = bundle.procedure.by_id
    kept = [gate for gate in ledger.gates if gate.kind == "limit" or gate.id not in latest]
    for row in rows:
        if row.item in latest and steps[row.item].item.critical and row.verdict in GATING:
            says = f"{steps[row.item].item.challenge}: {latest[row.item].reason}"
            kept.append(Gate(kind="item", id=row.item, says=says))
    return tuple(kept)
