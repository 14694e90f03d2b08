"""Leave one out: each item left out in turn, each neighbouring pair swapped, each battery at the limit of its check."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import combinations

from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.proving.edges import Edge, edges_of, held_against
from lumenstat.proving.proof import Change, Consequence, Effect
from lumenstat.rehearsal.script import Script, ScriptFlight

TICKS_THAT_MATTER = 150
MOVES_PAIRED = 6
PAIRS_AT_MOST = 40
EFFECTS: tuple[Effect, ...] = ("none", "slower", "fails-later", "limit", "hazard")
"""From the lightest to the gravest."""
WEIGHTS: dict[Effect, float] = {"none": 1.0, "slower": 1.0, "fails-later": 2.0, "limit": 2.0, "hazard": 3.0}
"""The weight that a consequence suggests; our own scale."""


@dataclass(frozen=True)
class Task:
    """One change to fly: act `number` left out, swapped with the one after it, left out with the later `other`, or its
    battery at the `edge` of what it lets pass."""

    number: int
    change: Change
    other: int | None = None
    edge: Edge | None = None


def tasks_of(script: Script) -> list[Task]:
    """Every change worth flying: what touches nothing in the model cannot have a consequence there."""
    tasks = []
    for n, act in enumerate(script.acts):
        item = script.procedure.by_id[act.item]
        if _touches(script, n):
            tasks.append(Task(n, "left-out"))
        if n + 1 == len(script.acts):
            continue
        after = script.procedure.by_id[script.acts[n + 1].item]
        # Without an order nobody does wrong by doing the later one first.
        ordered = script.procedure.precedes(item.number, after.number)
        silent = item.item.SILENT or after.item.SILENT
        if ordered and not silent and (_touches(script, n) or _touches(script, n + 1)):
            tasks.append(Task(n, "swapped"))
    return [*tasks, *_pairs(script), *(Task(edge.number, "at-limit", edge=edge) for edge in edges_of(script))]


def _pairs(script: Script) -> list[Task]:
    """Moves of one section that may each stand in for the other: two barriers against the same thing."""
    moved: dict[int, list[int]] = {}
    for n, act in enumerate(script.acts):
        if any(event.verb == "set" for event in script.flight.events[act.first : act.last]):
            moved.setdefault(script.procedure.by_id[act.item].section, []).append(n)
    pairs = [pair for acts in moved.values() for pair in combinations(acts[:MOVES_PAIRED], 2)]
    return [Task(first, "both-left-out", second) for first, second in pairs[:PAIRS_AT_MOST]]


def worth_telling(found: Mapping[Task, Consequence]) -> Iterator[Task]:
    """All single changes, and of the pairs those that are graver than either alone."""
    for task, each in found.items():
        if task.other is None:
            yield task
            continue
        singles = (found.get(Task(n, "left-out")) for n in (task.number, task.other))
        alone = max((EFFECTS.index(single.effect) for single in singles if single is not None), default=0)
        if each.effect in ("limit", "hazard") and EFFECTS.index(each.effect) > alone:
            yield task


def _touches(script: Script, n: int) -> bool:
    """Whether an act does anything to the aircraft, or waits for it."""
    act = script.acts[n]
    item = script.procedure.by_id[act.item].item
    if not item.TOUCHES:
        return False
    verbs = {event.verb for event in script.flight.events[act.first : act.last]}
    return not verbs <= {"see", "call", "confirm", "decide"}


def consequence_of(script: Script, task: Task) -> Consequence:
    """Fly one change and say what came of it."""
    base = script.as_flown
    act = script.acts[task.number]
    if task.edge is not None:
        # Held against a flight of its own: one in which nobody reads the battery.
        effect, says, tick = held_against(Script(script.bundle, script.flight), task.edge, worst)
    else:
        effect, says, tick = worst(script, base, _flown(script, task))
    left_at = script.acts[task.number - 1].ends if task.number else 0
    # A consequence is counted from when the item was left; a delay from when all was ready.
    since = base.ready_at if effect in ("slower", "none") else left_at
    return Consequence(
        item=act.item,
        change=task.change,
        effect=effect,
        says=phrase("{change}: {what}.", change=_begins(script, task), what=says),
        seconds=round((tick - since) / 100, 2),
        at=tick / 100,
        weight=WEIGHTS[effect],
        critical=effect == "hazard",
    )


def _flown(script: Script, task: Task) -> ScriptFlight:
    if task.other is not None:
        return script.without_both(task.number, task.other)
    return script.without(task.number) if task.change == "left-out" else script.swapped(task.number)


def _begins(script: Script, task: Task) -> str:
    name = _name(script, task.number)
    if task.edge is not None:
        return name
    if task.other is not None:
        return phrase(
            "Without {name} and without {other}, each of which alone would do",
            name=name,
            other=_name(script, task.other),
        )
    return (
        phrase("Without {name}", name=name)
        if task.change == "left-out"
        else phrase("{name} only after {number}", name=name, number=_name(script, task.number + 1))
    )


def _name(script: Script, number: int) -> str:
    """The challenge of an act's item, with its response where the challenge alone could be another item's."""
    item = script.procedure.by_id[script.acts[number].item].item
    same = [step for step in script.procedure.steps if step.item.challenge == item.challenge]
    if len(same) == 1:
        return phrase("'{item}'", item=item.challenge)
    return phrase("'{item}, {response}'", item=item.challenge, response=item.response)


def worst(script: Script, base: ScriptFlight, flown: ScriptFlight) -> tuple[Effect, str, int]:
    """The gravest thing that came of a change, in words, and the tick of it."""
    limits = {limit.id: limit for limit in script.bundle.airframe.limits}
    # What is exceeded in the perfect flight as well did not come of the change.
    new = [(tick, limits[name]) for name, tick in flown.exceeded.items() if name not in base.exceeded]
    known = {(missed.item, missed.kind) for missed in base.missed}
    missed = [each for each in flown.missed if (each.item, each.kind) not in known]
    for severity in ("hazard", "limit"):
        found = sorted((tick, limit.says) for tick, limit in new if limit.severity == severity)
        if found:
            tick, says = found[0]
            more = phrase("; {missed}", missed=missed[0].says) if missed else ""
            return (
                ("hazard" if severity == "hazard" else "limit"),
                phrase("{says:low}", says=phrase("{says:bare}", says=says)) + more,
                tick,
            )
    if missed:
        return "fails-later", missed[0].says + _tells(script, flown, missed[0].tick), missed[0].tick
    # Nothing was noticed on the way, and at the end something lies dark.
    if (dead := next(_dead_at_end(script, base, flown), None)) is not None:
        return "fails-later", phrase("{dead} is dead at the end", dead=dead), flown.ready_at
    if base.ends and not flown.ends:
        return "fails-later", phrase("the exercise does not end by itself any more"), flown.ready_at
    late = flown.ready_at - base.ready_at
    if late > TICKS_THAT_MATTER:
        return "slower", phrase("ready {late:.0f} s later", late=late / 100), flown.ready_at
    left = next(left_otherwise(script, base, flown), None)
    says = (
        phrase("nothing comes of it but that at the end {left}", left=left)
        if left
        else phrase("nothing else in the model depends on it")
    )
    return "none", says, flown.ready_at


def _tells(script: Script, flown: ScriptFlight, until: int) -> str:
    """What lamp told of it, and how long after which act."""
    lamps = script.bundle.airframe.lamps
    told = next((lit for lit in flown.lit if lit.tick <= until and lit.after), None)
    if told is None:
        return ""
    return phrase(
        "; '{lamp}' lights {at:.0f} s after '{after}'",
        lamp=lamps[told.lamp].name,
        at=(told.tick - told.after_tick) / 100,
        after=told.after,
    )


def _dead_at_end(script: Script, base: ScriptFlight, flown: ScriptFlight) -> Iterator[str]:
    for bus in script.bundle.airframe.electrical.buses:
        name = naming.bus_alive(bus.id)
        if base.end[name] and not flown.end[name]:
            yield bus.name


def left_otherwise(script: Script, base: ScriptFlight, flown: ScriptFlight) -> Iterator[str]:
    """Lamps and services that end otherwise."""
    for lamp in script.bundle.airframe.lamps.values():
        name = naming.lamp(lamp.id)
        if base.end[name] != flown.end[name]:
            yield (
                phrase("the '{lamp}' lamp is lit", lamp=lamp.name)
                if flown.end[name]
                else phrase("the '{lamp}' lamp is out", lamp=lamp.name)
            )
    for service in script.bundle.airframe.services:
        name = naming.service(service.id)
        if base.end[name] != flown.end[name]:
            yield phrase("{service:low} stands at '{end}'", service=service.name, end=flown.end[name])
