"""Panels as the kernel asks about them: what can be seen, and the code that works out readings and lamps."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Self

from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Emitter, Quantity, parse
from lumenstat.language.sources import Path_
from lumenstat.language.wording import joined, phrase
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.layout import Layout
from lumenstat.systems.panel.part import (
    COLUMNS,
    Control,
    ControlsStart,
    Instrument,
    Panel,
    PanelsSection,
    check_position,
)
from lumenstat.systems.panel.unit import PanelsUnit
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Delay, FaultKind
from lumenstat.systems.unit import Host


class Panels(System):
    """All panels."""

    SECTION = PanelsSection
    START = ControlsStart
    FAULTS = (
        FaultKind("bulb_dead", phrase("dead bulb"), flag="bulb.{}"),
        FaultKind("display_dead", phrase("dead display"), flag="dead.{}"),
    )

    def __init__(self, section: PanelsSection) -> None:
        self.section = section

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all panels."""
        yield cls(airframe.section(PanelsSection))

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Controls, and of these those of a kind."""
        controls = airframe.section(PanelsSection).controls
        return {
            "control": list(controls),
            "entry": [name for name, control in controls.items() if control.kind == "entry"],
            "button": [name for name, control in controls.items() if control.kind == "momentary"],
        }

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Lamps and instruments."""
        panels = airframe.section(PanelsSection).panels
        # With their panels: "Available" alone may stand on several of them.
        lamps = {lamp.id: joined(", ", (panel.name, lamp.name)) for panel in panels for lamp in panel.lamps}
        instruments = {each.id: joined(", ", (panel.name, each.name)) for panel in panels for each in panel.instruments}
        return {"bulb_dead": lamps, "display_dead": instruments}

    # ---- checks ------------------------------------------------------------------------------------------

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Ids once; everything on a bus; positions and quantities that there are."""
        panels = airframe.section(PanelsSection).panels
        for group in ("controls", "instruments", "lamps"):
            names = [part.id for panel in panels for part in getattr(panel, group)]
            checker.unique(("panels",), group[:-1], names)
        _check_places(panels, checker)
        for n, panel in enumerate(panels):
            checker.refers(("panels", n, "bus"), "bus", panel.bus)
            for m, control in enumerate(panel.controls):
                _check_control(control, ("panels", n, "controls", m), checker)
            for m, lamp in enumerate(panel.lamps):
                path: Path_ = ("panels", n, "lamps", m)
                checker.refers((*path, "bus"), "bus", lamp.bus)
                checker.truth((*path, "when"), lamp.when, over_time=False)
            for m, instrument in enumerate(panel.instruments):
                _check_instrument(instrument, airframe, ("panels", n, "instruments", m), checker)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Controls and positions that there are."""
        controls = airframe.section(PanelsSection).controls
        for name, position in start.section(ControlsStart).controls.items():
            if checker.refers(("start", "controls", name), "control", name):
                check_position(controls[name], position, ("start", "controls", name), checker)

    @classmethod
    def start_lines(cls, start: Sections, airframe: Sections) -> Iterator[tuple[str, str]]:
        """Controls that were left elsewhere."""
        controls = airframe.section(PanelsSection).controls
        for name, position in start.section(ControlsStart).controls.items():
            yield controls[name].name, phrase("left at {position}", position=position)

    # ---- what it offers ----------------------------------------------------------------------------------

    def quantities(self) -> Iterator[Quantity]:
        """Positions, readings, lit lamps."""
        for panel in self.section.panels:
            for control in panel.controls:
                yield _position_quantity(control)
                if control.kind == "guarded-toggle":
                    yield Quantity(
                        naming.guard(control.id),
                        "",
                        "truth",
                        phrase("the guard of {control} is lifted", control=control.name),
                    )
            for instrument in panel.instruments:
                at, of = f"instrument.{instrument.id}", instrument.name
                shows = phrase("what {of} shows; null while it is dark", of=of)
                yield Quantity(f"{at}.reads", instrument.unit, "number", shows, nullable=True)
                yield Quantity(f"{at}.alive", "", "truth", phrase("{of} has power", of=of))
            for lamp in panel.lamps:
                yield Quantity(naming.lamp(lamp.id), "", "truth", phrase("{lamp} lamp is lit", lamp=lamp.name))
                yield Quantity(
                    f"lamp.{lamp.id}.alive", "", "truth", phrase("{lamp} lamp has power to light with", lamp=lamp.name)
                )

    def hidden(self) -> Iterator[str]:
        """Dead bulbs and displays."""
        for name in self.section.lamps:
            yield f"bulb.{name}"
        for name in self.section.instruments:
            yield f"dead.{name}"

    def delays(self) -> Iterator[Delay]:
        """Lamps that stay quiet for a while, displays that boot."""
        for lamp in self.section.lamps.values():
            if lamp.quiet_seconds:
                yield Delay(f"quiet.{lamp.id}", f"alive(bus.{lamp.bus})", lamp.quiet_seconds)
        for each in self.section.instruments.values():
            if each.boot_seconds and each.bus:
                yield Delay(f"boot.{each.id}", f"alive(bus.{each.bus})", each.boot_seconds)

    def worked_out(self) -> list[str]:
        """Readings and lamps."""
        instruments = [f"instrument.{name}.{each}" for name in self.section.instruments for each in ("alive", "reads")]
        return instruments + [f"lamp.{name}{each}" for name in self.section.lamps for each in (".alive", "")]

    def formulas(self, codes: Mapping[str, str], layout: Layout, emitter: Emitter) -> Iterator[tuple[str, str]]:
        """Readings of what has power; lamps that are lit."""
        for instrument in self.section.instruments.values():
            has_power = self._power_code(instrument, layout)
            yield f"instrument.{instrument.id}.alive", has_power
            yield naming.reads(instrument.id), self._reading_code(instrument, has_power, codes, layout, emitter)
        for lamp in self.section.lamps.values():
            has_power = f"d[{layout.d[alive(lamp.bus)]}]"
            yield f"lamp.{lamp.id}.alive", has_power
            lit = f"{has_power} and not d[{layout.d[f'bulb.{lamp.id}']}]"
            if lamp.quiet_seconds:
                lit += f" and d[{layout.d[f'quiet.{lamp.id}']}]"
            yield naming.lamp(lamp.id), f"({lit} and {emitter.truth(parse(lamp.when))})"

    def _power_code(self, instrument: Instrument, layout: Layout) -> str:
        has_power = f"d[{layout.d[alive(instrument.bus)]}]" if instrument.bus else "True"
        has_power = f"({has_power} and not d[{layout.d[f'dead.{instrument.id}']}])"
        if instrument.boot_seconds:
            has_power = f"({has_power} and d[{layout.d[f'boot.{instrument.id}']}])"
        return has_power

    def _reading_code(
        self, instrument: Instrument, has_power: str, codes: Mapping[str, str], layout: Layout, emitter: Emitter
    ) -> str:
        number = emitter.constants.number
        shown = "None" if instrument.shows is None else codes[instrument.shows]
        # Built from the inside: the first position of the document becomes the outermost condition.
        for position, name in reversed(instrument.by_position.items()):
            selected = f"d[{layout.d[f'control.{instrument.selector}']}] == S[{number(position)}]"
            shown = f"{codes[name]} if {selected} else {shown}"
        if instrument.test_control is not None and instrument.test_reads is not None:
            control = self.section.controls[instrument.test_control]
            held = f"d[{layout.d[f'control.{control.id}']}] == S[{number(control.positions[1])}]"
            shown = f"{float(instrument.test_reads)!r} if {held} else ({shown})"
        # A dimmed display is alive: it can be read as soon as its brightness is turned up.
        visible = has_power
        if instrument.dimmer is not None:
            slot = layout.d[naming.control(instrument.dimmer)]
            bright = " or ".join(f"d[{slot}] == S[{number(position)}]" for position in instrument.visible_at)
            visible = f"({has_power} and ({bright or 'False'}))"
        return f"(({shown}) if {visible} else None)"

    def unit(self, host: Host, start: Sections, number: int) -> PanelsUnit:
        """The panels of one aircraft."""
        return PanelsUnit(host, number, self.section, start.section(ControlsStart).controls)


