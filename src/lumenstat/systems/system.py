"""What the kernel asks of every part of an aircraft.

A `System` is a part as its document describes it: asked once, when the airframe is compiled. A `Unit` is the same part
of one aircraft that flies: it follows its inputs, keeps states and tells how they change. Neither knows another part by
its class; they meet in named states and outputs only.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import ClassVar, Self, TypeVar

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Emitter, Quantity
from lumenstat.language.values import Written
from lumenstat.systems.layout import Layout
from lumenstat.systems.terms import (
    BranchName,
    DcPath,
    Delay,
    Drag,
    Draw,
    FaultKind,
    Intake,
    Machine,
    RectifiedDraw,
    RiserJoint,
    RiserLoad,
    RiserSource,
    StartField,
    State,
    SwitchedLoad,
    Threshold,
    UsedUp,
    Whole,
)
from lumenstat.systems.unit import Host, Unit

DocumentPart = TypeVar("DocumentPart", bound=Written)


class Sections(Written):
    """A document put together from what each system adds to it: its fields are theirs."""

    def section(self, kind: type[DocumentPart]) -> DocumentPart:
        """The same document, or its electrical part, seen as that which one system adds to it."""
        for document in (self, getattr(self, "electrical", None)):
            if isinstance(document, kind):
                return document
        raise TypeError(f"{type(self).__name__} has no {kind.__name__}")


class System:
    """A part of an airframe. Every question has an answer that says nothing, so a room answers what concerns it."""

    SECTION: ClassVar[type[Written] | None] = None
    """What it adds to an airframe document."""
    START: ClassVar[type[Written] | None] = None
    """What it adds to the start of an exercise."""
    FAULTS: ClassVar[tuple[FaultKind, ...]] = ()
    EVENTS: ClassVar[tuple[str, ...]] = ()
    """Kinds of its events; of several on one tick, those of an earlier kind come first."""

    # ---- the document ------------------------------------------------------------------------------------

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """The systems of this kind that an airframe has."""
        return ()

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Note what is wrong with its part of an airframe document."""

    @classmethod
    def check_whole(cls, airframe: Sections, whole: Whole, checker: Checker) -> None:
        """Note what is wrong with its part beside all others."""

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Note what is wrong with its part of an exercise's start."""

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Ids of its parts by what they are called in documents, for others to refer to."""
        return {}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """For each kind of its faults, what it can be about: ids of parts, each with its name."""
        return {}

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterable[DcPath]:
        """How current can reach DC buses through it."""
        return ()

    @classmethod
    def switched_loads(cls, airframe: Sections) -> Iterable[SwitchedLoad]:
        """What of it draws current when an expression says so."""
        return ()

    @classmethod
    def start_fields(cls, airframe: Sections) -> Iterable[StartField]:
        """Figures of an exercise's start that belong to it, for forms."""
        return ()

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterable[tuple[str, str]]:
        """What an exercise's start says of it, for people: names and values."""
        return ()

    @classmethod
    def found(cls, start: Sections, airframe: Sections) -> Iterable[tuple[str, float | str]]:
        """What the crew find that an item may ask for, as `found.name` with its value."""
        return ()

    @classmethod
    def preview(cls, start: Sections, airframe: Sections) -> Iterable[tuple[str, str]]:
        """What such a start means for it, for people: names and values."""
        return ()

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterable[Quantity]:
        """What can be observed of it."""
        return ()

    def hidden(self) -> Iterable[str]:
        """Discrete states of its own that nobody else observes."""
        return ()

    def machines(self) -> Iterable[Machine]:
        """What of it is drawn on a time axis."""
        return ()

    def riser_joints(self) -> Iterable[RiserJoint]:
        """What of it the riser draws between rails."""
        return ()

    def riser_sources(self) -> Iterable[RiserSource]:
        """What of it gives current, for the riser."""
        return ()

    def riser_loads(self) -> Iterable[RiserLoad]:
        """What of it takes current, for the riser."""
        return ()

    def used_up(self) -> Iterable[UsedUp]:
        """What of it is used up."""
        return ()

    def volts_of(self) -> Mapping[str, str]:
        """Quantities that are the volts of a bus under another name, with that bus."""
        return {}

    def rest_volts(self) -> Iterable[tuple[str, str]]:
        """What of it can be read before anything is done: names, and quantities in volts."""
        return ()

    def meet(self, systems: Sequence[System]) -> None:
        """Told once of all systems of its airframe, itself among them."""

    # ---- what it is compiled from ------------------------------------------------------------------------

    def conditions(self) -> Sequence[str]:
        """Expressions that its unit is told the truth of, in this order."""
        return ()

    def thresholds(self) -> Iterable[Threshold]:
        """Comparators that it needs."""
        return ()

    def delays(self) -> Iterable[Delay]:
        """Expressions that it needs to know to have been true for some time."""
        return ()

    def states(self) -> Iterable[State]:
        """Its continuous states."""
        return ()

    def branches(self) -> Iterable[BranchName]:
        """Its branches of the DC network."""
        return ()

    def draws(self) -> Iterable[Draw]:
        """What it takes from buses."""
        return ()

    def rectified(self) -> Iterable[RectifiedDraw]:
        """What it takes from AC for what it gives to DC."""
        return ()

    def intakes(self) -> Iterable[Intake]:
        """What it takes off pressures."""
        return ()

    def drags(self) -> Iterable[Drag]:
        """What of it brakes something that turns."""
        return ()

    def shafts(self) -> Mapping[str, str]:
        """What of it turns and can drive something: by its id, the continuous state that is its speed."""
        return {}

    def outputs(self, layout: Layout) -> Iterable[tuple[str, str]]:
        """Name of every output and the code that gives it, made of `layout.code(...)`."""
        return ()

    def given(self) -> Sequence[str]:
        """Names of what its unit's `outputs` gives, in that order."""
        return ()

    def prepared(self, layout: Layout) -> Iterable[str]:
        """Lines of code ahead of the outputs."""
        return ()

    def worked_out(self) -> Iterable[str]:
        """Quantities that are neither states nor outputs, but worked out of them when they are read."""
        return ()

    def formulas(self, codes: Mapping[str, str], layout: Layout, emitter: Emitter) -> Iterable[tuple[str, str]]:
        """Name and code of what is worked out, over the codes of all others."""
        return ()

    def unit(self, host: Host, start: Sections, number: int) -> Unit | None:
        """What follows its inputs in one aircraft, if it does anything."""
        return None
