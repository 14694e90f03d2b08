"""`decide`: a choice of ways on, of which the state says which is right."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import chain
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from lumenstat.items.item import ItemBase, Way
from lumenstat.items.seen import Answers, Attempt, EventMoment, LoggedEvent, Never, PerfectHands, Seen, attempt, did
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import parse
from lumenstat.language.sources import Path_
from lumenstat.language.values import DocumentId, ExpressionText, Flag, Seconds, Since, Text, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.system import Sections

if TYPE_CHECKING:
    from lumenstat.items.item import AnyItem


class DecisionBranch(Written):
    """One way on from a decision. Its items count only where it is the right way."""

    id: DocumentId
    when: ExpressionText
    says: Text
    items: tuple[AnyItem, ...] = ()
    stop: Annotated[Flag, Since("0.3")] = False
    """The exercise is to end here, after the items of this branch."""
    within_seconds: Annotated[Seconds | None, Since("0.4")] = None
    """How soon after `when` came true it is to be decided."""


class DecideItem(ItemBase):
    """Choose a branch; the first whose expression is true is the right one."""

    WORD = phrase("Decide")
    ICON = "M7 1.5L12.5 7L7 12.5L1.5 7Z"
    TOUCHES = False
    DONE_BY_WAY = True
    NEVER = phrase("Never decided.")
    kind: Literal["decide"]
    branches: Annotated[tuple[DecisionBranch, ...], Field(min_length=2)]

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """Branches told apart by expressions."""
        checker.unique(path, "branch", [branch.id for branch in self.branches])
        for n, branch in enumerate(self.branches):
            checker.truth((*path, "branches", n, "when"), branch.when, over_time=True)

    def watched(self) -> Iterator[str]:
        """What decides."""
        yield from (branch.when for branch in self.branches)

    def ways(self) -> Iterator[Way]:
        """Its branches."""
        for n, branch in enumerate(self.branches):
            yield Way(branch.id, branch.says, branch.items, ("branches", n, "items"), branch.stop)

    def right_branch(self, flag: Callable[[str], bool]) -> str | None:
        """The first branch whose expression is true."""
        return next((branch.id for branch in self.branches if flag(branch.when)), None)

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every time a branch was chosen."""
        return [self._decision(moment, seen) for moment in crew if did(moment, "decide", item=self.id)]

    def _decision(self, moment: EventMoment, seen: Seen) -> Attempt:
        right = self.right_branch(lambda text: seen.flag(moment, text))
        chosen = moment.event.args["branch"]
        words = {branch.id: branch.says for branch in self.branches}
        # Only what the branches ask about is evidence for them.
        read = frozenset(chain(*(parse(branch.when).quantities for branch in self.branches)))
        evidence = tuple(
            (quantity, f"{value:.1f}")
            for quantity, value in moment.state.items()
            if isinstance(value, float) and quantity in read
        )
        if chosen == right:
            decided = attempt(moment, True, phrase("'{chosen}' was decided.", chosen=words[chosen]), evidence=evidence)
            return replace(decided, way=chosen)
        # No branch may be right; then there is nothing to name instead.
        if right is None:
            says = phrase("'{chosen}' was decided, and it was not so.", chosen=words.get(chosen, chosen))
        else:
            says = phrase(
                "'{chosen}' was decided, where '{right}' was right.",
                chosen=words.get(chosen, chosen),
                right=words[right],
            )
        return attempt(moment, False, says, evidence=evidence, false=True)

    def due(self, way: str | None) -> tuple[str, float] | None:
        """The branch that was taken, in its time."""
        taken = next((branch for branch in self.branches if branch.id == way), None)
        return None if taken is None or taken.within_seconds is None else (taken.when, taken.within_seconds)

    def taken_way(self, end: EventMoment | None, seen: Seen, true: Callable[[str], bool]) -> str | None:
        """The branch that was right then."""
        return self.right_branch(true)

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By choosing a branch, whose items then lie on the card."""
        if event.verb != "decide" or event.args["item"] != self.id:
            return False
        card.take(self.id, str(event.args["branch"]))
        return True

    def there(self, hands: PerfectHands, meaning: str = "within", sight: Any = None) -> bool:
        """Whether a branch is right."""
        return any(hands.flag(branch.when, sight) for branch in self.branches)

    def perform(self, hands: PerfectHands) -> str | None:
        """Choose the right branch."""
        branch = self.right_branch(hands.flag)
        hands.event("decide", item=self.id, branch=branch)
        return branch

    def never(self, end: Mapping[str, Any]) -> Never:
        """No branch is right."""
        branches = ", ".join(f"`{branch.when}`" for branch in self.branches)
        return Never("decision-uncovered", phrase("no branch is right: {branches}", branches=branches))
