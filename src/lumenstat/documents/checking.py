"""What an airframe document means: every name it uses exists, every expression is one, every bus can be fed."""

from __future__ import annotations

from graphlib import CycleError, TopologicalSorter

from lumenstat.documents.airframe import Airframe, Control
from lumenstat.documents.checker import Checker
from lumenstat.documents.checking_systems import check_systems
from lumenstat.documents.expressions import reads
from lumenstat.documents.quantities import quantities_of
from lumenstat.documents.sources import Path_, Source
from lumenstat.errors import Problem


def check_airframe(airframe: Airframe, source: Source) -> list[Problem]:
    """Problems of meaning in an airframe document."""
    checker = Checker(source, quantities_of(airframe))
    _check_electrical(airframe, checker)
    _check_hydraulics(airframe, checker)
    check_systems(airframe, checker)
    _check_panels(airframe, checker)
    for n, comparator in enumerate(airframe.comparators):
        path: Path_ = ("comparators", n)
        checker.known((*path, "quantity"), "quantity", comparator.quantity, checker.quantities)
        if comparator.on_above <= comparator.off_below:
            checker.wrong(path, "`on_above` must be higher than `off_below`, or it switches without end")
    _check_chatter(airframe, checker)
    for n, service in enumerate(airframe.services):
        for m, action in enumerate(service.actions):
            for state in (*action.possible_when, action.leaves):
                checker.known(("services", n, "actions", m), "state", state, service.states)
            if action.brings_next_cart_of is not None:
                supplies = [supply.id for supply in airframe.electrical.ground_supplies]
                checker.known(("services", n, "actions", m), "ground supply", action.brings_next_cart_of, supplies)
    for n, limit in enumerate(airframe.limits):
        checker.truth(("limits", n, "when"), limit.when, over_time=True)
        if limit.measures is not None:
            figures = [q.name for q in checker.quantities.values() if q.kind == "number" and not q.nullable]
            figures = [name for name in figures if not name.startswith("control.")]
            checker.known(("limits", n, "measures"), "figure", limit.measures, figures)
    return checker.problems


def _check_electrical(airframe: Airframe, checker: Checker) -> None:
    electrical = airframe.electrical
    buses = airframe.buses
    dc = [b.id for b in electrical.buses if b.kind == "dc"]
    ac = [b.id for b in electrical.buses if b.kind == "ac"]
    parts: list[tuple[str, tuple[str, ...], list[str]]] = [
        ("batteries", ("bus",), dc),
        ("ground_supplies", ("bus",), ac),
        ("rectifiers", ("input",), ac),
        ("rectifiers", ("output",), dc),
        ("inverters", ("input",), dc),
        ("dc_supplies", ("bus",), dc),
        ("diodes", ("anode", "cathode"), dc),
        ("loads", ("bus",), list(buses)),
    ]
    for group, keys, among in parts:
        for n, part in enumerate(getattr(electrical, group)):
            for key in keys:
                checker.known(("electrical", group, n, key), "bus of that kind", getattr(part, key), among)
    for group in type(electrical).model_fields:
        if isinstance(listed := getattr(electrical, group), tuple):
            checker.unique(("electrical", group), "part", [part.id for part in listed])
    checker.unique(("electrical", "feeding"), "source or AC bus", [*(source.id for source in electrical.sources), *ac])
    for n, contactor in enumerate(electrical.contactors):
        at: Path_ = ("electrical", "contactors", n)
        for end in contactor.between:
            checker.known((*at, "between"), "DC bus", end, dc)
        if contactor.limit is not None:
            checker.known((*at, "limit", "toward"), "end of this contactor", contactor.limit.toward, contactor.between)
        checker.truth((*at, "closes_when"), contactor.closes_when, over_time=False, logic=True)
    for n, inverter in enumerate(electrical.inverters):
        checker.truth(
            ("electrical", "inverters", n, "offered_when"), inverter.offered_when, over_time=False, logic=True
        )
    for n, supply in enumerate(electrical.ground_supplies):
        path: Path_ = ("electrical", "ground_supplies", n, "plugged_when")
        checker.truth(path, supply.plugged_when, over_time=False, logic=True)
    for n, load in enumerate(electrical.loads):
        if load.when is not None:
            checker.truth(("electrical", "loads", n, "when"), load.when, over_time=False, logic=True)
    for n, bus in enumerate(electrical.buses):
        if bus.alive_above <= bus.dead_below:
            checker.wrong(("electrical", "buses", n), "`alive_above` must be higher than `dead_below`")
    _check_feeding(airframe, checker, ac)


