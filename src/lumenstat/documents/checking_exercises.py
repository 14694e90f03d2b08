"""What an exercise means, read against its airframe and its checklists."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checking import checker_for
from lumenstat.documents.checking_checklists import items_with_paths
from lumenstat.documents.checking_order import check_order
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.translating import check_texts
from lumenstat.errors import Problem
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_, Source
from lumenstat.systems.panel.part import check_position
from lumenstat.systems.registry import check_start, fault_targets, found_at_start


def check_exercise(
    exercise: Exercise, airframe: Airframe, checklists: tuple[Checklist, ...], source: Source
) -> list[Problem]:
    """Problems of meaning in an exercise, read against its airframe and checklists."""
    checker = checker_for(airframe, source)
    start = exercise.start
    check_start(start, airframe, checker)
    services = {service.id: service for service in airframe.services}
    path: Path_
    for n, line in enumerate(start.before):
        path = ("start", "before", n)
        for name, position in line.set.items():
            if checker.known(path, "control", name, airframe.controls):
                check_position(airframe.controls[name], position, path, checker)
                # What was done before is done by nobody with hands: a guard stays as it is found.
                if airframe.controls[name].kind == "guarded-toggle":
                    says = f"{name} is guarded and nobody lifts its guard here; say under `controls` where it is found"
                    checker.wrong((*path, "set", name), says)
        if line.hold is not None:
            known = checker.known(path, "control", line.hold, airframe.controls)
            if known and airframe.controls[line.hold].kind != "momentary":
                checker.wrong((*path, "hold"), f"{line.hold} stays where it is put; use `set`, a momentary one is held")
        if line.request is not None:
            service, action = line.request
            if checker.known(path, "service", service, services):
                checker.known(path, f"action of {service}", action, [a.id for a in services[service].actions])
    check_faults(exercise, airframe, checker)
    check_papers(exercise, airframe, checker)
    if exercise.ends_when is not None:
        checker.truth(("ends_when",), exercise.ends_when, over_time=True)
    checker.unique(("aims",), "aim", [aim.id for aim in exercise.aims])
    for n, aim in enumerate(exercise.aims):
        checker.truth(("aims", n, "when"), aim.when, over_time=True)
    ids = [item.id for checklist in checklists for item, _ in items_with_paths(checklist)]
    if len(checklists) > 1:
        checker.unique(("checklists",), "item", ids)
        # Order goes by ids, so it has no meaning while two items share one.
        if len(set(ids)) == len(ids):
            check_order(checklists, checker, ("checklists",))
    # A paper may give what is handed out, or what the start has put into the aircraft.
    values = exercise.paper_values | found_at_start(exercise.start, airframe)
    for checklist in checklists:
        if checklist.airframe != airframe.id:
            checker.wrong(("checklists",), f"checklist {checklist.id!r} is for airframe {checklist.airframe!r}")
        for item, _ in items_with_paths(checklist):
            for paper in item.papers():
                checker.known(("papers",), f"paper value (needed by item {item.id!r})", paper, values)
    check_texts(exercise, checker)
    return checker.problems


def check_papers(exercise: Exercise, airframe: Airframe, checker: Checker) -> None:
    """A paper value that is to be entered names an entry that can take it."""
    for n, paper in enumerate(exercise.papers):
        for m, line in enumerate(paper.lines):
            if line.entry is None:
                continue
            path: Path_ = ("papers", n, "lines", m)
            entries = [name for name, control in airframe.controls.items() if control.kind == "entry"]
            if checker.known((*path, "entry"), "entry", line.entry, entries):
                entry = airframe.controls[line.entry]
                least, most = entry.minimum or 0.0, entry.maximum or 0.0
                if isinstance(line.value, str) or not least <= line.value <= most:
                    checker.wrong((*path, "value"), f"{entry.name} takes {least:g} to {most:g}, so not {line.value!r}")


def check_faults(exercise: Exercise, airframe: Airframe, checker: Checker) -> None:
    """Every fault is about something there is, and arms in one way."""
    targets = fault_targets(airframe)
    checker.unique(("faults",), "fault", [fault.id for fault in exercise.faults])
    for n, known in enumerate(exercise.start.out_of_service):
        where: Path_ = ("start", "out_of_service", n, "target")
        checker.known(where, f"target for {known.kind}", known.target, targets[known.kind])
    for n, fault in enumerate(exercise.faults):
        path: Path_ = ("faults", n)
        checker.known((*path, "target"), f"target for {fault.kind}", fault.target, targets[fault.kind])
        if fault.at is not None and fault.when is not None:
            checker.wrong(path, "arms either `at` a time or `when` a state is there, not both")
        for key in ("when", "clear_when"):
            if (text := getattr(fault, key)) is not None:
                checker.truth((*path, key), text, over_time=False, logic=True)
