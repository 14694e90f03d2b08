"""Hydraulic pressure, the pumps that make it, and the surfaces that follow their levers as soon as it is there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Annotated, Self

from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import (
    ExpressionText,
    Name,
    NotNegative,
    Number,
    Part,
    Position,
    Positive,
    Since,
    Written,
)
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.layout import Layout
from lumenstat.systems.panel.part import ControlsStart, PanelsSection
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Draw, FaultKind, StartField, State, Threshold, ticks
from lumenstat.systems.unit import Host, Unit

AT_PLACE_DEGREES = 0.05
LETS_GO_AT_SHARE = 0.9
"""A surface that moves stops below this share of the pressure that it needs to begin."""


class HydraulicSystem(Part):
    """A pressure that rises and falls with a first-order lag."""

    nominal_psi: Positive
    lag_seconds: Positive


class HydraulicPump(Part):
    """Drives its system while asked to. An electric one has a bus and watts, one on an engine has neither."""

    bus: Name | None = None
    system: Name
    watts: Positive | None = None
    when: ExpressionText


class Surface(Part):
    """Something that follows a lever as soon as its system has pressure enough; it takes some of it while it moves."""

    system: Name
    moves_above_psi: Positive
    lever: Name
    positions: dict[Position, Number]
    degrees_per_second: Positive
    takes_psi: Annotated[NotNegative, Since("0.4")] = 350.0


class HydraulicsPart(Written):
    """Pressure, and what moves when it comes."""

    systems: tuple[HydraulicSystem, ...] = ()
    pumps: tuple[HydraulicPump, ...] = ()
    surfaces: tuple[Surface, ...] = ()


class HydraulicsSection(Written):
    """The hydraulics of an aircraft."""

    hydraulics: HydraulicsPart = HydraulicsPart()


class SurfacesStart(Written):
    """Where surfaces were left, in degrees; without it as their levers stand."""

    surfaces_degrees: dict[Name, Number] = {}


class Hydraulics(System):
    """All hydraulics of an aircraft."""

    SECTION = HydraulicsSection
    START = SurfacesStart
    FAULTS = (FaultKind("hydraulic_pump_runs", phrase("hydraulic pump runs without being asked")),)
    EVENTS = ("surface",)

    def __init__(self, part: HydraulicsPart) -> None:
        self.part = part

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all systems, pumps and surfaces."""
        yield cls(airframe.section(HydraulicsSection).hydraulics)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Pumps of a system, surfaces with an angle for every position of their lever."""
        part = airframe.section(HydraulicsSection).hydraulics
        controls = airframe.section(PanelsSection).controls
        for n, pump in enumerate(part.pumps):
            at = "hydraulics", "pumps", n
            checker.refers((*at, "system"), "hydraulic system", pump.system)
            if pump.bus is not None:
                checker.refers((*at, "bus"), "bus", pump.bus)
            # Watts without a bus would be taken from nowhere.
            if (pump.bus is None) != (pump.watts is None):
                checker.wrong(at, "an electric pump has a bus and watts; one that an engine drives has neither")
            checker.logic((*at, "when"), pump.when)
        for n, surface in enumerate(part.surfaces):
            at = "hydraulics", "surfaces", n
            checker.refers((*at, "system"), "hydraulic system", surface.system)
            if checker.refers((*at, "lever"), "control", surface.lever):
                for position in controls[surface.lever].positions:
                    checker.known((*at, "positions"), "angle for lever position", position, surface.positions)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Surfaces that there are."""
        for name in start.section(SurfacesStart).surfaces_degrees:
            checker.refers(("start", "surfaces_degrees", name), "surface", name)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Systems and surfaces."""
        part = airframe.section(HydraulicsSection).hydraulics
        return {
            "hydraulic system": [system.id for system in part.systems],
            "surface": [surface.id for surface in part.surfaces],
        }

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Pumps."""
        return {
            "hydraulic_pump_runs": {pump.id: pump.name for pump in airframe.section(HydraulicsSection).hydraulics.pumps}
        }

    @classmethod
    def start_fields(cls, airframe: Sections) -> Iterator[StartField]:
        """Where each surface was left."""
        for surface in airframe.section(HydraulicsSection).hydraulics.surfaces:
            path = f"surfaces_degrees.{surface.id}"
            yield StartField(
                path, phrase("{surface}, found at", surface=surface.name), "°", usual=phrase("as its lever stands")
            )

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """Surfaces that were left elsewhere."""
        left = start.section(SurfacesStart).surfaces_degrees
        for surface in airframe.section(HydraulicsSection).hydraulics.surfaces:
            if surface.id in left:
                yield surface.name, phrase("left at {id:g} degrees", id=left[surface.id])

    @classmethod
    def found(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, float | str]]:
        """For each surface, the position of its lever that comes nearest to where it stands."""
        left, stood = start.section(SurfacesStart).surfaces_degrees, start.section(ControlsStart).controls
        controls = airframe.section(PanelsSection).controls
        for surface in airframe.section(HydraulicsSection).hydraulics.surfaces:
            lever = stood.get(surface.lever, controls[surface.lever].usual)
            angle = left.get(surface.id, surface.positions.get(str(lever), 0.0))
            yield surface.id, _nearest_position(surface, angle)

    def quantities(self) -> Iterator[Quantity]:
        """Pressures, running pumps, and where surfaces stand."""
        for system in self.part.systems:
            yield Quantity(
                f"hydraulic.{system.id}.psi", "psi", "number", phrase("pressure of {system}", system=system.name)
            )
        for pump in self.part.pumps:
            yield Quantity(f"pump.{pump.id}.running", "", "truth", phrase("{of} runs", of=pump.name))
        for surface in self.part.surfaces:
            at, of = f"surface.{surface.id}", surface.name
            yield Quantity(f"{at}.degrees", "deg", "number", phrase("where {of} stands", of=of))
            yield Quantity(f"{at}.moving", "", "truth", phrase("{of} is moving", of=of))
            yield Quantity(f"{at}.disagrees", "", "truth", phrase("{of} stands elsewhere than its lever says", of=of))

    def conditions(self) -> list[str]:
        """When each pump is asked to run, with its bus alive."""
        return [f"alive(bus.{pump.bus}) and ({pump.when})" if pump.bus else pump.when for pump in self.part.pumps]

    def thresholds(self) -> Iterator[Threshold]:
        """Pressure enough to move."""
        for surface in self.part.surfaces:
            least = surface.moves_above_psi
            yield Threshold(f"hydraulic.{surface.system}.psi", f"pressed.{surface.id}", least, least * LETS_GO_AT_SHARE)

    def states(self) -> Iterator[State]:
        """Pressures lag; angles move at their rate."""
        for system in self.part.systems:
            yield State(f"hydraulic.{system.id}.psi", lag_seconds=system.lag_seconds)
        for surface in self.part.surfaces:
            yield State(f"surface.{surface.id}.degrees")

    def draws(self) -> Iterator[Draw]:
        """Electric pumps."""
        for pump in self.part.pumps:
            if pump.bus is not None:
                yield Draw(f"pump.{pump.id}.running", pump.bus, pump.watts or 0.0)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """All states as they are."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)

    def unit(self, host: Host, start: Sections, number: int) -> HydraulicsUnit:
        """The hydraulics of one aircraft."""
        return HydraulicsUnit(host, number, self.part, start.section(SurfacesStart).surfaces_degrees)


def _nearest_position(surface: Surface, angle: float) -> str:
    return min(surface.positions, key=lambda at: abs(surface.positions[at] - angle))


class HydraulicsUnit(Unit):
    """Pumps and surfaces of one aircraft."""

    SNAPSHOT = ("moving_to",)

    def __init__(self, host: Host, number: int, part: HydraulicsPart, left: Mapping[str, float]) -> None:
        super().__init__(host, number)
        d = host.layout.d
        self._part, self._left = part, left
        self._pumps = [
            (each, d[f"pump.{each.id}.running"], d[alive(each.bus)] if each.bus else None) for each in part.pumps
        ]
        self._surfaces = [
            (
                each,
                host.layout.x[f"surface.{each.id}.degrees"],
                d[f"surface.{each.id}.moving"],
                d[f"surface.{each.id}.disagrees"],
                d[f"pressed.{each.id}"],
                d[naming.control(each.lever)],
            )
            for each in part.surfaces
        ]
        self.moving_to: tuple[float | None, ...] = (None,) * len(part.surfaces)
        moving = [f"surface.{each.id}.moving" for each in part.surfaces]
        self.held_by = (*(f"pump.{each.id}.running" for each in part.pumps), *moving)
        self._followed: tuple[object, ...] = ()
        self._angle_rates: list[float] = []

    def begin(self) -> list[float]:
        """No pressure; surfaces where they were left."""
        angles = []
        for surface, _, _, _, _, lever in self._surfaces:
            angles.append(self._left.get(surface.id, surface.positions[str(self.host.d[lever])]))
        return [0.0] * len(self._part.systems) + angles

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Pumps run as asked; surfaces move where their levers stand."""
        faults, d = self.host.faults, self.host.d
        if faults.active or (conditions, faults.changes) != self._followed:
            self._followed = conditions, faults.changes
            for (pump, slot, bus), on in zip(self._pumps, conditions, strict=True):
                powered = bus is None or d[bus] is True
                # A pump whose switch fails closed still needs power.
                d[slot] = on or (powered and faults.has("hydraulic_pump_runs", pump.id))
        for n in range(len(self._surfaces)):
            self._move(n)

    def _move(self, n: int) -> None:
        """Set off, stop or turn round a surface."""
        surface, at, moving, disagrees, pressed, lever = self._surfaces[n]
        d = self.host.d
        target, angle = surface.positions[str(d[lever])], self.host.x[at]
        d[disagrees] = abs(target - angle) > AT_PLACE_DEGREES
        # Without pressure a surface stays where it is: that a lever and its surface differ is what crews must notice.
        wanted = target if d[disagrees] and d[pressed] else None
        if wanted != self.moving_to[n]:
            self.moving_to = (*self.moving_to[:n], wanted, *self.moving_to[n + 1 :])
            if wanted is None:
                self.never_mind(n)
            else:
                self.later(n, ticks(abs(target - angle) / surface.degrees_per_second))
        d[moving] = wanted is not None

    def fire(self, kind: int, what: int) -> None:
        """A surface has arrived."""
        target = self.moving_to[what]
        if target is not None:
            # The step ends a rounding beside the target; standing exactly there, it agrees with its lever at once.
            self.host.x[self._surfaces[what][1]] = target

    def decides(self) -> object:
        """Which way surfaces move."""
        self._angle_rates = [self._angle_rate(n) for n in range(len(self._surfaces))]
        return self._angle_rates

    def _angle_rate(self, n: int) -> float:
        target = self.moving_to[n]
        if target is None:
            return 0.0
        surface, at, *_ = self._surfaces[n]
        return surface.degrees_per_second if target > self.host.x[at] else -surface.degrees_per_second

    def hold(self, watts: Mapping[str, float]) -> object:
        """Where pressures tend, and how fast surfaces move."""
        d = self.host.d
        pressed = {pump.system for pump, slot, _ in self._pumps if d[slot]}
        taken = dict.fromkeys((each.id for each in self._part.systems), 0.0)
        for surface, _, moving, *_ in self._surfaces:
            taken[surface.system] += surface.takes_psi if d[moving] else 0.0
        self.targets = [
            max(0.0, each.nominal_psi - taken[each.id]) if each.id in pressed else 0.0 for each in self._part.systems
        ]
        self.targets += self._angle_rates
        return self.targets
