"""What an instructor may judge of a run beside its items, and what they have."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import (
    CHOICE_WORDS,
    CHOICES,
    Kind,
    Overridden,
    computed_of,
    gate_key,
    said_by,
    standing,
    subject_of,
)  # fmt: skip
from lumenstat.documents.bundles import Bundle
from lumenstat.language.wording import phrase
from lumenstat.web.rendering import Context


class Judgeable(Context):
    """Something in a ledger that an instructor may judge: what it is called, what it counts as, what was computed."""

    kind: Kind
    name: str
    says: str
    counts_as: str
    choices: tuple[str, ...]
    words: tuple[str, ...]
    computed: str
    given: Overridden | None


class ChangedLine(Context):
    """One override as the record lists it."""

    says: str
    reason: str


def may_change(computed: Ledger, ledger: Ledger, overrides: Sequence[Overridden]) -> Iterator[Judgeable]:
    """All but items, which have their own forms in the table; as they count now."""
    given = standing(overrides)

    def of(kind: Kind, name: str, says: str, counts_as: str, was: str) -> Judgeable:
        choices = tuple(CHOICES[kind])
        override = given.get((kind, name))
        return Judgeable(
            kind=kind,
            name=name,
            says=says,
            counts_as=counts_as,
            choices=choices,
            words=tuple(CHOICE_WORDS.get(choice, choice) for choice in choices),
            computed=was,
            given=override,
        )

    yield of("outcome", "", phrase("Outcome"), ledger.outcome, computed.outcome_words)
    # Held against what was computed, which stays the same whatever is overridden.
    held = {gate_key(gate) for gate in ledger.gates}
    for gate in computed.gates:
        if gate.kind != "item":
            continue  # those of limits and aims are judged with their limit or aim
        yield of("gate", gate_key(gate), gate.says, "holds" if gate_key(gate) in held else "waived", "holds")
    for n, extra in enumerate(computed.extras):
        yield of("extra", str(n), extra.says, ledger.extras[n].effect, extra.effect)
    for n, limit in enumerate(computed.limits):
        yield of("limit", str(n), limit.says, ledger.limits[n].severity, limit.severity)
    for n, aim in enumerate(computed.aims):
        was, now = ("met" if row.met else "missed" for row in (aim, ledger.aims[n]))
        yield of("aim", aim.id, aim.says, now, was)


def changed_lines(bundle: Bundle, computed: Ledger, overrides: Sequence[Overridden]) -> Iterator[ChangedLine]:
    """Overrides of all but items, in the order in which they were made."""
    for each in overrides:
        if each.kind == "item":
            continue
        subject = subject_of(bundle, computed, each)
        says = phrase(
            "{subject}: computed {was}; {by}, {at}, gave {given}.",
            subject=subject,
            was=computed_of(computed, each),
            by=each.by,
            at=each.at,
            given=said_by(each),
        )
        yield ChangedLine(says=says, reason=each.reason)
