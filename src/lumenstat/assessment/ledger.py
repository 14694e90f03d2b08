"""What a judged run consists of: the ledger that the debrief shows and the command line prints."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict

from lumenstat.language.wording import Words, joined, phrase

Verdict = Literal["done", "late", "early", "out-of-order", "wrong", "omitted", "prompted", "not-applicable"]
Effect = Literal["harmless", "undone", "deviation", "hazard"]
Standing = Literal["limit", "hazard", "waived"]
"""What an exceedance counts as; an instructor may waive one."""
Outcome = Literal["pass", "held", "fail", "unfinished"]
EFFECT_WORDS: Mapping[Effect, str] = {
    "harmless": phrase("harmless"), "undone": phrase("undone"), "deviation": phrase("deviation"),
    "hazard": phrase("hazard"),
}  # fmt: skip
STANDING_WORDS: Mapping[Standing, str] = {
    "limit": phrase("limit"), "hazard": phrase("hazard"), "waived": phrase("waived"),
}  # fmt: skip

VERDICT_WORDS: Mapping[Verdict, str] = {
    "done": phrase("Done"),
    "late": phrase("Late"),
    "early": phrase("Early"),
    "out-of-order": phrase("Out of order"),
    "wrong": phrase("Wrong"),
    "omitted": phrase("Omitted"),
    "prompted": phrase("Prompted"),
    "not-applicable": phrase("Did not apply"),
}


class Row(BaseModel):
    """Base of everything in a ledger."""

    model_config = ConfigDict(frozen=True)


class Evidence(Row):
    """Something as it stood at the moment that was judged."""

    name: Words
    value: Words


class ItemRow(Row):
    """One item: verdict, seconds at which it was done, points and one sentence of reason."""

    item: str
    verdict: Verdict
    at: float | None
    earned: float
    possible: float
    corrected: bool = False
    says: Words
    evidence: tuple[Evidence, ...] = ()
    reached: bool = True

    @property
    def words(self) -> str:
        """The verdict as a reader is told it."""
        return VERDICT_WORDS[self.verdict] + (phrase(", corrected") if self.corrected else "")


class ExtraRow(Row):
    """Something done that no item asked for, judged by what it did to the aircraft."""

    t: float
    control: str
    effect: Effect
    says: Words
    limit: str | None = None
    """The limit that it brought, if that is what it is charged for."""


class LimitRow(Row):
    """A limit exceeded, in seconds, with the figure furthest out."""

    id: str
    start: float
    end: float
    peak: float | None
    severity: Standing
    says: Words
    cost: float = 0.0
    """Points that it takes; none where something else is charged for it already."""


class Gate(Row):
    """What holds the outcome whatever the points."""

    kind: Literal["item", "limit", "aim"]
    id: str
    says: Words


class AimRow(Row):
    """Something that was to be so at the end: whether it was, and in a gating one what fails without it."""

    id: str
    met: bool
    gating: bool
    says: Words


class Points(Row):
    """Earned and possible points."""

    earned: float
    possible: float


class Lost(Row):
    """Seconds lost, with the item at which they were."""

    seconds: float
    says: Words
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
    ending: Words | None = None
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
            words = {"pass": phrase("Passed"), "unfinished": phrase("Not finished")}.get(
                self.outcome, phrase("Not passed")
            )
            return phrase("{words}: the instructor's verdict", words=words)
        return words_of_outcome(self.outcome, self.gates, self.pass_mark)


OUTCOMES: tuple[str, ...] = (phrase("Passed"), phrase("Not finished"), phrase("Not passed"))
REASONS: Mapping[str, str] = {
    "limit": phrase("hazard"), "item": phrase("critical item missed"), "aim": phrase("aim missed"),
}  # fmt: skip
"""Why an outcome is held, by the kind of gate, the gravest first."""
BEGINS = "Not passed: "


def outcome_phrase(words: str) -> str:
    """An outcome as lists of runs have it stored, in English, as what can be told in other languages."""
    if words.startswith(BEGINS) and not words.endswith("verdict"):
        return _not_passed([_reason(each) for each in words.removeprefix(BEGINS).split(", ")])
    first = words.removesuffix(": the instructor's verdict")
    found = next((each for each in OUTCOMES if each == first), words)
    return found if first == words else phrase("{words}: the instructor's verdict", words=found)


def words_of_outcome(outcome: Outcome, gates: tuple[Gate, ...], pass_mark: float | None) -> str:
    """The outcome in words that cannot be misread, with every reason, the gravest first."""
    if outcome == "pass":
        return phrase("Passed")
    if outcome == "unfinished":
        return phrase("Not finished")
    kinds = {gate.kind for gate in gates}
    reasons = [says for kind, says in REASONS.items() if kind in kinds]
    if outcome == "fail" and pass_mark is not None:
        reasons.append(phrase("below {pass_mark:g} %", pass_mark=pass_mark))
    return _not_passed(reasons) if reasons else phrase("Not passed")


def _not_passed(reasons: Sequence[str]) -> str:
    return phrase("Not passed: {reasons}", reasons=joined(", ", reasons))


def _reason(words: str) -> str:
    """One reason of an outcome as lists have it stored, as what can be told in other languages."""
    mark = re.fullmatch(r"below (\S+) %", words)
    if mark:
        return phrase("below {pass_mark:g} %", pass_mark=float(mark.group(1)))
    return next((says for says in REASONS.values() if says == words), words)
