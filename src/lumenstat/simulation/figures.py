"""Every figure that can be observed: its name and the code that gives it, in one table.

The code is written out as one generated function of the continuous half's own lists: less than half the time of joining
slices, several hundred times a flight.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.engines import FIGURES

Figures = Callable[..., list[float]]
ALIGNMENT_FIGURES = ("progress", "seconds_left", "counter", "heading_error", "position_error")
GIVEN = {
    "volts": "v", "amps": "i", "x": "x", "watts": "w", "source_volts": "s", "source_hertz": "z", "roots": "r",
    "ac_hertz": "h", "fuel": "f", "units": "n", "stores": "k",
}  # fmt: skip
"""What the function is given beside the tick, each list with the letter of its entries.

Volts by DC node, amps by branch, the vector `x`, watts, volts (before droop) and hertz by AC source, source and hertz
by AC bus, fuel flows, figures of inertial units, stores.
"""


def figure_table(airframe: Airframe) -> list[tuple[str, str]]:
    """Name and code of every figure; `v3` in the code is the fourth of the volts, `i0` the first of the amps and so on.

    Branches come in the order of `Flows.rebuild`, the vector `x` in the order told in `flows`.
    """
    electrical = airframe.electrical
    dc = [bus.id for bus in electrical.buses if bus.kind == "dc"]
    ac = [bus.id for bus in electrical.buses if bus.kind == "ac"]
    batteries, sources, grounds = electrical.batteries, electrical.sources, electrical.ground_supplies
    rectifiers, supplies, diodes = electrical.rectifiers, electrical.dc_supplies, electrical.diodes
    turned = [f"engine.{engine.id}" for engine in airframe.engines if engine.starter is not None]
    turned = ["apu", *turned] if airframe.apu is not None else turned
    rows = [("time", "tick / 100")]
    rows += _numbered("v", (f"bus.{bus}.volts" for bus in dc))
    rows += [(f"bus.{bus}.volts", f"shown[r{n}]") for n, bus in enumerate(ac)]
    rows += _numbered("h", (f"bus.{bus}.hertz" for bus in ac))
    rows += [(f"battery.{battery.id}.volts", f"v{dc.index(battery.bus)}") for battery in batteries]
    rows += _numbered("-i", (f"battery.{battery.id}.amps" for battery in batteries))
    rows += [(f"battery.{battery.id}.charge", f"x{2 * n}") for n, battery in enumerate(batteries)]
    rows += [(f"source.{source.id}.load", f"100 * l{n}") for n, source in enumerate(sources)]
    rows += [(f"source.{supply.id}.volts", f"shown[{n}]") for n, supply in enumerate(grounds)]
    rows += _numbered("z", (f"source.{supply.id}.hertz" for supply in grounds))
    rectifier = len(batteries)
    supply, diode = rectifier + len(rectifiers), rectifier + len(rectifiers) + len(supplies)
    starter = diode + len(diodes)
    rows += _numbered("i", (f"supply.{each.id}.amps" for each in supplies), supply)
    rows += _numbered("i", (f"rectifier.{each.id}.amps" for each in rectifiers), rectifier)
    rows += _numbered("i", (f"diode.{each.id}.amps" for each in diodes), diode)
    rows += _numbered("i", (f"contactor.{each.id}.amps" for each in electrical.contactors), starter + len(turned))
    rows += _numbered("x", _lagging_names(airframe), 2 * len(batteries))
    rows += _numbered("i", (f"{each}.starter_amps" for each in turned), starter)
    rows += _numbered("f", (f"engine.{engine.id}.fuel_flow" for engine in airframe.engines))
    rows += _numbered("n", (f"inertial.{unit.id}.{each}" for unit in airframe.inertial for each in ALIGNMENT_FIGURES))
    return rows + _numbered("k", (f"store.{store.id}" for store in airframe.stores))


def _numbered(letter: str, names: Iterable[str], first: int = 0) -> list[tuple[str, str]]:
    return [(name, f"{letter}{n}") for n, name in enumerate(names, first)]


def _lagging_names(airframe: Airframe) -> list[str]:
    names = [f"hydraulic.{system.id}.psi" for system in airframe.hydraulics.systems]
    names += [f"surface.{surface.id}.degrees" for surface in airframe.hydraulics.surfaces]
    names += [f"fuel.{feed.id}.psi" for feed in airframe.fuel.feeds]
    names += [f"duct.{duct.id}.psi" for duct in airframe.air.ducts]
    names += ["apu.speed", "apu.exhaust", "apu.oil"] if airframe.apu is not None else []
    for engine in airframe.engines:
        names += [f"engine.{engine.id}.{each}" for each in (*FIGURES[engine.kind], "pooled_fuel", "starter_heat")]
    return names


def figures_source(airframe: Airframe) -> str:
    """The text of `figures(tick, volts, ...)`: all figures in the order of the table."""
    electrical = airframe.electrical
    kinds = [bus.kind for bus in electrical.buses]
    sources, turned = electrical.sources, sum(engine.starter is not None for engine in airframe.engines)
    branches = sum(
        map(len, (electrical.batteries, electrical.rectifiers, electrical.dc_supplies, electrical.diodes))
    ) + len(electrical.contactors)
    counts = {
        "v": kinds.count("dc"),
        "i": branches + turned + (airframe.apu is not None),
        "x": 2 * len(electrical.batteries) + len(_lagging_names(airframe)),
        "w": len(sources),
        "s": len(sources),
        "z": len(sources),
        "r": kinds.count("ac"),
        "h": kinds.count("ac"),
        "f": len(airframe.engines),
        "n": len(ALIGNMENT_FIGURES) * len(airframe.inertial),
        "k": len(airframe.stores),
    }
    lines = [f"def figures(tick, {', '.join(GIVEN)}):"]
    for given, letter in GIVEN.items():
        if entries := [f"{letter}{n}" for n in range(counts[letter])]:
            lines.append(f"    ({', '.join(entries)},) = {given}")
    for n, source in enumerate(sources):
        droop = getattr(source, "droop_volts", 0.0)
        lines += [f"    l{n} = w{n} / {source.rated_va!r}", f"    s{n} = s{n} and s{n} - {droop!r} * l{n}"]
    # A bus that hangs on no source (-1) takes the last, which has no volts.
    lines.append(f"    shown = ({''.join(f's{n}, ' for n in range(len(sources)))}0.0)")
    return "\n".join([*lines, f"    return [{', '.join(code for _, code in figure_table(airframe))}]", ""])
