"""Readings that no branch of a decision covers, found by trying figures around every threshold."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping
from itertools import product

from lumenstat.errors import ExpressionError
from lumenstat.items.decide import DecideItem
from lumenstat.language.expressions import NULL_SAFE, Constants, Emitter, Expression, Quantity, parse
from lumenstat.language.wording import joined, phrase

MOST_QUANTITIES = 3
MOST_TRIED = 3000

Test = Callable[[tuple[object, ...]], bool]


def uncovered(item: DecideItem, quantities: Mapping[str, Quantity]) -> str | None:
    """Values, in words, for which no branch is right; None where every one that was tried has a branch.

    Decisions over time, or on more than three quantities, are not tried.
    """
    parsed = [parse(branch.when) for branch in item.branches]
    names = sorted(set().union(*(each.quantities for each in parsed)))
    if not names or len(names) > MOST_QUANTITIES:
        return None
    try:
        tests = [_test(each, names, quantities) for each in parsed]
    except ExpressionError:
        return None
    choices = [list(_values(name, quantities, parsed)) for name in names]
    # Every combination, up to what can be tried while an author waits.
    for number, values in enumerate(product(*choices)):
        if number >= MOST_TRIED:
            return None
        if not any(test(values) for test in tests):
            said = zip(names, values, strict=True)
            return joined(phrase(" and "), (phrase("{name} is {value}", name=n, value=_words(v)) for n, v in said))
    return None


def _test(expression: Expression, names: list[str], quantities: Mapping[str, Quantity]) -> Test:
    constants = Constants()
    numbers = {name: n for n, name in enumerate(names)}

    def timed(kind: str, code: str, _seconds: float, _nullable: bool) -> str:
        # What looks back in time has no value that could be tried.
        if kind != "held":
            raise ExpressionError(phrase("looks back in time"))
        return code

    emitter = Emitter(quantities, lambda name: f"v[{numbers[name]}]", constants, timed)
    code = emitter.truth(expression)
    # Only slot numbers and constants by number stand in emitted code, never a word of the document.
    test: Test = eval(f"lambda v: {code}", {"S": constants, "min": min, "max": max, "abs": abs, **NULL_SAFE})  # noqa: S307
    return test


def _values(name: str, quantities: Mapping[str, Quantity], parsed: list[Expression]) -> Iterator[object]:
    quantity = quantities[name]
    if quantity.kind == "truth":
        yield from (False, True)
    elif quantity.choices is not None:
        yield from quantity.choices
    elif quantity.kind == "number":
        figures = sorted({figure for each in parsed for figure in _figures(each.tree)})
        for figure in figures or [0.0]:
            step = max(abs(figure), 1.0) * 1e-3
            # On either side of each figure that a branch names: between two of them nothing changes.
            yield from (figure - step, figure, figure + step)
    else:
        texts = {each.value for p in parsed for each in ast.walk(p.tree) if isinstance(each, ast.Constant)}
        yield from (text for text in texts if isinstance(text, str))


def _figures(tree: ast.expr) -> Iterator[float]:
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
            yield float(node.value)


def _words(value: object) -> str:
    if isinstance(value, bool):
        return phrase("so") if value else phrase("not so")
    return f"{value:.4g}" if isinstance(value, float) else str(value)
