"""A signed record: a chain of hashes over the log, sealed with the ledger, the overrides and the signature.

Every event's hash takes in the one before it, so the first event that was altered, taken out or put in is known.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.errors import RecordError
from lumenstat.records.people import now
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.tables import Override, Run


@dataclass(frozen=True)
class Verified:
    """What a check of a record found; `says` is empty where everything is as it was signed."""

    run_id: str
    signed_by: str | None
    says: tuple[str, ...]

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


def overridden_runs(session: Session) -> dict[str, list[Override]]:
    """The overrides of every run that has any."""
    found: dict[str, list[Override]] = {}
    for row in session.scalars(select(Override).order_by(Override.id)):
        found.setdefault(row.run_id, []).append(row)
    return found


def add_override(session: Session, run_id: str, item: str, verdict: str, points: float, reason: str, by: str) -> None:
    """Keep an instructor's verdict. Raises RecordError once the record is signed."""
    run = find_run(session, run_id)
    if run.signed_by is not None:
        raise RecordError(f"This record was signed by {run.signed_by}; it can no longer be changed.")
    session.add(Override(run_id=run_id, item=item, verdict=verdict, points=points, reason=reason, by=by, at=now()))


def sign(session: Session, run_id: str, by: str) -> None:
    """Freeze a record under a name. Raises RecordError where it is not judged yet or signed already."""
    run = find_run(session, run_id)
    if run.ledger is None:
        raise RecordError("This run is not judged yet; there is nothing to sign.")
    if run.signed_by is not None:
        raise RecordError(f"This record was signed by {run.signed_by} already.")
    run.signed_by, run.signed_at = by, now()
    links = _links(session, run)
    run.chain, run.seal = "\n".join(links), _seal(session, run, links)


def signed_runs(session: Session) -> list[str]:
    """The runs whose records are signed."""
    return list(session.scalars(select(Run.id).where(Run.signed_by.is_not(None)).order_by(Run.signed_at)))


def verify(session: Session, run_id: str) -> Verified:
    """Whether a signed record is still what was signed."""
    run = find_run(session, run_id)
    if run.signed_by is None:
        return Verified(run_id, None, ("it is not signed, so there is nothing to hold it against",))
    links, kept = _links(session, run), (run.chain or "").split("\n")
    found = []
    for number, (one, other) in enumerate(zip(links, kept, strict=False)):
        if one != other:
            what = "the head of the log" if number == 0 else f"event {number} of the log"
            found.append(f"{what} is not what was signed")
            break
    if len(links) != len(kept):
        found.append(f"the log has {len(links) - 1} events; {len(kept) - 1} were signed")
    if not found and _seal(session, run, links) != run.seal:
        found.append("the ledger, an override or the signature is not what was signed")
    return Verified(run_id, run.signed_by, tuple(found))


def _links(session: Session, run: Run) -> list[str]:
    link, links = "", []
    for line in log_of(session, run).text().splitlines():
        link = hashlib.sha256(f"{link}\n{line}".encode()).hexdigest()
        links.append(link)
    return links


def _seal(session: Session, run: Run, links: list[str]) -> str:
    overrides = [[o.item, o.verdict, o.points, o.reason, o.by, o.at.isoformat()] for o in overrides_of(session, run.id)]
    signed_at = run.signed_at.isoformat() if run.signed_at else ""
    content = [links[-1], run.digest, run.ledger, overrides, run.signed_by, signed_at]
    return hashlib.sha256(json.dumps(content, ensure_ascii=False).encode()).hexdigest()
