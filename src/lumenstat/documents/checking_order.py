"""What the order of a checklist must be like for it to be flown and judged."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.documents.checklist import Checklist
from lumenstat.documents.procedure import Procedure, Step, procedure_from
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_

Key = tuple[str, ...]


def check_order(checklists: Sequence[Checklist], checker: Checker, at: Path_ = ("sections",)) -> None:
    """No item comes before itself, and items that one action could answer are in order with each other."""
    procedure = procedure_from(checklists, {})
    circle = [step.item.id for step in procedure.steps if procedure.precedes(step.number, step.number)]
    if circle:
        checker.wrong(
            at,
            f"the order goes in a circle through {', '.join(circle)}: each would have to come before the other; "
            "look at their sections, `after` and `floats_until`",
            "circle",
            tuple(circle),
        )
        # In a circle every further question about order has two answers.
        return
    _check_chains(procedure, checker, at)


def _check_chains(procedure: Procedure, checker: Checker, at: Path_) -> None:
    """Two items with the same action must form a chain, or nobody could tell which of them was done."""
    seen: dict[Key, Step] = {}
    for step in procedure.steps:
        for key in step.item.answers():
            other = seen.get(key)
            # Two branches of one decision may share an act: only one of them is ever on the card.
            if other is not None and not _told_apart(procedure, other, step):
                checker.wrong(
                    at,
                    f"items {other.item.id!r} and {step.item.id!r} ask for the same action and are in no order; "
                    f"one action could be either: put `after: [{other.item.id}]` on the later one",
                    "chain",
                    (other.item.id, step.item.id),
                )
            seen[key] = step


def _told_apart(procedure: Procedure, one: Step, other: Step) -> bool:
    """Whether the two are the same item, in order, or in different branches of one decision."""
    if one.item.id == other.item.id or procedure.precedes(one.number, other.number):
        return True
    return bool(one.branch and other.branch and one.branch[0] == other.branch[0] and one.branch != other.branch)