def _check_feeding(airframe: Airframe, checker: Checker, ac: list[str]) -> None:
    electrical = airframe.electrical
    sources = [source.id for source in electrical.sources]
    for bus, order in electrical.feeding.items():
        checker.known(("electrical", "feeding", bus), "AC bus", bus, ac)
        for n, feed in enumerate(order):
            checker.known(("electrical", "feeding", bus, n), "source or AC bus", feed.source, [*sources, *ac])
            if feed.when is not None:
                checker.truth(("electrical", "feeding", bus, n), feed.when, over_time=False, logic=True)
    try:
        tuple(TopologicalSorter(feeding_graph(airframe)).static_order())
    except CycleError as error:
        circle = " from ".join(error.args[1])
        checker.wrong(("electrical", "feeding"), f"AC buses feed each other in a circle: {circle}; take one out")
    plugs = {supply.bus for supply in electrical.ground_supplies}
    for n, each in enumerate(electrical.buses):
        if each.kind == "ac" and each.id not in plugs and not electrical.feeding.get(each.id):
            checker.wrong(("electrical", "buses", n), f"nothing can feed {each.id}; list its sources under `feeding`")
        if each.kind == "dc" and each.id not in _reachable_dc(airframe):
            checker.wrong(
                ("electrical", "buses", n), f"nothing can feed {each.id}; join it by a contactor, diode or rectifier"
            )


def feeding_graph(airframe: Airframe) -> dict[str, set[str]]:
    """For each AC bus, the AC buses that it may be fed from."""
    ac = {b.id for b in airframe.electrical.buses if b.kind == "ac"}
    return {
        bus: {feed.source for feed in order if feed.source in ac} for bus, order in airframe.electrical.feeding.items()
    }


def _reachable_dc(airframe: Airframe) -> set[str]:
    electrical = airframe.electrical
    found = {b.bus for b in electrical.batteries} | {r.output for r in electrical.rectifiers}
    found |= {supply.bus for supply in electrical.dc_supplies}
    ways = [(d.anode, d.cathode) for d in electrical.diodes]
    ways += [way for c in electrical.contactors for way in (c.between, c.between[::-1])]
    while more := {b for a, b in ways if a in found} - found:
        found |= more
    return found


def _check_chatter(airframe: Airframe, checker: Checker) -> None:
    """A load that a comparator switches must not pull that comparator's own bus back over its other threshold."""
    electrical = airframe.electrical
    ohms = [(b.resistance_mohm + b.polarisation_mohm) / 1000 for b in electrical.batteries]
    ohms += [rectifier.resistance_mohm / 1000 for rectifier in electrical.rectifiers]
    ohms += [supply.resistance_mohm / 1000 for supply in electrical.dc_supplies]
    for n, comparator in enumerate(airframe.comparators):
        volts = {f"bus.{bus.id}.volts": bus for bus in electrical.buses if bus.kind == "dc"}
        bus = volts.get(comparator.quantity)
        if bus is None or not ohms:
            continue
        switched = [load for load in electrical.loads if reads(load.when, f"comparator.{comparator.id}")]
        sag = sum(load.watts for load in switched if load.bus == bus.id) / bus.nominal_volts * max(ohms)
        if sag >= comparator.on_above - comparator.off_below:
            names = ", ".join(load.id for load in switched)
            checker.wrong(
                ("comparators", n),
                f"{names} pulls {bus.id} down by about {sag:.2f} V, more than the hysteresis of "
                f"{comparator.on_above - comparator.off_below:g} V; it would chatter: widen it to {2 * sag:.1f} V",
                "hysteresis",
            )


