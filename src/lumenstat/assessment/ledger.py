"""What a judged run consists of: the ledger that the debrief shows and the command line prints."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel, ConfigDict

Verdict = Literal["done", "late", "early", "out-of-order", "wrong", "omitted", "prompted", "not-applicable"]
Effect = Literal["harmless", "undone", "deviation", "hazard"]
Outcome = Literal["pass", "held", "fail", "unfinished"]

OUTCOME_WORDS: Mapping[Outcome, str] = {
    "pass": "Passed",
    "held": "Held",
    "fail": "Not passed",
    "unfinished": "Unfinished",
}
VERDICT_WORDS: Mapping[Verdict, str] = {
    "done": "Done",
    "late": "Late",
    "early": "Early",
    "out-of-order": "Out of order",
    "wrong": "Wrong",
    "omitted": "Omitted",
    "prompted": "Prompted",
    "not-applicable": "Did not apply",
}


class Row(BaseModel):
    """Base of everything in a ledger."""

    model_config = ConfigDict(frozen=True)


class Evidence(Row):
    """Something as it stood at the moment that was judged."""

    name: str
    value: str


class ItemRow(Row):
    """One item: verdict, seconds at which it was done, points and one sentence of reason."""

    item: str
    verdict: Verdict
    at: float | None
    earned: float
    possible: float
    corrected: bool = False
    says: str
    evidence: tuple[Evidence, ...] = ()


class ExtraRow(Row):
    """Something done that no item asked for, judged by what it did to the aircraft."""

    t: float
    control: str
    effect: Effect
    says: str


class LimitRow(Row):
    """A limit exceeded, in seconds, with the figure furthest out."""

    id: str
    start: float
    end: float
    peak: float | None
    severity: Literal["limit", "hazard"]
    says: str


class Gate(Row):
    """What holds the outcome whatever the points."""

    kind: Literal["item", "limit"]
    id: str
    says: str


class Points(Row):
    """Earned and possible points."""

    earned: float
    possible: float


class Lost(Row):
    """Seconds lost, with the item at which they were."""

    seconds: float
    says: str
    item: str | None = None


class TimeUse(Row):
    """Seconds used and needed; the losses add up to the difference."""

    used: float
    needed: float
    lost: tuple[Lost, ...]


class Ledger(Row):
    """A judged run."""

    outcome: Outcome
    percent: float
    band: str | None
    points: Points
    gates: tuple[Gate, ...]
    items: tuple[ItemRow, ...]
    extras: tuple[ExtraRow, ...]
    limits: tuple[LimitRow, ...]
    ended_at: float
    time: TimeUse | None = None
    digest: str
    engine: str
