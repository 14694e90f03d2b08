"""What a judged run consists of: the ledger that the debrief shows and the command line prints."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel, ConfigDict

Verdict = Literal["done", "late", "early", "out-of-order", "wrong", "omitted", "prompted", "not-applicable"]
Effect = Literal["harmless", "undone", "deviation", "hazard"]
Standing = Literal["limit", "hazard", "waived"]
"""What an exceedance counts as; an instructor may waive one."""
Outcome = Literal["pass", "held", "fail", "unfinished"]

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
    reached: bool = True


class ExtraRow(Row):
    """Something done that no item asked for, judged by what it did to the aircraft."""

    t: float
    control: str
    effect: Effect
    says: str
    limit: str | None = None
    """The limit that it brought, if that is what it is charged for."""


class LimitRow(Row):
    """A limit exceeded, in seconds, with the figure furthest out."""

    id: str
    start: float
    end: float
    peak: float | None
    severity: Standing
    says: str
    cost: float = 0.0
    """Points that it takes; none where something else is charged for it already."""


class Gate(Row):
    """What holds the outcome whatever the points."""

    kind: Literal["item", "limit", "aim"]
    id: str
    says: str


class AimRow(Row):
    """Something that was to be so at the end: whether it was, and in a gating one what fails without it."""

    id: str
    met: bool
    gating: bool
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
    aims: tuple[AimRow, ...] = ()
    ended_at: float
    ending: str | None = None
    """Said once where the run ended before its last items."""
    pass_mark: float | None = None
    given_by: str | None = None
    """Who gave the outcome, where it was not computed."""
    time: TimeUse | None = None
    digest: str
    engine: str

    @property
    def outcome_words(self) -> str:
        """The outcome as pages and papers say it."""
        if self.given_by is not None:
            words = {"pass": "Passed", "unfinished": "Not finished"}.get(self.outcome, "Not passed")
            return f"{words}: the instructor's verdict"
        return words_of_outcome(self.outcome, self.gates, self.pass_mark)


def words_of_outcome(outcome: Outcome, gates: tuple[Gate, ...], pass_mark: float | None) -> str:
    """The outcome in words that cannot be misread; of several reasons the gravest."""
    if outcome == "pass":
        return "Passed"
    if outcome == "unfinished":
        return "Not finished"
    kinds = {gate.kind for gate in gates}
    if "limit" in kinds:
        return "Not passed: hazard"
    if "item" in kinds:
        return "Not passed: critical item missed"
    if "aim" in kinds:
        return "Not passed: aim missed"
    return "Not passed" if pass_mark is None else f"Not passed: below {pass_mark:g} %"
