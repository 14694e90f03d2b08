"""Propeller units: blades between flat and feather, a governor that holds the rpm, and a lock that keeps them flat.

Oil pressure moves blades towards flat; a spring and weights move them towards feather where it is missing. So a
propeller that stands still goes to feather, unless its lock holds it flat: then the engine turns it easily and can
start. Blades that bite brake the shaft, the more the nearer they are to feather.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Annotated, Literal, Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import (
    ExpressionText,
    Fraction,
    Name,
    NotNegative,
    Number,
    Part,
    PartNumber,
    Positive,
    Since,
    Written,
)
from lumenstat.language.wording import phrase
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Drag, Draw, FaultKind, State, Threshold
from lumenstat.systems.unit import Host, Unit

DEGREES_TOLERANCE = 0.2
RPM_TOLERANCE = 0.005
"""As a share of the full rpm."""
SOFT_STOP_SECONDS = 0.3
"""How blades come to rest: their way to a stop shrinks by this lag."""
AT_STOP_DEGREES = 1.0
LEAVES_STOP_DEGREES = 2.0


class Lock(Written):
    """Pins that hold the blades flat. They engage as the rpm falls through `engages_below_rpm` with the blades flat,
    and let go while `releases_when` is true and oil pressure takes the blades off them."""

    engages_below_rpm: Positive
    releases_when: ExpressionText


class Pump(Written):
    """An electric pump for oil pressure while the propeller does not turn: to unfeather it."""

    bus: Name
    watts: Positive
    when: ExpressionText


class Propeller(Part):
    """A propeller on an engine. Its rpm lags to `full_rpm` at full speed with flat blades, and to `feathered_share` of
    that in feather; its governor turns the blades where the rpm is another than `governed_rpm`."""

    engine: PartNumber
    flat_degrees: Number = 0.0
    feather_degrees: Positive = 84.0
    full_rpm: Positive
    feathered_share: Fraction = 0.25
    lag_seconds: Positive = 1.5
    governed_rpm: Positive
    degrees_per_second_per_rpm: Positive = 0.05
    fine_degrees_per_second: Positive = 12.0
    feather_degrees_per_second: Positive = 20.0
    oil_from_rpm: Positive
    feathers_when: ExpressionText
    brakes_percent_per_second: NotNegative = 0.0
    """What it takes from its engine in feather at full speed."""
    lock: Lock | None = None
    pump: Pump | None = None


class PropellersSection(Written):
    """The propeller units of an aircraft."""

    propellers: Annotated[tuple[Propeller, ...], Since("0.2")] = ()


class PropellersStart(Written):
    """How propellers were left; without it on their lock where they have one, else in feather."""

    blades: Annotated[dict[Name, Literal["flat", "feather"]], Since("0.2")] = {}


class PropellerSystem(System):
    """One propeller unit."""

    SECTION = PropellersSection
    START = PropellersStart
    FAULTS = (
        FaultKind("propeller_lock_fails", phrase("propeller lock does not hold")),
        FaultKind("propeller_pump_failed", phrase("feathering pump failed")),
        FaultKind("propeller_stuck", phrase("propeller blades stuck")),
    )

    def __init__(self, propeller: Propeller) -> None:
        self.propeller, self.at = propeller, f"propeller.{propeller.id}"

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for each propeller."""
        return [cls(each) for each in airframe.section(PropellersSection).propellers]

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Propellers."""
        return {"propeller": [each.id for each in airframe.section(PropellersSection).propellers]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Propellers, and those with the part that fails."""
        propellers = airframe.section(PropellersSection).propellers
        return {
            "propeller_lock_fails": {each.id: each.name for each in propellers if each.lock is not None},
            "propeller_pump_failed": {each.id: each.name for each in propellers if each.pump is not None},
            "propeller_stuck": {each.id: each.name for each in propellers},
        }

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """On an engine that there is; angles and rpm that make sense together."""
        propellers = airframe.section(PropellersSection).propellers
        checker.unique(("propellers",), "propeller", [each.id for each in propellers])
        for n, each in enumerate(propellers):
            at = "propellers", n
            checker.refers((*at, "engine"), "engine", each.engine)
            checker.logic((*at, "feathers_when"), each.feathers_when)
            if each.flat_degrees >= each.feather_degrees:
                checker.wrong(at, "`flat_degrees` must be less than `feather_degrees`")
            if each.governed_rpm > each.full_rpm:
                holds = f"the governor holds {each.governed_rpm:g} rpm"
                checker.wrong((*at, "governed_rpm"), f"{holds}, and flat blades reach {each.full_rpm:g} at most")
            if each.lock is not None:
                checker.logic((*at, "lock", "releases_when"), each.lock.releases_when)
            if each.pump is not None:
                checker.refers((*at, "pump", "bus"), "bus", each.pump.bus)
                checker.logic((*at, "pump", "when"), each.pump.when)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Propellers that there are."""
        for name in start.section(PropellersStart).blades:
            checker.refers(("start", "blades", name), "propeller", name)

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """How each was left, where the exercise says so."""
        left = start.section(PropellersStart).blades
        for each in airframe.section(PropellersSection).propellers:
            if each.id in left:
                yield each.name, phrase("left flat") if left[each.id] == "flat" else phrase("left in feather")

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterator[Quantity]:
        """Rpm, blade angle, where the blades are and what holds them."""
        at, of = self.at, self.propeller.name
        yield Quantity(f"{at}.rpm", "rpm", "number", phrase("speed of {of}", of=of))
        yield Quantity(f"{at}.blade_angle", "deg", "number", phrase("blade angle of {of}", of=of))
        yield Quantity(f"{at}.feathered", "", "truth", phrase("blades of {of} are in feather", of=of))
        yield Quantity(f"{at}.flat", "", "truth", phrase("blades of {of} are flat", of=of))
        yield Quantity(f"{at}.locked", "", "truth", phrase("blades of {of} are held flat by their lock", of=of))
        yield Quantity(f"{at}.oil", "", "truth", phrase("{of} has oil pressure to move its blades", of=of))
        yield Quantity(f"{at}.pump_running", "", "truth", phrase("the electric oil pump of {of} runs", of=of))

    # ---- what it is compiled from ------------------------------------------------------------------------

    def conditions(self) -> list[str]:
        """Feather, release the lock, run the pump."""
        lock, pump = self.propeller.lock, self.propeller.pump
        return [
            self.propeller.feathers_when,
            lock.releases_when if lock else "true",
            f"alive(bus.{pump.bus}) and ({pump.when})" if pump else "false",
        ]

    def thresholds(self) -> Iterator[Threshold]:
        """Oil from its own pump, turning too fast for the lock, and the two stops of the blades."""
        each, at = self.propeller, self.at
        yield Threshold(f"{at}.rpm", f"{at}.own_oil", each.oil_from_rpm, each.oil_from_rpm * 0.9)
        if each.lock is not None:
            most = each.lock.engages_below_rpm
            yield Threshold(f"{at}.rpm", f"{at}.too_fast", most * 1.05, most)
        feather, angle = each.feather_degrees, f"{at}.blade_angle"
        yield Threshold(angle, f"{at}.feathered", feather - AT_STOP_DEGREES, feather - LEAVES_STOP_DEGREES)
        flat = each.flat_degrees
        yield Threshold(angle, f"{at}.off_flat", flat + LEAVES_STOP_DEGREES, flat + AT_STOP_DEGREES)

    def hidden(self) -> Iterator[str]:
        """What its comparators tell."""
        for name in ("own_oil", "too_fast", "off_flat"):
            yield f"{self.at}.{name}"

    def states(self) -> Iterator[State]:
        """Blade angle and rpm."""
        each = self.propeller
        yield State(f"{self.at}.blade_angle", tolerance=DEGREES_TOLERANCE)
        yield State(f"{self.at}.rpm", each.lag_seconds, RPM_TOLERANCE * each.full_rpm, never_negative=True)

    def draws(self) -> Iterator[Draw]:
        """The electric pump."""
        if (pump := self.propeller.pump) is not None:
            yield Draw(f"{self.at}.pump_running", pump.bus, pump.watts)

    def drags(self) -> Iterator[Drag]:
        """Blades that bite brake the engine."""
        each = self.propeller
        if each.brakes_percent_per_second:
            per_degree = each.brakes_percent_per_second / (each.feather_degrees - each.flat_degrees)
            yield Drag(each.engine, f"{self.at}.blade_angle", each.flat_degrees, per_degree)

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """States as they are."""
        for state in self.states():
            yield state.name, layout.code("x", state.name)

    def unit(self, host: Host, start: Sections, number: int) -> PropellerUnit:
        """The propeller of one aircraft."""
        left = start.section(PropellersStart).blades.get(self.propeller.id)
        return PropellerUnit(host, number, self.propeller, left)


class PropellerUnit(Unit):
    """The blades of one propeller: what moves them, and how fast they turn."""

    SNAPSHOT = ("was_too_fast",)

    def __init__(self, host: Host, number: int, propeller: Propeller, left: str | None) -> None:
        at = f"propeller.{propeller.id}"
        names = ("feathered", "flat", "locked", "oil", "pump_running", "own_oil", "too_fast", "off_flat")
        super().__init__(host, number, {name: f"{at}.{name}" for name in names})
        self.propeller = propeller
        self._angle = host.layout.x[f"{at}.blade_angle"]
        self._speed = host.layout.shaft(propeller.engine) or 0
        self._asked_to_feather = False
        self._holds, self._towards_feather = False, False
        self.was_too_fast = False
        flat = left == "flat" or (left is None and propeller.lock is not None)
        self._begins = propeller.flat_degrees if flat else propeller.feather_degrees
        self.put(locked=flat and propeller.lock is not None, off_flat=not flat)

    def begin(self) -> list[float]:
        """Blades as they were left, standing still."""
        return [self._begins, 0.0]

    # ---- discrete ----------------------------------------------------------------------------------------

    def follow(self, feathers: bool, releases: bool, pumps: bool) -> None:
        """Oil pressure, the lock, and what that means for the blades."""
        faults, name = self.host.faults, self.propeller.id
        self._asked_to_feather = feathers
        running = pumps and not faults.has("propeller_pump_failed", name)
        oil = running or self.get("own_oil") is True
        flat, too_fast = not self.get("off_flat"), self.get("too_fast") is True
        locked = self.get("locked") is True
        if self.propeller.lock is not None:
            # Pins fall in on the way down, through the speed where their weights let go; not while standing still.
            locked = locked or (flat and self.was_too_fast and not too_fast)
            locked = locked and not (releases and oil) and not faults.has("propeller_lock_fails", name)
        self.was_too_fast = too_fast
        self.put(pump_running=running, oil=oil, flat=flat, locked=locked)

    # ---- what stays as it is until the next event --------------------------------------------------------

    def decides(self) -> object:
        """What moves the blades."""
        return self._asked_to_feather, self.get("locked"), self.get("oil")

    def hold(self, watts: Mapping[str, float]) -> object:
        """Whether the blades are held, and whether the spring or the governor moves them."""
        self._holds = self.get("locked") is True or self.host.faults.has("propeller_stuck", self.propeller.id)
        # Spring and weights always pull towards feather; only oil pressure holds against them.
        self._towards_feather = self._asked_to_feather or not self.get("oil")
        return self._holds, self._towards_feather

    # ---- continuous --------------------------------------------------------------------------------------

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """How fast the blades turn, and where the rpm tends."""
        angle, rpm, speed = x[self._angle], x[self._angle + 1], x[self._speed]
        each = self.propeller
        bite = (angle - each.flat_degrees) / (each.feather_degrees - each.flat_degrees)
        tends = each.full_rpm * speed / 100 * (1 - bite * (1 - each.feathered_share))
        return [0.0 if self._holds else self._blade_rate(angle, rpm), tends], []

    def _blade_rate(self, angle: float, rpm: float) -> float:
        each = self.propeller
        if self._towards_feather:
            rate = each.feather_degrees_per_second
        else:
            rate = (rpm - each.governed_rpm) * each.degrees_per_second_per_rpm
            rate = min(max(rate, -each.fine_degrees_per_second), each.fine_degrees_per_second)
        to_feather = (each.feather_degrees - angle) / SOFT_STOP_SECONDS
        to_flat = (each.flat_degrees - angle) / SOFT_STOP_SECONDS
        return min(max(rate, to_flat), to_feather)
