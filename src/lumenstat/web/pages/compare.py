"""Two runs of one exercise side by side: item by item, who did what when, and what it was worth."""

from __future__ import annotations

from datetime import datetime
from typing import ClassVar

from fastapi import APIRouter, Request, Response

from lumenstat.assessment.ledger import ItemRow, Ledger
from lumenstat.assessment.overriding import with_overrides
from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.tables import Run
from lumenstat.web.pages.record import judged
from lumenstat.web.pages.runs import may_see
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SignedIn

router = APIRouter()


class Side(Context):
    """One of the two runs."""

    run_id: str
    trainee: str
    flown: datetime
    outcome: str
    percent: float
    used: float
    earned: float
    possible: float


class Cell(Context):
    """What one of them did about an item."""

    at: float | None
    verdict: str
    words: str
    earned: float
    says: str


class Pair(Context):
    """One item of both."""

    number: int
    challenge: str
    cells: tuple[Cell | None, Cell | None]
    apart: float | None
    differs: bool


class CompareContext(Context):
    """Two runs of one exercise."""

    template: ClassVar[str] = "compare.html"
    tab: ClassVar[str] = "runs"
    title: str
    sides: tuple[Side, Side]
    pairs: tuple[Pair, ...]
    same_version: bool


@router.get("/runs/{run_id}/beside/{other_id}", name="compare")
def show(request: Request, run_id: str, other_id: str, viewer: SignedIn) -> Response:
    """Both runs, item by item. Raises RecordError where they are not of one exercise."""
    found = [judged(request.app.state.database, each) for each in (run_id, other_id)]
    # Whoever may see one of them need not see the other.
    for run, *_ in found:
        may_see(viewer, run)
    (one, bundle, *_), (other, *_) = found
    if one.exercise.exercise_id != other.exercise.exercise_id:
        raise RecordError(
            phrase("These are runs of different exercises; only runs of one exercise stand side by side.")
        )
    ledgers = [with_overrides(docs, ledger, overrides) for _, docs, ledger, overrides in found]
    bundle = bundle.told_in(viewer.language)
    steps = bundle.procedure.by_id
    rows = [{row.item: row for row in ledger.items} for ledger in ledgers]
    pairs = []
    for name, step in steps.items():
        first, second = rows[0].get(name), rows[1].get(name)
        at, then = (row.at if row is not None else None for row in (first, second))
        pairs.append(
            Pair(
                number=step.number + 1,
                challenge=step.item.challenge,
                cells=(_cell(first), _cell(second)),
                apart=then - at if at is not None and then is not None else None,
                differs=(first.verdict if first else "") != (second.verdict if second else ""),
            )
        )
    return page(
        request,
        CompareContext(
            title=bundle.exercise.title,
            sides=(_side(one, ledgers[0]), _side(other, ledgers[1])),
            pairs=tuple(pairs),
            same_version=one.digest == other.digest,
        ),
    )


def _cell(row: ItemRow | None) -> Cell | None:
    if row is None:
        return None
    return Cell(at=row.at, verdict=row.verdict, words=row.words, earned=row.earned, says=row.says)


def _side(run: Run, ledger: Ledger) -> Side:
    return Side(
        run_id=run.id,
        trainee=run.trainee.name,
        flown=run.started or run.created,
        outcome=ledger.outcome_words,
        percent=ledger.percent,
        used=ledger.ended_at,
        earned=ledger.points.earned,
        possible=ledger.points.possible,
    )