def _check_hydraulics(airframe: Airframe, checker: Checker) -> None:
    hydraulics = airframe.hydraulics
    systems = [system.id for system in hydraulics.systems]
    for n, pump in enumerate(hydraulics.pumps):
        path: Path_ = ("hydraulics", "pumps", n)
        checker.known((*path, "system"), "hydraulic system", pump.system, systems)
        if pump.bus is not None:
            checker.known((*path, "bus"), "bus", pump.bus, airframe.buses)
        if (pump.bus is None) != (pump.watts is None):
            checker.wrong(path, "an electric pump has a bus and watts; one that an engine drives has neither")
        checker.truth((*path, "when"), pump.when, over_time=False, logic=True)
    for n, surface in enumerate(hydraulics.surfaces):
        path = ("hydraulics", "surfaces", n)
        checker.known((*path, "system"), "hydraulic system", surface.system, systems)
        if checker.known((*path, "lever"), "control", surface.lever, airframe.controls):
            for position in airframe.controls[surface.lever].positions:
                checker.known((*path, "positions"), "angle for lever position", position, surface.positions)


def _check_panels(airframe: Airframe, checker: Checker) -> None:
    for group in ("controls", "instruments", "lamps"):
        names = [part.id for panel in airframe.panels for part in getattr(panel, group)]
        checker.unique(("panels",), group[:-1], names)
    numbers = [q.name for q in checker.quantities.values() if q.kind == "number"]
    for n, panel in enumerate(airframe.panels):
        checker.known(("panels", n, "bus"), "bus", panel.bus, airframe.buses)
        for m, control in enumerate(panel.controls):
            _check_control(control, ("panels", n, "controls", m), checker)
        for m, lamp in enumerate(panel.lamps):
            path: Path_ = ("panels", n, "lamps", m)
            checker.known((*path, "bus"), "bus", lamp.bus, airframe.buses)
            checker.truth((*path, "when"), lamp.when, over_time=False)
        for m, instrument in enumerate(panel.instruments):
            path = ("panels", n, "instruments", m)
            if instrument.mechanical == (instrument.bus is not None):
                checker.wrong(path, "hangs on no bus: name the `bus` that powers it, or say `mechanical: true`")
            elif instrument.bus is not None:
                checker.known((*path, "bus"), "bus", instrument.bus, airframe.buses)
            if instrument.permitted is not None and instrument.permitted.min >= instrument.permitted.max:
                checker.wrong(path, "`permitted.min` must be lower than `permitted.max`")
            if (instrument.shows is None) == (instrument.selector is None):
                checker.wrong(path, "needs either `shows` or a `selector` with `by_position`")
            for name in (
                *((instrument.shows,) if instrument.shows else ()),
                *instrument.by_position.values(),
            ):
                checker.known(path, "quantity with a figure", name, numbers)
            for name, positions in (
                (instrument.selector, tuple(instrument.by_position)),
                (instrument.dimmer, instrument.visible_at),
                (instrument.test_control, ()),
            ):
                if name is not None and checker.known(path, "control", name, airframe.controls):
                    for position in positions:
                        checker.known(path, f"position of {name}", position, airframe.controls[name].positions)


def _check_control(control: Control, path: Path_, checker: Checker) -> None:
    if control.kind == "entry":
        if control.minimum is None or control.maximum is None:
            checker.wrong(path, "an entry needs `minimum` and `maximum`")
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


def check_position(control: Control, to: str, path: Path_, checker: Checker) -> None:
    """The position, or figure of an entry, must be one that the control has."""
    if control.kind == "entry":
        try:
            figure = float(to)
        except ValueError:
            checker.wrong(path, f"{control.id} takes a figure, not {to!r}")
            return
        if not (control.minimum or 0) <= figure <= (control.maximum or 0):
            checker.wrong(path, f"{control.id} takes {control.minimum:g} to {control.maximum:g}")
    elif to not in control.positions:
        has = ", ".join(control.positions)
        checker.wrong(path, f"{control.id} has no position {to!r}; it has {has}")
