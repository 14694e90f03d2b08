"""Inertial units and gyros as the kernel asks about them; `unit` tells what they do, `alignment` how north is found."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.sources import Path_
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.systems.inertial.alignment import full_alignment_seconds
from lumenstat.systems.inertial.part import NOTICES, PHASES, AlignMode, Gyro, Inertial, InertialSection, InertialStart
from lumenstat.systems.inertial.unit import InertialUnit
from lumenstat.systems.layout import Layout
from lumenstat.systems.panel.part import PanelsSection
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Delay, FaultKind, Machine
from lumenstat.systems.unit import Host

FIGURES = ("progress", "seconds_left", "counter", "heading_error", "position_error")
ENTRY = "entry"
NEEDED = {"gyrocompass": "best_degrees", "gyro": "seconds and best_degrees", "stored": "seconds and best_degrees"}


class GyroSystem(System):
    """One gyro: erect some time after its power came."""

    SECTION = InertialSection

    def __init__(self, gyro: Gyro) -> None:
        self.gyro = gyro

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for each gyro."""
        return [cls(gyro) for gyro in airframe.section(InertialSection).gyros]

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """On a bus."""
        for n, gyro in enumerate(airframe.section(InertialSection).gyros):
            checker.refers(("gyros", n, "bus"), "bus", gyro.bus)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Gyros."""
        return {"gyro": [gyro.id for gyro in airframe.section(InertialSection).gyros]}

    def quantities(self) -> Iterator[Quantity]:
        """Whether it is erect."""
        yield Quantity(f"gyro.{self.gyro.id}.erect", "", "truth", phrase("{gyro} is erect", gyro=self.gyro.name))

    def delays(self) -> Iterator[Delay]:
        """Until it is erect."""
        yield Delay(f"gyro.{self.gyro.id}.erect", f"alive(bus.{self.gyro.bus})", self.gyro.erect_seconds)


class InertialSystem(System):
    """One inertial unit."""

    SECTION = InertialSection
    START = InertialStart
    FAULTS = (
        FaultKind("inertial_failed", phrase("inertial unit failed")),
        FaultKind("inertial_refuses", phrase("inertial unit refuses the position")),
        FaultKind("aircraft_nudged", phrase("aircraft nudged while it stands")),
    )
    EVENTS = ("inertial",)

    def __init__(self, unit: Inertial, moves_when: str | None) -> None:
        self.described, self.at = unit, f"inertial.{unit.id}"
        self.moves_when = moves_when or "false"

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for each inertial unit."""
        section = airframe.section(InertialSection)
        return [cls(unit, section.moves_when) for unit in section.inertial]

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Inertial units."""
        return {"inertial unit": [unit.id for unit in airframe.section(InertialSection).inertial]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Units; the aircraft itself where it is nudged."""
        units = {unit.id: unit.name for unit in airframe.section(InertialSection).inertial}
        return {
            "inertial_failed": units,
            "inertial_refuses": units,
            "aircraft_nudged": {"aircraft": phrase("aircraft")},
        }

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Buses, entries, modes that can find north."""
        section = airframe.section(InertialSection)
        checker.unique(("inertial",), "inertial unit", [unit.id for unit in section.inertial])
        for n, unit in enumerate(section.inertial):
            _check_unit(unit, airframe, ("inertial", n), checker)
        checker.logic(("moves_when",), section.moves_when)

    @classmethod
    def preview(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """How long a full alignment takes."""
        for unit in airframe.section(InertialSection).inertial:
            seconds = full_alignment_seconds(unit, start.section(Surroundings))
            yield (
                phrase("Full alignment here, {unit}", unit=unit.name),
                phrase("not here") if seconds is None else clock(seconds),
            )

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterator[Quantity]:
        """Phase, notice, how far it is and how well it knows."""
        at, of = self.at, self.described.name
        modes = ("", *(mode.id for mode in self.described.modes))
        yield Quantity(f"{at}.phase", "", "text", phrase("what {of} is doing", of=of), choices=PHASES)
        yield Quantity(f"{at}.mode", "", "text", phrase("how {of} finds north, or nothing", of=of), choices=modes)
        yield Quantity(f"{at}.notice", "", "text", phrase("what {of} complains of, or nothing", of=of), choices=NOTICES)
        yield Quantity(f"{at}.progress", "", "number", phrase("how far {of} is aligned, 0 to 1", of=of))
        yield Quantity(f"{at}.seconds_left", "s", "number", phrase("seconds until {of} is at its best", of=of))
        yield Quantity(
            f"{at}.counter", "", "number", phrase("status counter of {of}: 9 at the beginning, 0 at its best", of=of)
        )
        yield Quantity(
            f"{at}.heading_error", "deg", "number", phrase("how well {of} knows heading; 180 is not at all", of=of)
        )
        yield Quantity(
            f"{at}.position_error", "km", "number", phrase("how far off {of} was told it stands; -1 is not told", of=of)
        )
        yield Quantity(
            f"{at}.on_backup", "", "truth", phrase("{of} runs on its backup supply, or shows that it could", of=of)
        )
        yield Quantity(f"{at}.may_navigate", "", "truth", phrase("{of} may navigate, if not at its best yet", of=of))
        yield Quantity(f"{at}.position_entered", "", "truth", phrase("{of} has been told where it stands", of=of))
        yield Quantity(
            f"{at}.position_differs", "", "truth", phrase("{of} was told another place than it remembers", of=of)
        )

    def machines(self) -> Iterator[Machine]:
        """Its phases."""
        yield Machine(self.described.name, f"{self.at}.phase", PHASES)

    # ---- what it is compiled from ------------------------------------------------------------------------

    def conditions(self) -> list[str]:
        """On, navigate, entered, cooled, moves, then a mode each."""
        unit = self.described
        asked = [unit.on_when, unit.navigate_when, unit.entered_when, unit.cooled_when or "true", self.moves_when]
        return asked + [mode.when for mode in unit.modes]

    def given(self) -> list[str]:
        """How far it is and how well it knows."""
        return [f"{self.at}.{name}" for name in FIGURES]

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """As its unit gives them."""
        for name in self.given():
            yield name, layout.code("given", name)

    def unit(self, host: Host, start: Sections, number: int) -> InertialUnit:
        """The inertial unit of one aircraft."""
        return InertialUnit(host, number, self.described, start)


def _check_unit(unit: Inertial, airframe: Sections, path: Path_, checker: Checker) -> None:
    checker.refers((*path, "bus"), "bus", unit.bus)
    if unit.backup_bus is not None:
        checker.refers((*path, "backup_bus"), "bus", unit.backup_bus)
        if not unit.backup_seconds:
            checker.wrong((*path, "backup_seconds"), "say for how many seconds its backup bus may carry it")
    controls = airframe.section(PanelsSection).controls
    for key in ("latitude_entry", "longitude_entry"):
        name = getattr(unit, key)
        if checker.refers((*path, key), "control", name) and controls[name].kind != ENTRY:
            checker.wrong((*path, key), f"{name} is a {controls[name].kind}; a position needs an `entry`")
    for key in ("on_when", "navigate_when", "entered_when", "cooled_when"):
        checker.logic((*path, key), getattr(unit, key))
    if not unit.modes:
        checker.wrong((*path, "modes"), "needs at least one mode: how else would it find north")
    for n, mode in enumerate(unit.modes):
        _check_mode(mode, (*path, "modes", n), checker)


def _check_mode(mode: AlignMode, path: Path_, checker: Checker) -> None:
    checker.logic((*path, "when"), mode.when)
    if mode.best_degrees is None or (mode.finds != "gyrocompass" and mode.seconds is None):
        needed = f"`{mode.finds}` needs {NEEDED[mode.finds]}"
        checker.wrong(path, f"mode {mode.id!r} has no duration or accuracy: {needed}")
    if mode.finds == "gyro":
        if mode.gyro is None:
            checker.wrong(path, f"mode {mode.id!r} takes its heading from a gyro; name it with `gyro`")
        else:
            checker.refers((*path, "gyro"), "gyro", mode.gyro)
