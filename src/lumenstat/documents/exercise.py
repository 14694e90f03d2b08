"""`lumenstat/exercise/1`: where an exercise begins, what it hands out and how it is judged."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, create_model

from lumenstat.documents.translating import Texts
from lumenstat.language.values import (
    DocumentId,
    ExpressionText,
    Flag,
    Fraction,
    Name,
    NotNegative,
    Number,
    PartNumber,
    Position,
    Positive,
    Seconds,
    Since,
    Text,
    Written,
)
from lumenstat.language.wording import phrase
from lumenstat.systems.registry import fault_kinds, starts
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections

if TYPE_CHECKING:
    from lumenstat.systems.panel.part import ControlsStart
    from lumenstat.systems.services import ServicesStart


class Before(Written):
    """Something done before the exercise begins, `after` seconds since the line above it."""

    after: Seconds
    set: dict[Name, Position] = {}
    hold: Name | None = None
    request: tuple[Name, Name] | None = None


if TYPE_CHECKING:
    FaultKind = str

    class _Start(Surroundings, ControlsStart, ServicesStart, Sections):
        """What systems add to a start."""
else:
    # Each system says which faults it knows; a schema lists them all.
    FaultKind = Literal[tuple(fault_kinds())]
    _Start = create_model("_Start", __base__=(*starts(), Surroundings, Sections))


class OutOfService(Written):
    """A part known not to work, as the technical log says it: `says` is what the crew read there."""

    kind: FaultKind
    target: PartNumber
    says: Text
    amount: Positive | None = None


class Start(_Start):
    """The aircraft as the crew find it."""

    out_of_service: tuple[OutOfService, ...] = ()
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
    """Overrides what share of its weight a verdict earns, and what an exceeded limit costs."""

    corrected: Fraction = 0.75
    late: Fraction = 0.5
    early: Fraction = 0.5
    out_of_order: Fraction = 0.5
    hint: Fraction = 0.25
    limit: Annotated[NotNegative, Since("0.4")] = 1.0
    """Points that an exceeded limit costs, where nothing else has been charged for it; a hazard holds the outcome."""


class Aim(Written):
    """What must be so at the end. A gating one that is missed holds the outcome whatever the points."""

    id: DocumentId
    when: ExpressionText
    says: Text
    gating: Flag = True


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
    aims: Annotated[tuple[Aim, ...], Since("0.3")] = ()
    riser: Annotated[Literal["always", "after", "never"] | None, Since("0.6")] = None
    """Whether the trainee sees the riser while flying, or only afterwards, or never; usually after where examined."""
    on_lost_link: Annotated[Literal["go on", "hold"], Since("0.6")] = "go on"
    """What the clock does while the trainee's station is not linked."""
    reading_choices: Annotated[Flag, Since("0.8")] = False
    """Whether an instrument that is tapped offers three near figures, of which one is confirmed instead of typed."""
    texts: Annotated[Texts, Since("0.8")] = {}
    shown_as: Annotated[Text | None, Since("0.9")] = None
    """The title that trainees see, where the own one would give away what is to be found."""
    seed: int = 0

    @property
    def shown(self) -> str:
        """The title as trainees see it."""
        return self.shown_as or self.title

    @property
    def riser_while_flown(self) -> bool:
        """Whether the riser stands on the trainee's page while the exercise is flown."""
        return (self.riser or ("after" if self.assist == "examined" else "always")) == "always"

    @property
    def riser_afterwards(self) -> bool:
        """Whether the trainee sees the riser when looking back."""
        return self.riser != "never"

    @property
    def handed_out(self) -> tuple[Paper, ...]:
        """The papers, and before them what the technical log says is out of service."""
        open_items = tuple(
            PaperLine.model_construct(id=f"open_{n + 1}", name=each.says, value=phrase("out of service"))
            for n, each in enumerate(self.start.out_of_service)
        )
        log = (
            (Paper.model_construct(id="technical_log", name=phrase("Technical log, open items"), lines=open_items),)
            if open_items
            else ()
        )
        return (*log, *self.papers)

    @property
    def paper_values(self) -> dict[str, float | str]:
        """Every handed-out value by `paper.line`."""
        return {f"{paper.id}.{line.id}": line.value for paper in self.papers for line in paper.lines}
