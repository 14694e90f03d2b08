"""The text of the generated functions of an airframe: its logic, its comparators, its outputs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lumenstat.language.expressions import Emitter, parse
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import System


@dataclass(frozen=True, slots=True)
class PlacedThreshold:
    """Reads the output at place `a`, writes yes or no to the discrete state at place `d`."""

    a: int
    d: int
    on_above: float
    off_below: float


def logic_source(systems: Sequence[System], emitter: Emitter) -> str:
    """`logic(d)`: for every system a tuple with the truth of each of its conditions."""
    lines = ["def logic(d):", "    return ("]
    for system in systems:
        lines.append(f"        (  # {type(system).__name__}")
        lines += [f"            {emitter.truth(parse(text))}," for text in system.conditions()]
        lines.append("        ),")
    return "\n".join([*lines, "    )", ""])


def flipped_source(thresholds: Sequence[PlacedThreshold]) -> str:
    """`flipped(d, a)`: which comparators have to change at these outputs, as (place, new value)."""
    lines = ["def flipped(d, a):", "    found = []"]
    for c in thresholds:
        # On and off at two figures: between them a comparator stays as it is.
        lines.append(f"    if a[{c.a}] < {float(c.off_below)!r} if d[{c.d}] else a[{c.a}] >= {float(c.on_above)!r}:")
        lines.append(f"        found.append(({c.d}, not d[{c.d}]))")
    return "\n".join([*lines, "    return found", ""])


def outputs_source(systems: Sequence[System], layout: Layout) -> str:
    """`outputs(tick, volts, amps, x, given)`: every output in the order of the layout.

    Volts by DC node, amps by branch, continuous states, and what units give. Written out as one function it takes less
    than half the time of joining slices, several hundred times a flight.
    """
    lines = ["def outputs(tick, volts, amps, x, given):"]
    for name, letter, places in (
        ("volts", "v", layout.nodes),
        ("amps", "i", layout.branches),
        ("x", "x", layout.x),
        ("given", "g", layout.given),
    ):
        if entries := [f"{letter}{n}" for n in range(len(places))]:
            lines.append(f"    ({', '.join(entries)},) = {name}")
    lines += [f"    {line}" for system in systems for line in system.prepared(layout)]
    codes = [code for system in systems for _, code in system.outputs(layout)]
    return "\n".join([*lines, f"    return [{', '.join(['tick / 100', *codes])}]", ""])
