"""Collects what is wrong in one document, each with its line and what would be right."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from lumenstat.errors import ExpressionError, Problem
from lumenstat.language.expressions import Constants, Emitter, Quantity, parse
from lumenstat.language.sources import Path_, Source
from lumenstat.language.values import nearest


@dataclass
class Checker:
    """Collects what is wrong in one document."""

    source: Source
    quantities: dict[str, Quantity]
    names: Mapping[str, Sequence[str]] = field(default_factory=dict)
    """Ids of the parts there are, by what they are called."""
    problems: list[Problem] = field(default_factory=list)

    def wrong(self, path: Path_, says: str, rule: str | None = None, items: tuple[str, ...] = ()) -> None:
        """Note a problem, with the items that it is about where the path tells none."""
        self.problems.append(self.source.problem(path, says, rule, items))

    def known(self, path: Path_, what: str, name: str, names: Iterable[str]) -> bool:
        """Whether the name is among the names; noted where it is not."""
        among = list(names)
        if name in among:
            return True
        self.wrong(path, f"there is no {what} {name!r}{nearest(name, among)}")
        return False

    def refers(self, path: Path_, what: str, name: str) -> bool:
        """Whether there is such a part of that name; noted where there is none."""
        return self.known(path, what, name, self.names.get(what, ()))

    def logic(self, path: Path_, text: str | None) -> None:
        """The text, if any, must be a yes-or-no expression that reads states only."""
        if text is not None:
            self.truth(path, text, over_time=False, logic=True)

    def unique(self, path: Path_, what: str, names: Iterable[str]) -> None:
        """Every name may stand once."""
        for name, times in Counter(names).items():
            if times > 1:
                self.wrong(path, f"the {what} id {name!r} is given {times} times; each may stand once")

    def truth(self, path: Path_, text: str, over_time: bool, logic: bool = False) -> None:
        """The text must be a yes-or-no expression over what the airframe has."""
        # An expression over time is compiled for its form alone; what it would look back on is not there yet.
        timed: Callable[[str, str, float, bool], str] | None = (lambda *_: "0") if over_time else None
        try:
            expression = parse(text)
            Emitter(self.quantities, lambda name: "x", Constants(), timed).truth(expression)
        except ExpressionError as error:
            self.wrong(path, str(error))
            return
        if logic:
            for name in sorted(expression.quantities):
                quantity = self.quantities.get(name)
                # Where a control stands is a state, also where it is a figure.
                if quantity is None or name.startswith("control."):
                    continue
                if name.startswith(("lamp.", "instrument.")):
                    self.wrong(path, f"logic reads states, not what is shown: read what {name} shows")
                elif quantity.kind == "number":
                    self.wrong(path, f"logic reads states, not figures: {name} is a figure; make a comparator on it")
