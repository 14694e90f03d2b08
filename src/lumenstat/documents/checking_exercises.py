"""What an exercise means, read against its airframe and its checklists."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checker import Checker
from lumenstat.documents.checking import check_position
from lumenstat.documents.checking_checklists import items_with_paths
from lumenstat.documents.checking_order import check_order
from lumenstat.documents.checking_systems import check_faults, check_papers
from lumenstat.documents.checklist import CheckItem, Checklist, ControlItem, Item, PaperValue
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.quantities import quantities_of
from lumenstat.documents.sources import Path_, Source
from lumenstat.errors import Problem


def check_exercise(
    exercise: Exercise, airframe: Airframe, checklists: tuple[Checklist, ...], source: Source
) -> list[Problem]:
    """Problems of meaning in an exercise, read against its airframe and checklists."""
    checker = Checker(source, quantities_of(airframe))
    start = exercise.start
    batteries = [battery.id for battery in airframe.electrical.batteries]
    path: Path_
    for name in start.battery_charge:
        checker.known(("start", "battery_charge", name), "battery", name, batteries)
    for name in batteries:
        if name not in start.battery_charge:
            checker.wrong(("start", "battery_charge"), f"needs a charge for battery {name!r}")
    for name, position in start.controls.items():
        if checker.known(("start", "controls", name), "control", name, airframe.controls):
            check_position(airframe.controls[name], position, ("start", "controls", name), checker)
    services = {service.id: service for service in airframe.services}
    for name, state in start.services.items():
        if checker.known(("start", "services", name), "service", name, services):
            checker.known(("start", "services", name), f"state of {name}", state, services[name].states)
    supplies = [supply.id for supply in airframe.electrical.ground_supplies]
    for name in start.carts:
        checker.known(("start", "carts", name), "ground supply", name, supplies)
    surfaces = [surface.id for surface in airframe.hydraulics.surfaces]
    for name in start.surfaces_degrees:
        checker.known(("start", "surfaces_degrees", name), "surface", name, surfaces)
    for n, line in enumerate(start.before):
        path = ("start", "before", n)
        for name, position in line.set.items():
            if checker.known(path, "control", name, airframe.controls):
                check_position(airframe.controls[name], position, path, checker)
        if line.hold is not None:
            checker.known(path, "control", line.hold, airframe.controls)
        if line.request is not None:
            service, action = line.request
            if checker.known(path, "service", service, services):
                checker.known(path, f"action of {service}", action, [a.id for a in services[service].actions])
    for name in start.stores:
        checker.known(("start", "stores", name), "store", name, [store.id for store in airframe.stores])
    check_faults(exercise, airframe, checker)
    check_papers(exercise, airframe, checker)
    if exercise.ends_when is not None:
        checker.truth(("ends_when",), exercise.ends_when, over_time=True)
    ids = [item.id for checklist in checklists for item, _ in items_with_paths(checklist)]
    if len(checklists) > 1:
        checker.unique(("checklists",), "item", ids)
        if len(set(ids)) == len(ids):
            check_order(checklists, checker, ("checklists",))
    for checklist in checklists:
        if checklist.airframe != airframe.id:
            checker.wrong(("checklists",), f"checklist {checklist.id!r} is for airframe {checklist.airframe!r}")
        for item, _ in items_with_paths(checklist):
            for paper in _papers_of(item):
                checker.known(("papers",), f"paper value (needed by item {item.id!r})", paper, exercise.paper_values)
    return checker.problems


def _papers_of(item: Item) -> list[str]:
    if isinstance(item, ControlItem) and isinstance(item.to, PaperValue):
        return [item.to.paper]
    if isinstance(item, CheckItem) and item.expect.paper is not None:
        return [item.expect.paper]
    return []
