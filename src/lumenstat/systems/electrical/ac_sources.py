"""What AC buses can be fed from, as documents describe it: carts, inverters, generators, and who feeds whom."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, WithJsonSchema

from lumenstat.language.values import (
    Band,
    ExpressionText,
    Fraction,
    Name,
    NotNegative,
    Part,
    Positive,
    Seconds,
    Text,
    Written,
)


class AcSource(Part):
    """Base of what AC buses can be fed from."""

    rated_va: Positive


class GroundSupply(AcSource):
    """A cart's plug. It is ready while its volts and hertz stand inside the tolerance."""

    bus: Name
    droop_volts: NotNegative = 1.0
    volts: Band
    hertz: Band
    ready_after_seconds: Seconds = 2.0
    plugged_when: ExpressionText


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


class AcSection(Written):
    """The AC sources of an aircraft, and in which order each AC bus takes them."""

    ground_supplies: tuple[GroundSupply, ...] = ()
    inverters: tuple[Inverter, ...] = ()
    generators: tuple[Generator, ...] = ()
    feeding: dict[Name, tuple[Feed, ...]] = {}
    transfer_seconds: Seconds = 0.06

    @property
    def sources(self) -> tuple[GroundSupply | Inverter | Generator, ...]:
        """Everything that AC buses can be fed from, in the order the model numbers them."""
        return (*self.ground_supplies, *self.made)

    @property
    def made(self) -> tuple[Inverter | Generator, ...]:
        """Sources that the aircraft has itself."""
        return (*self.inverters, *self.generators)

    def graph(self) -> Mapping[str, tuple[str, ...]]:
        """For each AC bus what it may be fed from that is no source: other AC buses."""
        sources = {source.id for source in self.sources}
        return {
            bus: tuple(dict.fromkeys(feed.source for feed in order if feed.source not in sources))
            for bus, order in self.feeding.items()
        }


class Cart(Written):
    """One ground supply cart as it really is."""

    name: Text
    volts: NotNegative
    hertz: NotNegative


class CartsStart(Written):
    """The carts that wait at each plug at the start of an exercise, one after another."""

    carts: dict[Name, Annotated[tuple[Cart, ...], Field(min_length=1)]] = {}
