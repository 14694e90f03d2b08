"""`lumenstat/airframe/1`: an aircraft described as data. Units stand in every name."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, WithJsonSchema

from lumenstat.documents.engines import Engine, PartNumber
from lumenstat.documents.navigation import Gyro, Inertial
from lumenstat.documents.systems import Air, Apu, Fire, Fuel, Latch, Store, Timer
from lumenstat.documents.values import (
    Band,
    DocumentId,
    ExpressionText,
    Flag,
    Fraction,
    Name,
    NotNegative,
    Number,
    Part,
    Position,
    Positive,
    Seconds,
    Text,
    Written,
)

Severity = Literal["limit", "hazard"]


class AcSource(Part):
    """Base of what AC buses can be fed from."""

    rated_va: Positive


class Bus(Part):
    """A point that volts are shared at. It is alive from `alive_above` until it falls under `dead_below`."""

    kind: Literal["dc", "ac"]
    nominal_volts: Positive
    permitted: Band
    alive_above: Positive
    dead_below: Positive
    hot: Flag = False


class Battery(Part):
    """Open-circuit volts by chemistry and charge, one resistance and one polarisation lag."""

    bus: Name
    chemistry: Literal["lead-acid", "nickel-cadmium"]
    cells: int = Field(ge=1, le=400)
    capacity_ah: Positive
    resistance_mohm: Positive
    polarisation_mohm: Positive
    charging_polarisation_mohm: Positive | None = None
    polarisation_seconds: Positive
    charge_efficiency: Fraction = 0.9
    peukert: Number = Field(default=1.0, ge=1, le=1.5)
    cold_per_degree: NotNegative = 0.012


class GroundSupply(AcSource):
    """A cart's plug. It is ready while its volts and hertz stand inside the tolerance."""

    bus: Name
    droop_volts: NotNegative = 1.0
    volts: Band
    hertz: Band
    ready_after_seconds: Seconds = 2.0
    plugged_when: ExpressionText


class Rectifier(Part):
    """AC in, DC out: never takes current back, and holds its current at the limit."""

    input: Name
    output: Name
    volts: Positive
    resistance_mohm: Positive
    limit_amps: Positive
    efficiency: Fraction = 0.88


class Inverter(AcSource):
    """DC in, AC out, while its input bus is alive and it is asked to run."""

    input: Name
    volts: Positive
    hertz: Positive
    efficiency: Fraction = 0.8
    offered_when: ExpressionText


class Generator(AcSource):
    """Driven by something that turns: offered while its expression is true; trips off when overloaded too long."""

    volts: Positive
    hertz: Positive
    droop_volts: NotNegative = 1.0
    overload_percent: Positive = 125.0
    overload_seconds: Seconds = 8.0
    offered_when: ExpressionText


class DcSupply(Part):
    """Gives DC to a bus while its expression is true: an alternator with its regulator, or a DC ground cart.

    Below `regulated_from_percent` of the engine that drives it, its volts fall with the speed.
    """

    bus: Name
    volts: Positive
    resistance_mohm: Positive
    limit_amps: Positive
    when: ExpressionText
    driven_by: PartNumber | None = None
    regulated_from_percent: Positive = 1.0


class Diode(Part):
    """Lets current pass one way, from `anode` to `cathode`."""

    anode: Name
    cathode: Name
    drop_volts: NotNegative = 0.7
    resistance_mohm: Positive = 2.0


class CurrentLimit(Written):
    """What a contactor's charge limiter lets pass towards one of its ends."""

    amps: Positive
    toward: Name


class Contactor(Part):
    """Joins two DC buses while its logic is true, after its pull-in time."""

    between: tuple[Name, Name]
    closes_when: ExpressionText
    pull_in_seconds: Seconds = 0.05
    drop_out_seconds: Seconds = 0.02
    resistance_mohm: Positive = 1.0
    limit: CurrentLimit | None = None


class Load(Part):
    """Takes constant power from its bus while asked to."""

    bus: Name
    watts: Positive
    when: ExpressionText | None = None


def _plain_name(value: Any) -> Any:
    return {"source": value} if isinstance(value, str) else value


class FeedFrom(Written):
    """A source or another AC bus that may feed a bus, if need be only under a condition."""

    source: Name
    when: ExpressionText | None = None


Feed = Annotated[
    FeedFrom,
    BeforeValidator(_plain_name),
    WithJsonSchema({"anyOf": [{"type": "string"}, FeedFrom.model_json_schema()]}),
]


class Electrical(Written):
    """Buses, what stands between them, and in which order each AC bus takes its sources."""

    buses: tuple[Bus, ...]
    batteries: tuple[Battery, ...] = ()
    ground_supplies: tuple[GroundSupply, ...] = ()
    rectifiers: tuple[Rectifier, ...] = ()
    inverters: tuple[Inverter, ...] = ()
    generators: tuple[Generator, ...] = ()
    dc_supplies: tuple[DcSupply, ...] = ()
    diodes: tuple[Diode, ...] = ()
    contactors: tuple[Contactor, ...] = ()
    loads: tuple[Load, ...] = ()
    feeding: dict[Name, tuple[Feed, ...]] = {}
    transfer_seconds: Seconds = 0.06

    @property
    def sources(self) -> tuple[GroundSupply | Inverter | Generator, ...]:
        """Everything that AC buses can be fed from, in the order the model numbers them."""
        return (*self.ground_supplies, *self.inverters, *self.generators)


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
    """Something that follows a lever as soon as its system has pressure enough."""

    system: Name
    moves_above_psi: Positive
    lever: Name
    positions: dict[Position, Number]
    degrees_per_second: Positive


