"""What came of the flights of one exercise, as one JSON object and as lines to read."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from lumenstat.fairness.fair import Fairness


def fairness_json(found: Fairness) -> dict[str, Any]:
    """The whole, for scripts."""
    return {
        "exercise": found.exercise,
        "ok": not found.findings,
        "flights": [each.model_dump(mode="json") for each in found.flights],
    }


def fairness_lines(found: Fairness) -> Iterator[str]:
    """How many flights of which kind, and then those of which the judge says something else than is due."""
    kinds = Counter(each.kind for each in found.flights)
    yield f"{len(found.flights)} flights judged, {len(found.findings)} findings"
    yield "  " + ", ".join(f"{count} {kind}" for kind, count in kinds.items())
    for each in found.findings:
        yield f"  {each.change}: {each.outcome}, {each.percent:g} %"
        yield f"    says: {each.says}"
        yield f"    but: {each.wrong}"
