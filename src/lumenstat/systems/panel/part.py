"""Panels as a document describes them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import Field

from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import (
    Band,
    ExpressionText,
    Flag,
    Name,
    Number,
    Part,
    Position,
    Positive,
    Seconds,
    Since,
    Text,
    Written,
)


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

    def quantity_at(self, state: Mapping[str, Any]) -> str | None:
        """The quantity that it shows as its selector stands; None where it shows none there."""
        return self.shows if self.selector is None else self.by_position.get(state[naming.control(self.selector)])


class Lamp(Part):
    """Lit while its bus lives and its expression is true; one that `sounds` is heard as well."""

    bus: Name
    when: ExpressionText
    colour: Literal["lamp", "amber", "red"] = "lamp"
    quiet_seconds: Seconds = 0.0
    sounds: Annotated[Flag, Since("0.4")] = False


COLUMNS = 12
"""Of the grid on which zones stand."""


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


class PanelsSection(Written):
    """The panels of an aircraft."""

    panels: tuple[Panel, ...]

    @cached_property
    def controls(self) -> dict[str, Control]:
        """Every control by its id."""
        return {control.id: control for panel in self.panels for control in panel.controls}

    @cached_property
    def told_apart(self) -> dict[str, Control]:
        """Every control by its id, with its zone's name behind its own where others are called alike."""
        names = Counter(control.name for control in self.controls.values())
        return {
            control.id: control
            if names[control.name] == 1
            else control.model_copy(update={"name": f"{control.name}, {panel.name}"})
            for panel in self.panels
            for control in panel.controls
        }

    @cached_property
    def instruments(self) -> dict[str, Instrument]:
        """Every instrument by its id."""
        return {item.id: item for panel in self.panels for item in panel.instruments}

    @cached_property
    def lamps(self) -> dict[str, Lamp]:
        """Every lamp by its id."""
        return {lamp.id: lamp for panel in self.panels for lamp in panel.lamps}


class ControlsStart(Written):
    """Controls that the crew find elsewhere than usual."""

    controls: dict[Name, Position] = {}


def check_position(control: Control, to: str, path: Path_, checker: Checker) -> None:
    """The position, or figure of an entry, must be one that the control has."""
    if control.kind == "entry":
        try:
            figure = float(to)
        except ValueError:
            checker.wrong(path, f"{control.id} takes a figure, not {to!r}")
            return
        # Without bounds an entry is refused where it is written; here it takes nothing but zero.
        if not (control.minimum or 0) <= figure <= (control.maximum or 0):
            checker.wrong(path, f"{control.id} takes {control.minimum:g} to {control.maximum:g}")
    elif to not in control.positions:
        has = ", ".join(control.positions)
        checker.wrong(path, f"{control.id} has no position {to!r}; it has {has}")