def _check_places(panels: Sequence[Panel], checker: Checker) -> None:
    """Every zone inside its grid, and none over another."""
    taken: dict[tuple[str | None, int, int], str] = {}
    for n, panel in enumerate(panels):
        column, row, width = panel.place
        if width < 1 or column < 0 or row < 0 or column + width > COLUMNS:
            says = f"{panel.id} reaches from column {column} to {column + width}; there are {COLUMNS}, from 0"
            checker.wrong(("panels", n, "place"), says)
            # Where it reaches out of the grid there is no cell that could be taken.
            continue
        cells = [(panel.page, row, each) for each in range(column, column + width)]
        if over := next((taken[cell] for cell in cells if cell in taken), None):
            checker.wrong(("panels", n, "place"), f"{panel.id} stands over {over} in row {row}")
        taken.update(dict.fromkeys(cells, panel.id))


def _check_control(control: Control, path: Path_, checker: Checker) -> None:
    if control.kind == "entry":
        if control.minimum is None or control.maximum is None:
            checker.wrong(path, "an entry needs `minimum` and `maximum`")
        elif control.minimum > control.maximum:
            checker.wrong(path, "`minimum` must not be above `maximum`")
        else:
            check_position(control, control.usual, (*path, "usual"), checker)
        return
    least = 2
    if len(control.positions) < least:
        checker.wrong(path, f"a {control.kind} needs at least two `positions`")
    if control.usual not in control.positions:
        checker.wrong((*path, "usual"), f"{control.usual!r} is not one of its positions {', '.join(control.positions)}")
    if control.kind == "momentary" and len(control.positions) != least:
        checker.wrong(path, "a momentary control has two positions: at rest, and held")


