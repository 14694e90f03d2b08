"""A signed record: a chain of hashes over the log, sealed with the ledger, the overrides and the signature.

Every event's hash takes in the one before it, so the first event that was altered, taken out or put in is known.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.assessment.appraisal import Appraisal
from lumenstat.assessment.ledger import Ledger
from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.people import now
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.tables import AppraisalRecord, Override, Run
from lumenstat.records.tallies import count_as


@dataclass(frozen=True)
class Verified:
    """What a check of a record found; `says` is empty where everything is as it was signed."""

    run_id: str
    signed_by: str | None
    says: tuple[str, ...]
    explained: str | None = None
    """Why a part cannot be held against what was signed, where a person was erased since."""

    @property
    def ok(self) -> bool:
        """Whether the record is signed and unaltered."""
        return self.signed_by is not None and not self.says


def overrides_of(session: Session, run_id: str) -> list[Override]:
    """All overrides of a run in the order they were made."""
    return list(session.scalars(select(Override).where(Override.run_id == run_id).order_by(Override.id)))


def last_override(session: Session, run_id: str) -> int | None:
    """The number of a run's latest override; it is another one after each."""
    return session.scalar(select(func.max(Override.id)).where(Override.run_id == run_id))


def overrides_in(session: Session, run_ids: Sequence[str]) -> dict[str, list[Override]]:
    """The overrides of those of these runs that have any."""
    found: dict[str, list[Override]] = {}
    rows = select(Override).where(Override.run_id.in_(run_ids)).order_by(Override.id)
    for row in session.scalars(rows):
        found.setdefault(row.run_id, []).append(row)
    return found


def add_override(
    session: Session, run_id: str, kind: str, item: str, verdict: str, points: float, reason: str, by: str
) -> None:
    """Keep an instructor's verdict. Raises RecordError once the record is signed."""
    _still_open(session, run_id)
    made = Override(run_id=run_id, kind=kind, item=item, verdict=verdict, points=points, reason=reason, by=by, at=now())
    session.add(made)


def note_counted(session: Session, run_id: str, counted: Ledger) -> None:
    """Remember what a run counts as with its overrides, for lists."""
    count_as(session, find_run(session, run_id), counted)


def add_appraisal(session: Session, run_id: str, appraisal: Appraisal) -> None:
    """Keep what an instructor says of a run; its time is now. Raises RecordError once the record is signed."""
    _still_open(session, run_id)
    kept = appraisal.model_dump(include={"remark", "grade", "advice", "by"})
    session.add(AppraisalRecord(run_id=run_id, drill=json.dumps(appraisal.drill), at=now(), **kept))


def appraisal_of(session: Session, run_id: str) -> Appraisal | None:
    """What counts of what was said of a run, if anything was said."""
    query = select(AppraisalRecord).where(AppraisalRecord.run_id == run_id).order_by(AppraisalRecord.id.desc())
    row = session.scalars(query.limit(1)).first()
    if row is None:
        return None
    said = {"remark": row.remark, "grade": row.grade, "advice": row.advice, "drill": json.loads(row.drill)}
    return Appraisal.model_validate(said | {"by": row.by, "at": f"{row.at:%-d %B %Y, %H:%M} UTC", "when": row.at})


def last_appraisal(session: Session, run_id: str) -> int | None:
    """The number of a run's latest appraisal."""
    return session.scalar(select(func.max(AppraisalRecord.id)).where(AppraisalRecord.run_id == run_id))


def _still_open(session: Session, run_id: str) -> None:
    run = find_run(session, run_id)
    if run.signed_by is not None:
        raise RecordError(
            phrase("This record was signed by {signed_by}; it can no longer be changed.", signed_by=run.signed_by)
        )


def sign(session: Session, run_id: str, by: str) -> None:
    """Freeze a record under a name. Raises RecordError where it is not judged yet or signed already."""
    run = find_run(session, run_id)
    if run.ledger is None:
        raise RecordError(phrase("This run is not judged yet; there is nothing to sign."))
    if run.signed_by is not None:
        raise RecordError(phrase("This record was signed by {signed_by} already.", signed_by=run.signed_by))
    run.signed_by, run.signed_at = by, now()
    # The links first: the seal covers the last of them, and by it the whole log.
    links = _links(session, run)
    run.chain, run.seal = "\n".join(links), _seal(session, run, links)


