"""A judged record as files of its own: JSON for programs, ICS for a calendar, statements for a record store."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import with_overrides
from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.overrides import as_they_count
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import appraisal_of, overrides_of, verify

FORMAT = "lumenstat/record/1"


def record_json(session: Session, run_id: str) -> dict[str, Any]:
    """Everything that is kept of a run but its flight trace. Raises RecordError before it is judged."""
    run = find_run(session, run_id)
    if run.ledger is None:
        raise RecordError(phrase("This run is not judged yet."))
    overrides = as_they_count(overrides_of(session, run_id))
    computed = Ledger.model_validate_json(run.ledger)
    counted = with_overrides(run.exercise.bundle, computed, overrides)
    said = appraisal_of(session, run_id)
    # Told in the file as well, for whoever has no way to check the seal.
    checked = verify(session, run_id) if run.signed_by else None
    return {
        "format": FORMAT,
        "run": run.id,
        "exercise": run.exercise.exercise_id,
        "digest": run.digest,
        "trainee": run.trainee.name,
        "instructor": run.instructor.name,
        "mode": run.mode,
        "started": _moment(run.started or run.created),
        "finished": _moment(run.finished),
        "outcome": counted.outcome,
        "says": counted.outcome_words,
        "percent": counted.percent,
        "computed": computed.model_dump(mode="json"),
        "counted": counted.model_dump(mode="json"),
        "overrides": [each.model_dump(mode="json") for each in overrides],
        "appraisal": said.model_dump(mode="json") if said else None,
        "signed": None
        if checked is None
        else {
            "by": run.signed_by,
            "at": _moment(run.signed_at),
            "seal": run.erased_seal or run.seal,
            "chain_end": (run.chain or "").split("\n")[-1],
            "whole": checked.ok,
            "says": list(checked.says),
            "explained": checked.explained,
        },
        "log": log_of(session, run).text().splitlines(),
    }


def _moment(at: Any) -> str | None:
    return f"{at.isoformat(timespec='seconds')}Z" if at is not None else None


def as_text(record: dict[str, Any]) -> str:
    """The record as JSON text."""
    return json.dumps(record, ensure_ascii=False, indent=2)
