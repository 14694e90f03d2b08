"""The instructor has the last word on everything: verdicts beside the computed ones, never instead of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from lumenstat.assessment.due import share_of
from lumenstat.assessment.grading import band_of, outcome_of, percent_of
from lumenstat.assessment.ledger import (
    EFFECT_WORDS,
    STANDING_WORDS,
    VERDICT_WORDS,
    AimRow,
    Effect,
    ExtraRow,
    Gate,
    ItemRow,
    Ledger,
    LimitRow,
    Outcome,
    Points,
    Standing,
    Verdict,
)
from lumenstat.assessment.scoring import GATING, points_of
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import EntryRefused
from lumenstat.language.wording import phrase

Kind = Literal["item", "extra", "limit", "aim", "gate", "outcome"]
KINDS: tuple[Kind, ...] = get_args(Kind)
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
EFFECTS: tuple[Effect, ...] = get_args(Effect)
STANDINGS: tuple[Standing, ...] = get_args(Standing)
AIMS = ("met", "missed")
GATES = ("holds", "waived")
OUTCOMES: tuple[Outcome, ...] = ("pass", "fail", "unfinished")
CHOICES: Mapping[Kind, Sequence[str]] = {
    "item": VERDICTS,
    "extra": EFFECTS,
    "limit": STANDINGS,
    "aim": AIMS,
    "gate": GATES,
    "outcome": OUTCOMES,
}
"""What each kind of thing in a ledger can be judged to be."""
CHOICE_WORDS: Mapping[str, str] = {
    "pass": phrase("passed"), "held": phrase("not passed"), "fail": phrase("not passed"),
    "unfinished": phrase("not finished"), "holds": phrase("stands"), "limit": phrase("a limit"),
    "hazard": phrase("a hazard"), "deviation": phrase("a deviation"), "met": phrase("met"),
    "missed": phrase("missed"), "waived": phrase("waived"), "harmless": phrase("harmless"),
    "undone": phrase("undone"),
}  # fmt: skip
"""What verdicts of all but items are called."""
LEAST_REASON = 8
TAKEN_BACK = "computed"
"""The verdict of an override that takes back the one before it: what was computed counts again."""


class Overridden(BaseModel):
    """One thing in a ledger as an instructor judges it.

    `item` names it: an item or an aim by its id, an extra or a limit by its place in its list, a gate by `gate_key`,
    the outcome by nothing.
    """

    model_config = ConfigDict(frozen=True)
    kind: Kind = "item"
    item: str
    verdict: str
    points: float
    reason: str
    by: str
    at: str
    when: datetime | None = Field(default=None, exclude=True)
    """The same moment, in UTC, for pages that tell it in their reader's zone; records keep `at`."""


def gate_key(gate: Gate) -> str:
    """What a gate is called in an override."""
    return f"{gate.kind}.{gate.id}"


def points_for(bundle: Bundle, ledger: Ledger, item: str, verdict: str) -> float:
    """What an item earns by a verdict, where an instructor gives no figure of their own."""
    row = next((row for row in ledger.items if row.item == item), None)
    found = next((each for each in VERDICTS if each == verdict), None)
    if row is None or found is None or found == "not-applicable":
        return 0.0
    return round(bundle.procedure.by_id[item].item.weight * share_of(found, bundle.exercise.credit, False), 4)


def checked(ledger: Ledger, kind: str, item: str, verdict: str, points: float, reason: str) -> tuple[Kind, str]:
    """The kind and the reason of an override. Raises EntryRefused that says what would be right."""
    found = next((each for each in KINDS if each == kind), None)
    if found is None:
        raise EntryRefused(
            phrase(
                "There is nothing of kind {kind} in a ledger; there is {kinds}.",
                kind=repr(kind),
                kinds=", ".join(KINDS),
            )
        )
    if item not in _names(ledger, found):
        raise EntryRefused(phrase("There is no {found} {item} in this ledger.", found=found, item=repr(item)))
    if verdict != TAKEN_BACK and verdict not in CHOICES[found]:
        raise EntryRefused(
            phrase(
                "There is no verdict {verdict} for that; there is {found}.",
                verdict=repr(verdict),
                found=", ".join(CHOICES[found]),
            ),
            "verdict",
        )
    # Only items have points; all else takes none.
    most = next((row.possible for row in ledger.items if found == "item" and row.item == item), 0.0)
    if not 0 <= points <= most:
        raise EntryRefused(phrase("Points for this item go from 0 to {most:g}.", most=most), "points")
    if len(reason.strip()) < LEAST_REASON:
        raise EntryRefused(phrase("Give the reason in a sentence: it stands in the record beside your name."), "reason")
    return found, reason.strip()


def _names(ledger: Ledger, kind: Kind) -> set[str]:
    match kind:
        case "item":
            return {row.item for row in ledger.items}
        case "extra":
            return {str(n) for n in range(len(ledger.extras))}
        case "limit":
            return {str(n) for n in range(len(ledger.limits))}
        case "aim":
            return {row.id for row in ledger.aims}
        case "gate":
            return {gate_key(gate) for gate in ledger.gates}
        case "outcome":
            return {""}


def standing(overrides: Sequence[Overridden]) -> dict[tuple[Kind, str], Overridden]:
    """Those that count: of several about one thing the latest, and none that was taken back."""
    latest = {(each.kind, each.item): each for each in overrides}
    return {key: each for key, each in latest.items() if each.verdict != TAKEN_BACK}


