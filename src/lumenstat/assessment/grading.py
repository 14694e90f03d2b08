"""From points to a grade: percent, outcome, band."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal

from lumenstat.assessment.ledger import Gate, Outcome
from lumenstat.documents.exercise import Exercise


def percent_of(earned: float, possible: float) -> float:
    """One decimal, half up, not below 0; 100 where nothing could be earned."""
    if possible <= 0:
        return 100.0
    exact = Decimal(str(round(earned, 6))) * 100 / Decimal(str(round(possible, 6)))
    return float(max(Decimal(0), exact).quantize(Decimal("0.1"), ROUND_HALF_UP))


def outcome_of(exercise: Exercise, percent: float, gates: Sequence[Gate]) -> Outcome:
    """Pass, held or fail of an exercise that was finished."""
    if percent < exercise.pass_mark:
        return "fail"
    return "held" if gates else "pass"


def band_of(exercise: Exercise, percent: float, outcome: Outcome) -> str | None:
    """The grade in words; none beside a run that was not passed, since praise there would be misread."""
    if outcome != "pass":
        return None
    bands = sorted(exercise.bands, key=lambda band: -band.at_least)
    return next((band.words for band in bands if percent >= band.at_least), None)
