"""`lumenstat/airframe/1`: an aircraft described as data, put together from what each system adds to it."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, create_model

from lumenstat.documents.translating import Texts
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import DocumentId, ExpressionText, Part, Seconds, Since, Text
from lumenstat.systems.electrical.buses import Bus
from lumenstat.systems.panel.part import PanelsSection
from lumenstat.systems.registry import ELECTRICAL, SYSTEMS, quantities_of, sections_of
from lumenstat.systems.services import ServicesSection
from lumenstat.systems.system import Sections

Severity = Literal["limit", "hazard"]

if TYPE_CHECKING:
    # Typed code sees only what it asks for by `section`; panels and services are what exercises are made of.
    from lumenstat.systems.electrical.buses import BusesSection

    class Electrical(BusesSection):
        """The electrical parts of an aircraft."""

    class _Systems(PanelsSection, ServicesSection, Sections):
        """All systems of an aircraft."""
else:
    Electrical = create_model("Electrical", __base__=sections_of(ELECTRICAL), __doc__="The electrical parts.")
    _sections = tuple(section for section in sections_of(SYSTEMS) if section not in sections_of(ELECTRICAL))
    _Systems = create_model("_Systems", __base__=(*_sections, Sections))


class Limit(Part):
    """A named exceedance."""

    when: ExpressionText
    for_seconds: Seconds = Field(default=0.0, alias="for")
    severity: Severity
    measures: Text | None = None
    says: Text


class Airframe(_Systems):
    """An airframe document."""

    format: Literal["lumenstat/airframe/1"]
    id: DocumentId
    name: Text
    family: Text
    summary: Text
    cautions: tuple[Text, ...]
    electrical: Electrical
    limits: tuple[Limit, ...] = ()
    texts: Annotated[Texts, Since("0.8")] = {}

    @cached_property
    def quantities(self) -> dict[str, Quantity]:
        """Everything observable on it, by its dotted name."""
        return quantities_of(self)

    @property
    def buses(self) -> dict[str, Bus]:
        """Every bus by its id."""
        return {bus.id: bus for bus in self.electrical.buses}
