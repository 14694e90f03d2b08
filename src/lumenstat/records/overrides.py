"""Stored overrides as the assessment takes them."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.assessment.overriding import Overridden
from lumenstat.records.tables import Override


def as_they_count(rows: Sequence[Override]) -> list[Overridden]:
    """Stored overrides as the assessment takes them."""
    return [
        Overridden.model_validate(
            {
                "kind": row.kind,
                "item": row.item,
                "verdict": row.verdict,
                "points": row.points,
                "reason": row.reason,
                "by": row.by,
                "at": f"{row.at:%-d %B %Y, %H:%M} UTC",
                "when": row.at,
            }
        )
        for row in rows
    ]
