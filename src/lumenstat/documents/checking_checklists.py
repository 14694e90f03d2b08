"""What a checklist means: its items name what the airframe has, and its order can be kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checking import checker_for
from lumenstat.documents.checking_order import check_order
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.design_rules import WAIVABLE, lint_checklist
from lumenstat.documents.translating import check_texts
from lumenstat.errors import Problem
from lumenstat.items.registry import Item
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_, Source


def items_with_paths(checklist: Checklist) -> Iterator[tuple[Item, Path_]]:
    """Every item with where it stands, those of branches after their decision."""

    def walk(items: tuple[Item, ...], path: Path_) -> Iterator[tuple[Item, Path_]]:
        for n, item in enumerate(items):
            yield item, (*path, n)
            for way in item.ways():
                yield from walk(way.items, (*path, n, *way.path))

    for n, section in enumerate(checklist.sections):
        yield from walk(section.items, ("sections", n, "items"))


def check_checklist(checklist: Checklist, airframe: Airframe, source: Source) -> list[Problem]:
    """Problems of meaning in a checklist, read against its airframe."""
    checker = checker_for(airframe, source)
    placed = list(items_with_paths(checklist))
    ids = [item.id for item, _ in placed]
    checker.unique(("sections",), "item", ids)
    for item, path in placed:
        others = [*item.after]
        for timed in (item.not_before, item.within):
            others += [timed.item] if timed else []
        others += [item.floats_until] if item.floats_until else []
        for name in others:
            checker.known(path, "item", name, ids)
        _check_branch(item, path, [other for other, _ in placed], checker)
        if item.applies_when is not None:
            checker.truth((*path, "applies_when"), item.applies_when, over_time=True)
        item.check(path, airframe, checker)
    for n, section in enumerate(checklist.sections):
        for key in ("line_after", "floats_until"):
            if (name := getattr(section, key)) is not None:
                checker.known(("sections", n, key), "item", name, ids)
    # An order that refers to what is not there would only be found wrong again.
    if not checker.problems:
        check_order((checklist,), checker)
    _check_design(checklist, placed, checker)
    check_texts(checklist, checker)
    return checker.problems


def _check_branch(item: Item, path: Path_, items: Sequence[Item], checker: Checker) -> None:
    """The decision on which an item hangs stands above it and has that branch."""
    if item.of_branch is None:
        return
    above = {other.id: other for other in items[: items.index(item)]}
    at = (*path, "of_branch")
    if checker.known(at, "item above it", item.of_branch.item, above):
        ways = [way.id for way in above[item.of_branch.item].ways()]
        checker.known(at, "branch", item.of_branch.branch, ways)


def _check_design(checklist: Checklist, placed: Sequence[tuple[Item, Path_]], checker: Checker) -> None:
    paths = {item.id: path for item, path in placed}
    for lint in lint_checklist(checklist):
        checker.wrong(paths[lint.item], lint.says, lint.rule)
    for item, path in placed:
        for n, waiver in enumerate(item.waives):
            checker.known((*path, "waives", n), "rule", waiver.rule, WAIVABLE)