def _check_instrument(instrument: Instrument, airframe: Sections, path: Path_, checker: Checker) -> None:
    # One of the two, and not both: what is mechanical needs no power.
    if instrument.mechanical == (instrument.bus is not None):
        checker.wrong(path, "hangs on no bus: name the `bus` that powers it, or say `mechanical: true`")
    elif instrument.bus is not None:
        checker.refers((*path, "bus"), "bus", instrument.bus)
    if instrument.permitted is not None and instrument.permitted.min >= instrument.permitted.max:
        checker.wrong(path, "`permitted.min` must be lower than `permitted.max`")
    if instrument.scale.min >= instrument.scale.max:
        checker.wrong((*path, "scale"), "`scale.min` must be lower than `scale.max`")
    if (instrument.shows is None) == (instrument.selector is None):
        checker.wrong(path, "needs either `shows` or a `selector` with `by_position`")
    numbers = [q.name for q in checker.quantities.values() if q.kind == "number"]
    for name in (*((instrument.shows,) if instrument.shows else ()), *instrument.by_position.values()):
        checker.known(path, "quantity with a figure", name, numbers)
    controls = airframe.section(PanelsSection).controls
    for control, positions in (
        (instrument.selector, tuple(instrument.by_position)),
        (instrument.dimmer, instrument.visible_at),
        (instrument.test_control, ()),
    ):
        if control is not None and checker.refers(path, "control", control):
            for position in positions:
                checker.known(path, f"position of {control}", position, controls[control].positions)


def _position_quantity(control: Control) -> Quantity:
    if control.kind == "entry":
        return Quantity(
            naming.control(control.id),
            control.unit or "",
            "number",
            phrase("{control}, as entered", control=control.name),
        )
    return Quantity(
        naming.control(control.id),
        "",
        "text",
        phrase("position of {control}", control=control.name),
        choices=control.positions,
    )
