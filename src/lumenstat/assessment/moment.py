"""The ledger of one moment: a drill is about one item alone, and about what was done since it began."""

from __future__ import annotations

from lumenstat.assessment.grading import band_of, percent_of
from lumenstat.assessment.ledger import Gate, ItemRow, Ledger, Outcome, Points
from lumenstat.assessment.scoring import points_of
from lumenstat.documents.bundles import Bundle
from lumenstat.language.wording import phrase

NOT_DONE = phrase("It was not done in this moment.")


def of_moment(bundle: Bundle, ledger: Ledger, item: str, begin: float) -> Ledger:
    """What a judged run comes to for one item, and for what was brought since `begin` (s). Nothing else counts."""
    rows = tuple(_row(row) for row in ledger.items if row.item == item)
    extras = tuple(row for row in ledger.extras if row.t >= begin)
    limits = tuple(row for row in ledger.limits if row.start >= begin)
    hazards = {row.id for row in limits if row.severity == "hazard"}
    gates = tuple(gate for gate in ledger.gates if _gates(gate, item, hazards))
    # By the same rules as a whole run, over the one item.
    possible, earned = points_of(rows, extras, limits)
    percent = percent_of(earned, possible)
    well = bool(rows) and rows[0].verdict == "done" and not gates and percent >= bundle.exercise.pass_mark
    outcome: Outcome = "pass" if well else "fail"
    return ledger.model_copy(
        update={
            "outcome": outcome,
            "percent": percent,
            "band": band_of(bundle.exercise, percent, outcome),
            "points": Points(earned=round(earned, 4), possible=round(possible, 4)),
            "gates": gates,
            "items": rows,
            "extras": extras,
            "limits": limits,
            # Aims are about the end of the exercise, which a moment does not reach.
            "aims": (),
            "ending": None,
            "time": None,
        }
    )


def _gates(gate: Gate, item: str, hazards: set[str]) -> bool:
    return (gate.kind == "item" and gate.id == item) or (gate.kind == "limit" and gate.id in hazards)


def _row(row: ItemRow) -> ItemRow:
    return row if row.reached else row.model_copy(update={"reached": True, "says": NOT_DONE})
