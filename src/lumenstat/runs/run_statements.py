"""The statements of a run as it counts, from what is stored of it."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import with_overrides
from lumenstat.errors import RecordError
from lumenstat.exchange.xapi import AboutRun, statements
from lumenstat.language.wording import phrase
from lumenstat.records.overrides import as_they_count
from lumenstat.records.runs import find_run
from lumenstat.records.sealing import overrides_of

HOME = "https://lumenstat.invalid/school"
"""Where accounts stand if the school gives no address of its own."""


def run_statements(session: Session, run_id: str, home: str = HOME) -> list[dict[str, Any]]:
    """A judged run as statements. Raises RecordError before that."""
    run = find_run(session, run_id)
    if run.ledger is None:
        raise RecordError(phrase("This run is not judged yet."))
    bundle = run.exercise.bundle
    overrides = as_they_count(overrides_of(session, run_id))
    ledger = with_overrides(bundle, Ledger.model_validate_json(run.ledger), overrides)
    begun = run.started or run.created
    about = AboutRun(
        run_id=run.id,
        home=home.rstrip("/"),
        person=f"person-{run.trainee_id}",
        instructor=f"person-{run.instructor_id}",
        exercise_id=run.exercise.exercise_id,
        ended=run.finished or begun,
        seconds=run.tick / 100,
        mode=run.mode,
    )
    return statements(bundle, ledger, about)


def statements_of_run(session: Session, run_id: str, home: str) -> list[tuple[str, str]]:
    """The same, each as its id and its JSON."""
    return [(each["id"], json.dumps(each, ensure_ascii=False)) for each in run_statements(session, run_id, home)]