def with_overrides(bundle: Bundle, ledger: Ledger, overrides: Sequence[Overridden]) -> Ledger:
    """The ledger as it counts with the instructor's verdicts; of several about one thing the latest counts."""
    latest = standing(overrides)
    if not latest:
        return ledger
    items = tuple(_item(row, latest.get(("item", row.item))) for row in ledger.items)
    extras = tuple(_extra(row, latest.get(("extra", str(n)))) for n, row in enumerate(ledger.extras))
    limits = tuple(_limit(row, latest.get(("limit", str(n)))) for n, row in enumerate(ledger.limits))
    aims = tuple(_aim(row, latest.get(("aim", row.id))) for row in ledger.aims)
    possible, earned = points_of(items, extras, limits)
    percent = percent_of(earned, possible)
    gates = tuple(
        gate
        for gate in (*_item_gates(bundle, ledger, items, latest), *_other_gates(limits, aims))
        if (waived := latest.get(("gate", gate_key(gate)))) is None or waived.verdict == "holds"
    )
    # Whoever did not finish has not finished, whatever the points are now.
    outcome: Outcome = ledger.outcome
    if outcome != "unfinished":
        outcome = outcome_of(bundle.exercise, percent, gates)
    given = latest.get(("outcome", ""))
    outcome = next((each for each in OUTCOMES if given is not None and each == given.verdict), outcome)
    return ledger.model_copy(
        update={
            "items": items,
            "extras": extras,
            "limits": limits,
            "aims": aims,
            "points": Points(earned=round(earned, 4), possible=round(possible, 4)),
            "percent": percent,
            "band": band_of(bundle.exercise, percent, outcome),
            "gates": gates,
            "outcome": outcome,
            "given_by": given.by if given is not None else None,
        }
    )


def _item(row: ItemRow, override: Overridden | None) -> ItemRow:
    if override is None:
        return row
    possible = 0.0 if override.verdict == "not-applicable" else row.possible
    return row.model_copy(
        update={"verdict": override.verdict, "earned": min(override.points, possible), "possible": possible}
    )


def _extra(row: ExtraRow, override: Overridden | None) -> ExtraRow:
    return row if override is None else row.model_copy(update={"effect": override.verdict})


def _limit(row: LimitRow, override: Overridden | None) -> LimitRow:
    if override is None:
        return row
    cost = row.cost if override.verdict == "limit" else 0.0
    return row.model_copy(update={"severity": override.verdict, "cost": cost})


def _aim(row: AimRow, override: Overridden | None) -> AimRow:
    return row if override is None else row.model_copy(update={"met": override.verdict == "met"})


def _item_gates(
    bundle: Bundle, ledger: Ledger, rows: Sequence[ItemRow], latest: Mapping[tuple[Kind, str], Overridden]
) -> Iterator[Gate]:
    """Gates of overridden items go by the new verdict; the others stand."""
    for gate in ledger.gates:
        if gate.kind == "item" and ("item", gate.id) not in latest:
            yield gate
    steps = bundle.procedure.by_id
    for row in rows:
        override = latest.get(("item", row.item))
        if override is not None and steps[row.item].item.critical and row.verdict in GATING:
            yield Gate(
                kind="item",
                id=row.item,
                says=phrase("{item}: {why}", item=steps[row.item].item.challenge, why=override.reason),
            )


def _other_gates(limits: Sequence[LimitRow], aims: Sequence[AimRow]) -> Iterator[Gate]:
    for limit in limits:
        if limit.severity == "hazard":
            yield Gate(kind="limit", id=limit.id, says=limit.says)
    for aim in aims:
        if aim.gating and not aim.met:
            yield Gate(kind="aim", id=aim.id, says=phrase("Not so at the end: {aim}", aim=aim.says))


def subject_of(bundle: Bundle, ledger: Ledger, override: Overridden) -> str:
    """What an override is about, in words."""
    match override.kind:
        case "item":
            return bundle.procedure.by_id[override.item].item.challenge
        case "extra":
            return phrase("{extra:head}", extra=ledger.extras[int(override.item)].says)
        case "limit":
            return phrase("{limit:bare}", limit=ledger.limits[int(override.item)].says)
        case "aim":
            return phrase("{aim:bare}", aim=next(row.says for row in ledger.aims if row.id == override.item))
        case "gate":
            says = next(gate.says for gate in ledger.gates if gate_key(gate) == override.item)
            return phrase("{gate:bare}", gate=says)
        case "outcome":
            return phrase("Outcome")


def computed_of(ledger: Ledger, override: Overridden) -> str:
    """What was computed where an instructor gave another verdict, in words."""
    match override.kind:
        case "item":
            row = next(row for row in ledger.items if row.item == override.item)
            return phrase("{verdict:low}, {points:g}", verdict=VERDICT_WORDS[row.verdict], points=row.earned)
        case "extra":
            return EFFECT_WORDS[ledger.extras[int(override.item)].effect]
        case "limit":
            return STANDING_WORDS[ledger.limits[int(override.item)].severity]
        case "aim":
            met = next(row.met for row in ledger.aims if row.id == override.item)
            return phrase("met") if met else phrase("missed")
        case "gate":
            return phrase("holds")
        case "outcome":
            return phrase("{outcome:low}", outcome=ledger.outcome_words)


def said_by(override: Overridden) -> str:
    """What an instructor gave, in words."""
    if override.verdict == TAKEN_BACK:
        return phrase("back what was computed")
    if override.kind == "item":
        words = next(words for verdict, words in VERDICT_WORDS.items() if verdict == override.verdict)
        return phrase("{verdict:low}, {points:g}", verdict=words, points=override.points)
    return CHOICE_WORDS.get(override.verdict, override.verdict)