def signed_runs(session: Session) -> list[str]:
    """The runs whose records are signed."""
    return list(session.scalars(select(Run.id).where(Run.signed_by.is_not(None)).order_by(Run.signed_at)))


def seals_of(session: Session, person_id: int) -> dict[str, str]:
    """The seals of somebody's signed records, by run."""
    query = select(Run.id, Run.seal).where(Run.trainee_id == person_id, Run.seal.is_not(None))
    return {row[0]: row[1] or "" for row in session.execute(query)}


def verify(session: Session, run_id: str) -> Verified:
    """Whether a signed record is still what was signed."""
    run = find_run(session, run_id)
    if run.signed_by is None:
        return Verified(run_id, None, (phrase("it is not signed, so there is nothing to hold it against"),))
    kept = (run.chain or "").split("\n")
    erased = run.erased_seal is not None
    # An erasure changed words on purpose and sealed anew what was left; that seal is then the one to hold against.
    links, seal = (_links(session, run, kept[0]), run.erased_seal) if erased else (_links(session, run), run.seal)
    found = []
    for number, (one, other) in enumerate(zip(links, kept, strict=False)):
        if one != other:
            what = phrase("the head of the log") if number == 0 else phrase("event {number} of the log", number=number)
            found.append(phrase("{what} is not what was signed", what=what))
            # Each link holds the one before, so all that follow differ as well: the first one is where it happened.
            break
    if len(links) != len(kept):
        found.append(
            phrase("the log has {events} events; {signed} were signed", events=len(links) - 1, signed=len(kept) - 1)
        )
    if not found and _seal(session, run, links) != seal:
        found.append(phrase("the ledger, an override, the appraisal or the signature is not what was signed"))
    return Verified(run_id, run.signed_by, tuple(found), ERASED if erased else None)


ERASED = phrase(
    "The trainee was erased since: the head of the log named them, so it cannot be held "
    "against its hash any more, and remarks are gone. The record was whole then; what is "
    "left was sealed anew, and is checked against that."
)


def seal_after_erasure(session: Session, run: Run) -> None:
    """Seal what is left of a signed record: the chain hangs on the hash of the head as it was signed."""
    links = _links(session, run, (run.chain or "").split("\n")[0])
    run.chain, run.erased_seal = "\n".join(links), _seal(session, run, links)


def _sealed(override: Override) -> list[object]:
    """An override as it is sealed; those of items as they were when there were no others."""
    kind = [] if override.kind == "item" else [override.kind]
    one = override
    return [*kind, one.item, one.verdict, one.points, one.reason, one.by, one.at.isoformat()]


def _links(session: Session, run: Run, head: str = "") -> list[str]:
    """The chain over a run's log; from the hash of its `head` on where the head itself is not what it was."""
    link, links = head, [head] if head else []
    for line in log_of(session, run).text().splitlines()[len(links) :]:
        link = hashlib.sha256(f"{link}\n{line}".encode()).hexdigest()
        links.append(link)
    return links


def _seal(session: Session, run: Run, links: list[str]) -> str:
    overrides = [_sealed(override) for override in overrides_of(session, run.id)]
    signed_at = run.signed_at.isoformat() if run.signed_at else ""
    content: list[object] = [links[-1], run.digest, run.ledger, overrides, run.signed_by, signed_at]
    appraisals = select(AppraisalRecord).where(AppraisalRecord.run_id == run.id).order_by(AppraisalRecord.id)
    said = [[a.remark, a.grade, a.advice, a.drill, a.by, a.at.isoformat()] for a in session.scalars(appraisals)]
    # Records signed before there were appraisals keep the seal they have.
    content += [said] if said else []
    return hashlib.sha256(json.dumps(content, ensure_ascii=False).encode()).hexdigest()
