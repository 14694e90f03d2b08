"""Every kind of system. A new one is a room beside these and a line here.

The order decides which of several things that happen on one tick comes first, in which order units settle, and in which
order quantities are listed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import chain

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import Written
from lumenstat.language.wording import phrase
from lumenstat.systems.accumulators import Accumulators
from lumenstat.systems.air import Air
from lumenstat.systems.apu.system import ApuSystem
from lumenstat.systems.electrical.batteries import Batteries
from lumenstat.systems.electrical.buses import Buses
from lumenstat.systems.electrical.contactors import Contactors
from lumenstat.systems.electrical.dc_supplies import DcSupplies
from lumenstat.systems.electrical.diodes import Diodes
from lumenstat.systems.electrical.feeding import Feeding
from lumenstat.systems.electrical.loads import Loads
from lumenstat.systems.electrical.rectifiers import Rectifiers
from lumenstat.systems.engines.system import EngineSystem
from lumenstat.systems.fire import Fire
from lumenstat.systems.fuel import Fuel
from lumenstat.systems.hydraulics import Hydraulics
from lumenstat.systems.inertial.system import GyroSystem, InertialSystem
from lumenstat.systems.logic import Logic
from lumenstat.systems.panel.system import Panels
from lumenstat.systems.propellers import PropellerSystem
from lumenstat.systems.services import Services
from lumenstat.systems.stores import Stores
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind, StartField, Whole

ELECTRICAL: tuple[type[System], ...] = (
    Buses, Batteries, Rectifiers, DcSupplies, Diodes, Contactors, Feeding, Loads,
)  # fmt: skip
"""Those whose documents stand under `electrical`."""

SYSTEMS: tuple[type[System], ...] = (
    *ELECTRICAL, Hydraulics, Accumulators, Fuel, Air, Fire, Stores, Logic, ApuSystem, EngineSystem, PropellerSystem,
    GyroSystem, InertialSystem, Panels, Services,
)  # fmt: skip


def sections_of(systems: Sequence[type[System]]) -> tuple[type[Written], ...]:
    """What these systems add to a document, each once."""
    return tuple(dict.fromkeys(each.SECTION for each in systems if each.SECTION is not None))


def starts() -> tuple[type[Written], ...]:
    """What all systems add to the start of an exercise."""
    return tuple(dict.fromkeys(each.START for each in SYSTEMS if each.START is not None))


def mappings_of_start() -> tuple[str, ...]:
    """Keys of a start under which names with a value each stand: places, and what systems have by name."""
    sections: tuple[type[Written], ...] = (Surroundings, *starts())
    fields = {name: field for section in sections for name, field in section.model_fields.items()}
    return tuple(
        name for name, field in fields.items() if "dict[" in str(field.annotation) or "Place" in str(field.annotation)
    )


def fault_kinds() -> dict[str, FaultKind]:
    """Every kind of fault by its name."""
    return {fault.kind: fault for each in SYSTEMS for fault in each.FAULTS}


def systems_of(airframe: Sections) -> tuple[System, ...]:
    """The systems of an airframe."""
    systems = tuple(system for each in SYSTEMS for system in each.of(airframe))
    for system in systems:
        system.meet(systems)
    return systems


def quantities_of(airframe: Sections) -> dict[str, Quantity]:
    """Everything observable on an airframe by its dotted name: the vocabulary of expressions."""
    own = (
        Quantity("time", "s", "number", phrase("seconds since the exercise began")),
        Quantity(
            "start.hours_unpowered", "h", "number", phrase("how long the aircraft had stood unpowered at the start")
        ),
        Quantity("start.first_flight_of_day", "", "truth", phrase("the flight to come is the first of the day")),
    )
    found = chain(own, *(system.quantities() for system in systems_of(airframe)))
    return {quantity.name: quantity for quantity in found}


def names_of(airframe: Sections) -> dict[str, Sequence[str]]:
    """Ids of all parts by what they are called in documents."""
    return {what: names for each in SYSTEMS for what, names in each.names(airframe).items()}


def fault_targets(airframe: Sections) -> dict[str, Mapping[str, str]]:
    """For each kind of fault, what it can be about: the ids of parts, each with its name."""
    return {kind: targets for each in SYSTEMS for kind, targets in each.fault_targets(airframe).items()}


def fault_words(airframe: Sections, kind: str, target: str) -> str:
    """What a fault is called: what is wrong, and the name of the part that it is wrong with."""
    return fault_named(kind, fault_targets(airframe).get(kind, {}).get(target, target))


def fault_named(kind: str, part: str) -> str:
    """The same of a part by its name, for whoever names many at once."""
    known = fault_kinds().get(kind)
    what = known.words if known is not None else kind
    # "APU fire" says already of which part it is.
    if f" {part} ".lower() in f" {what} ".lower():
        return phrase("{fault:high}", fault=what)
    return phrase("{what:high}: {part}", part=part, what=what)


def check_systems(airframe: Sections, checker: Checker) -> None:
    """Note what is wrong with the systems of an airframe, each by itself and all together."""
    whole = Whole(
        tuple(path for each in SYSTEMS for path in each.dc_paths(airframe)),
        tuple(load for each in SYSTEMS for load in each.switched_loads(airframe)),
    )
    for each in SYSTEMS:
        each.check(airframe, checker)
        each.check_whole(airframe, whole, checker)


def check_start(start: Sections, airframe: Sections, checker: Checker) -> None:
    """Note what is wrong with the start of an exercise on an airframe."""
    for each in SYSTEMS:
        each.check_start(start, airframe, checker)


def start_fields(airframe: Sections) -> Iterator[StartField]:
    """Figures of a start that belong to systems, for forms."""
    for each in SYSTEMS:
        yield from each.start_fields(airframe)


def found_at_start(start: Sections, airframe: Sections) -> dict[str, float | str]:
    """What the crew find that an item may ask for, by `found.name`."""
    return {f"found.{name}": value for each in SYSTEMS for name, value in each.found(start, airframe)}


def start_lines(start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
    """What a start says, for people."""
    for each in SYSTEMS:
        yield from each.start_lines(start, airframe)


def preview(start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
    """What a start means, for people."""
    for each in SYSTEMS:
        yield from each.preview(start, airframe)