class Hydraulics(Written):
    """Pressure, and what moves when it comes."""

    systems: tuple[HydraulicSystem, ...] = ()
    pumps: tuple[HydraulicPump, ...] = ()
    surfaces: tuple[Surface, ...] = ()


class Comparator(Written):
    """Turns a figure into a yes or no with hysteresis, for logic to read."""

    id: Name
    quantity: Text
    on_above: Number
    off_below: Number


class Control(Part):
    """A switch, lever, button or entry. `positions` run from top to bottom or left to right."""

    kind: Literal["toggle", "guarded-toggle", "rotary", "push-latch", "momentary", "lever", "entry"]
    positions: tuple[Position, ...] = ()
    usual: Position
    unit: Text | None = None
    minimum: Number | None = None
    maximum: Number | None = None
    step: Positive | None = None


class Instrument(Part):
    """Shows a quantity, or one of several by a selector, while its bus lives.

    A mechanical instrument needs no bus. A display with a dimmer is alive but shows nothing below
    `visible_from`.
    """

    unit: Text
    bus: Name | None = None
    mechanical: Flag = False
    shows: Text | None = None
    selector: Name | None = None
    by_position: dict[Position, Text] = {}
    dimmer: Name | None = None
    visible_at: tuple[Position, ...] = ()
    boot_seconds: Seconds = 0.0
    test_control: Name | None = None
    test_reads: Number | None = None
    permitted: Band | None = None
    decimals: int = Field(default=0, ge=0, le=3)
    scale: Band


class Lamp(Part):
    """Lit while its bus lives and its expression is true."""

    bus: Name
    when: ExpressionText
    colour: Literal["lamp", "amber", "red"] = "lamp"
    quiet_seconds: Seconds = 0.0


class Panel(Part):
    """A zone of the deck: lights with its bus. `place` is column, row, width on a grid of 12 columns.

    Zones with the same `page` stand together; those without one come first.
    """

    bus: Name
    page: Text | None = None
    place: tuple[int, int, int]
    note: Text | None = None
    controls: tuple[Control, ...] = ()
    instruments: tuple[Instrument, ...] = ()
    lamps: tuple[Lamp, ...] = ()


class ServiceAction(Part):
    """Something that can be asked of the crew outside, how long it takes and what they say.

    While it lasts the service may be in a state of its own (`meanwhile`). Without what it `needs` they only answer.
    """

    possible_when: tuple[Name, ...]
    leaves: Name
    seconds: Seconds
    asked: Text
    answered: Text
    meanwhile: Name | None = None
    needs: ExpressionText | None = None
    needs_answered: Text | None = None
    brings_next_cart_of: Name | None = None


class Service(Part):
    """What the ground crew do. `states` begins with the state of an aircraft left alone.

    They do it only if they hear it: `heard_when` says by what, and `unheard` tells whoever called into silence.
    """

    heard_when: ExpressionText | None = None
    unheard: Text = "Nobody hears you."
    states: tuple[Name, ...]
    actions: tuple[ServiceAction, ...]


class Limit(Part):
    """A named exceedance."""

    when: ExpressionText
    for_seconds: Seconds = Field(default=0.0, alias="for")
    severity: Severity
    measures: Text | None = None
    says: Text


class Airframe(Written):
    """An airframe document."""

    format: Literal["lumenstat/airframe/1"]
    id: DocumentId
    name: Text
    family: Text
    summary: Text
    cautions: tuple[Text, ...]
    electrical: Electrical
    hydraulics: Hydraulics = Hydraulics()
    apu: Apu | None = None
    engines: tuple[Engine, ...] = ()
    inertial: tuple[Inertial, ...] = ()
    gyros: tuple[Gyro, ...] = ()
    moves_when: ExpressionText | None = None
    fuel: Fuel = Fuel()
    air: Air = Air()
    fire: Fire = Fire()
    stores: tuple[Store, ...] = ()
    timers: tuple[Timer, ...] = ()
    latches: tuple[Latch, ...] = ()
    comparators: tuple[Comparator, ...] = ()
    panels: tuple[Panel, ...]
    services: tuple[Service, ...] = ()
    limits: tuple[Limit, ...] = ()

    @cached_property
    def controls(self) -> dict[str, Control]:
        """Every control by its id."""
        return {control.id: control for panel in self.panels for control in panel.controls}

    @cached_property
    def instruments(self) -> dict[str, Instrument]:
        """Every instrument by its id."""
        return {item.id: item for panel in self.panels for item in panel.instruments}

    @cached_property
    def lamps(self) -> dict[str, Lamp]:
        """Every lamp by its id."""
        return {lamp.id: lamp for panel in self.panels for lamp in panel.lamps}

    @cached_property
    def buses(self) -> dict[str, Bus]:
        """Every bus by its id."""
        return {bus.id: bus for bus in self.electrical.buses}
