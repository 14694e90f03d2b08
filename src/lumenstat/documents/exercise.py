"""`lumenstat/exercise/1`: where an exercise begins, what it hands out and how it is judged."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lumenstat.documents.engines import PartNumber
from lumenstat.documents.values import (
    DocumentId,
    ExpressionText,
    Flag,
    Fraction,
    Name,
    NotNegative,
    Number,
    Position,
    Positive,
    Seconds,
    Text,
    Written,
)


class Cart(Written):
    """One ground supply cart as it really is."""

    name: Text
    volts: NotNegative
    hertz: NotNegative


class Place(Written):
    """Where the aircraft stands."""

    name: Text
    latitude_degrees: Annotated[Number, Field(ge=-90, le=90)]
    longitude_degrees: Annotated[Number, Field(ge=-180, le=180)]


class Before(Written):
    """Something done before the exercise begins, `after` seconds since the line above it."""

    after: Seconds
    set: dict[Name, Position] = {}
    hold: Name | None = None
    request: tuple[Name, Name] | None = None


FaultKind = Literal[
    "battery_weak",
    "battery_hot",
    "limiter_failed",
    "diode_leaks",
    "contactor_stuck_open",
    "supply_out_of_tolerance",
    "supply_lost",
    "rectifier_failed",
    "generator_failed",
    "apu_out_of_order",
    "apu_no_light",
    "apu_hung",
    "apu_door_stuck",
    "apu_fire",
    "apu_no_oil",
    "loop_open",
    "bulb_dead",
    "fuel_pump_failed",
    "display_dead",
    "hydraulic_pump_runs",
    "duct_low",
    "engine_hung",
    "engine_hot",
    "engine_no_light",
    "engine_no_oil",
    "engine_no_rotation",
    "engine_starter_stuck",
    "inertial_failed",
    "inertial_refuses",
    "aircraft_nudged",
    "transfer_fails",
    "load_failed",
    "service_undone",
]


class OutOfService(Written):
    """A part known not to work, as the technical log says it: `says` is what the crew read there."""

    kind: FaultKind
    target: PartNumber
    says: Text
    amount: Positive | None = None


class Start(Written):
    """The aircraft as the crew find it."""

    place: Place
    outside_celsius: Annotated[Number, Field(ge=-60, le=60)] = 15.0
    hours_unpowered: NotNegative = 12.0
    first_flight_of_day: Flag = True
    out_of_service: tuple[OutOfService, ...] = ()
    remembered: Place | None = None
    moved_since_shutdown: Flag = False
    battery_charge: dict[Name, Fraction]
    carts: dict[Name, Annotated[tuple[Cart, ...], Field(min_length=1)]] = {}
    services: dict[Name, Name] = {}
    controls: dict[Name, Position] = {}
    surfaces_degrees: dict[Name, Number] = {}
    stores: dict[Name, Number] = {}
    before: tuple[Before, ...] = ()


class Fault(Written):
    """Something that goes wrong at a time or with a state, and may clear likewise.

    `amount` is the resistance factor of a weak battery, the hertz of a bad supply, the amperes a diode leaks, the
    share of its power that a hung APU or engine has, the factor by which a hot engine burns too rich, or the share of
    its pressure that a low duct has.
    """

    id: DocumentId
    kind: FaultKind
    target: PartNumber
    at: Seconds | None = None
    when: ExpressionText | None = None
    clear_at: Seconds | None = None
    clear_when: ExpressionText | None = None
    amount: Positive | None = None


def known_faults(start: Start) -> tuple[Fault, ...]:
    """What is out of service, as faults that are there from the first moment on."""
    return tuple(
        Fault(id=f"out-of-service-{n + 1}", kind=each.kind, target=each.target, at=0, amount=each.amount)
        for n, each in enumerate(start.out_of_service)
    )


class PaperLine(Written):
    """One value on a paper, and the entry it belongs into if it is to be entered."""

    id: Name
    name: Text
    value: Number | Text
    unit: Text | None = None
    entry: Name | None = None


class Paper(Written):
    """Something handed out with the exercise."""

    id: Name
    name: Text
    lines: Annotated[tuple[PaperLine, ...], Field(min_length=1)]


class GradeBand(Written):
    """A grade in words, given from this percentage on."""

    at_least: Annotated[Number, Field(ge=0, le=100)]
    words: Text


class Credit(Written):
    """Overrides what share of its weight a verdict earns."""

    corrected: Fraction = 0.75
    late: Fraction = 0.5
    early: Fraction = 0.5
    out_of_order: Fraction = 0.5
    hint: Fraction = 0.25


class Exercise(Written):
    """An exercise document."""

    format: Literal["lumenstat/exercise/1"]
    id: DocumentId
    title: Text
    brief: Text
    airframe: DocumentId
    checklists: Annotated[tuple[DocumentId, ...], Field(min_length=1)]
    start: Start
    papers: tuple[Paper, ...] = ()
    faults: tuple[Fault, ...] = ()
    assist: Literal["guided", "coached", "examined"] = "examined"
    time_lapse: Literal["off", "waits", "free"] = "off"
    ends_when: ExpressionText | None = None
    minutes_at_most: Annotated[Positive, Field(le=240)]
    pass_mark: Annotated[Number, Field(ge=0, le=100)]
    bands: tuple[GradeBand, ...] = ()
    credit: Credit = Credit()
    seed: int = 0

    @property
    def handed_out(self) -> tuple[Paper, ...]:
        """The papers, and before them what the technical log says is out of service."""
        open_items = tuple(
            PaperLine(id=f"open_{n + 1}", name=each.says, value="out of service")
            for n, each in enumerate(self.start.out_of_service)
        )
        log = (Paper(id="technical_log", name="Technical log, open items", lines=open_items),) if open_items else ()
        return (*log, *self.papers)

    @property
    def paper_values(self) -> dict[str, float | str]:
        """Every handed-out value by `paper.line`."""
        return {f"{paper.id}.{line.id}": line.value for paper in self.papers for line in paper.lines}
