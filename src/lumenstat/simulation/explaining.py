"""The generated code of an airframe for people: each line with what it is and where it is written in the document."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lumenstat.language.expressions import parse
from lumenstat.language.sources import Path_, Source, dotted
from lumenstat.simulation.plan import Plan


def explained(plan: Plan, source: Source, code: bool = True) -> Iterator[str]:
    """How much of what an airframe is compiled to; with `code` logic, thresholds and outputs as they run, commented."""
    conditions, thresholds = plan.answers_count, len(plan.thresholds)
    yield f"# {plan.airframe.id}: {conditions} conditions, {thresholds} thresholds, {len(plan.a)} outputs"
    branches = len(plan.layout.branches)
    yield f"# {len(plan.d)} discrete states, {len(plan.layout.x)} continuous states, {branches} branches"
    if code:
        yield from _logic(plan, source, dict(_texts(source.data, ())))
        yield from _thresholds(plan)
        yield from _outputs(plan)


def _logic(plan: Plan, source: Source, written: dict[str, Path_]) -> Iterator[str]:
    emitter = plan.emitter()
    yield from ("", "def logic(d):", "    return (")
    for system in plan.systems:
        yield f"        (  # {type(system).__name__}"
        for text in system.conditions():
            yield f"            # {_where(text, source, written)}"
            yield f"            {emitter.truth(parse(text))},"
        yield "        ),"
    yield "    )"


def _where(text: str, source: Source, written: dict[str, Path_]) -> str:
    path = written.get(text)
    if path is None:  # a room may have put more around what is written
        path = next((at for inner, at in written.items() if f"({inner})" in text), None)
    if path is None:
        return f"{text}"
    return f"line {source.line_of(path)}, {dotted(path)}: {text}"


def _thresholds(plan: Plan) -> Iterator[str]:
    yield from ("", "def flipped(d, a):", "    found = []")
    described = [each for system in plan.systems for each in system.thresholds()]
    for each, placed in zip(described, plan.thresholds, strict=True):
        yield f"    # {each.state}: {each.output} at {each.on_above:g} and above, until below {each.off_below:g}"
        yield f"    if a[{placed.a}] < {placed.off_below!r} if d[{placed.d}] else a[{placed.a}] >= {placed.on_above!r}:"
        yield f"        found.append(({placed.d}, not d[{placed.d}]))"
    yield "    return found"


def _outputs(plan: Plan) -> Iterator[str]:
    yield from ("", "def outputs(tick, volts, amps, x, given):")
    for letter, places in (
        ("v", plan.layout.nodes),
        ("i", plan.layout.branches.numbers),
        ("x", plan.layout.x.numbers),
        ("g", plan.layout.given.numbers),
    ):
        for name, number in places.items():
            yield f"    # {letter}{number}: {name}"
    for system in plan.systems:
        yield from (f"    {line}" for line in system.prepared(plan.layout))
    yield "    return ["
    yield "        tick / 100,  # time"
    for system in plan.systems:
        for name, code in system.outputs(plan.layout):
            yield f"        {code},  # {name}"
    yield "    ]"


def _texts(value: Any, path: Path_) -> Iterator[tuple[str, Path_]]:
    """Every text of a document with its path, later ones first, so that the first place of a text is kept."""
    if isinstance(value, dict):
        for name, part in reversed(value.items()):
            yield from _texts(part, (*path, name))
    elif isinstance(value, list):
        for number in reversed(range(len(value))):
            yield from _texts(value[number], (*path, number))
    elif isinstance(value, str):
        yield value, path
