"""A battery as a document describes it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lumenstat.language.values import Fraction, Name, NotNegative, Number, Part, Positive, Since


class Battery(Part):
    """Open-circuit volts by chemistry and charge, one resistance and one polarisation lag; it warms and cools."""

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
    cooling_seconds: Annotated[Positive, Since("0.4")] = 10800
    hot_above_celsius: Annotated[Number, Since("0.4")] = 57
