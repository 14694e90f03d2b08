"""What the model found out about a version of an exercise by flying it: how long it needs, what it is valid for."""

from __future__ import annotations

import json
from dataclasses import asdict

from sqlalchemy import Float, String, Text, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lumenstat.assessment.validity import Validity
from lumenstat.records.tables import Base, Run


class ModelFacts(Base):
    """Kept under the digest of the version; `validity` is a `Validity` as JSON."""

    __tablename__ = "model_facts"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    needed_seconds: Mapped[float] = mapped_column(Float)
    validity: Mapped[str] = mapped_column(Text)


def note_facts(session: Session, digest: str, found: Validity) -> None:
    """Remember what was found."""
    session.merge(ModelFacts(digest=digest, needed_seconds=found.needed_seconds, validity=json.dumps(asdict(found))))


def validity_found(session: Session, digest: str) -> Validity | None:
    """What was found about a version, if it was looked for."""
    row = session.get(ModelFacts, digest)
    if row is None:
        return None
    kept = json.loads(row.validity)
    celsius, charge = (tuple(kept[name]) if kept[name] else None for name in ("celsius", "charge"))
    return Validity(celsius, charge, kept["needed_seconds"])


def needed_seconds(session: Session, digest: str) -> float | None:
    """How long the model needs for a version, if that is known by now."""
    row = session.get(ModelFacts, digest)
    if row is not None and row.needed_seconds > 0:
        return row.needed_seconds
    return session.scalar(select(func.max(Run.needed_seconds)).where(Run.digest == digest))
