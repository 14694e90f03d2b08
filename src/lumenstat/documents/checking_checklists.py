"""What a checklist means: its items name what the airframe has, and its order can be kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checking import checker_for
from lumenstat.documents.checking_order import check_order
from lumenstat.documents.checklist import (
    CheckItem,
    Checklist,
    ControlItem,
    CycleItem,
    DecideItem,
    HoldItem,
    Item,
    PaperValue,
    RequestItem,
    SweepItem,
    WaitItem,
)
from lumenstat.documents.design_rules import WAIVABLE, lint_checklist
from lumenstat.errors import Problem
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_, Source
from lumenstat.systems.panel.part import check_position


def items_with_paths(checklist: Checklist) -> Iterator[tuple[Item, Path_]]:
    """Every item with where it stands, those of branches after their decision."""

    def walk(items: tuple[Item, ...], path: Path_) -> Iterator[tuple[Item, Path_]]:
        for n, item in enumerate(items):
            yield item, (*path, n)
            if isinstance(item, DecideItem):
                for m, branch in enumerate(item.branches):
                    yield from walk(branch.items, (*path, n, "branches", m, "items"))
            if isinstance(item, CheckItem) and item.if_not is not None:
                yield from walk(item.if_not.items, (*path, n, "if_not", "items"))

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
        if item.applies_when is not None:
            checker.truth((*path, "applies_when"), item.applies_when, over_time=True)
        _check_item(item, path, airframe, checker)
    for n, section in enumerate(checklist.sections):
        for key in ("line_after", "floats_until"):
            if (name := getattr(section, key)) is not None:
                checker.known(("sections", n, key), "item", name, ids)
    if not checker.problems:
        check_order((checklist,), checker)
    _check_design(checklist, placed, checker)
    return checker.problems


def _check_design(checklist: Checklist, placed: Sequence[tuple[Item, Path_]], checker: Checker) -> None:
    paths = {item.id: path for item, path in placed}
    for lint in lint_checklist(checklist):
        checker.wrong(paths[lint.item], lint.says, lint.rule)
    for item, path in placed:
        for n, waiver in enumerate(item.waives):
            checker.known((*path, "waives", n), "rule", waiver.rule, WAIVABLE)


def _check_item(item: Item, path: Path_, airframe: Airframe, checker: Checker) -> None:
    match item:
        case ControlItem():
            if (item.control is None) == (not item.controls):
                checker.wrong(path, "needs `control`, or `controls` for several in one line, and not both")
            for name in item.all_controls:
                if checker.known(path, "control", name, airframe.controls) and not isinstance(item.to, PaperValue):
                    check_position(airframe.controls[name], item.to, (*path, "to"), checker)
        case CheckItem():
            checker.known((*path, "instrument"), "instrument", item.instrument, airframe.instruments)
            if item.expect.model_dump(exclude_none=True) == {}:
                checker.wrong((*path, "expect"), "needs a `min`, a `max`, `equals` or a `paper`")
            if item.moment is not None:
                checker.truth((*path, "moment", "when"), item.moment.when, over_time=True)
        case HoldItem():
            known = checker.known((*path, "control"), "control", item.control, airframe.controls)
            if known and airframe.controls[item.control].kind != "momentary":
                checker.wrong((*path, "control"), f"{item.control} stays where it is put; a momentary one is held")
            if item.watch is not None:
                checker.truth((*path, "watch"), item.watch, over_time=True)
        case CycleItem() | SweepItem():
            _check_moved(item, path, airframe, checker)
        case WaitItem():
            checker.truth((*path, "until"), item.until, over_time=True)
            if item.left is not None:
                figures = [q.name for q in checker.quantities.values() if q.kind == "number"]
                checker.known((*path, "left"), "figure", item.left, figures)
        case RequestItem():
            services = {service.id: service for service in airframe.services}
            if checker.known((*path, "service"), "service", item.service, services):
                actions = [action.id for action in services[item.service].actions]
                checker.known((*path, "action"), f"action of {item.service}", item.action, actions)
        case DecideItem():
            checker.unique(path, "branch", [branch.id for branch in item.branches])
            for n, branch in enumerate(item.branches):
                checker.truth((*path, "branches", n, "when"), branch.when, over_time=True)
        case _:
            pass


def _check_moved(item: CycleItem | SweepItem, path: Path_, airframe: Airframe, checker: Checker) -> None:
    if not checker.known((*path, "control"), "control", item.control, airframe.controls):
        return
    control = airframe.controls[item.control]
    if control.kind in ("momentary", "entry"):
        checker.wrong(
            (*path, "control"),
            f"{item.control} is a {control.kind}; only what stands in positions is moved through them",
        )
    elif isinstance(item, CycleItem):
        for position in item.through:
            check_position(control, position, (*path, "through"), checker)
    elif item.watch is not None:
        checker.truth((*path, "watch"), item.watch, over_time=True)
