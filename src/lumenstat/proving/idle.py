"""Time in which the model stands still at a wait although something further on could be done meanwhile."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lumenstat.documents.procedure import Step
from lumenstat.proving.consequences import left_otherwise, worst
from lumenstat.rehearsal.script import Script

IDLE_TICKS = 6000
WORTH_TICKS = 1000
"""Longer than a minute is idle, and work of ten seconds or more is worth moving."""


@dataclass(frozen=True)
class Idle:
    """A wait beside which the model did nothing for so many ticks, and the items that could be done meanwhile."""

    wait: str
    ticks: int
    tick: int
    meanwhile: tuple[str, ...]


def idle_waits(script: Script) -> Iterator[Idle]:
    """The waits that stand before work which needs nothing of them."""
    for n, act in enumerate(script.acts):
        stood = act.ripe - (script.acts[n - 1].ends if n else 0)
        if stood > IDLE_TICKS and (meanwhile := _meanwhile(script, n)):
            spent = sum(script.acts[m].ends - script.acts[m].starts for m in meanwhile)
            if spent >= WORTH_TICKS:
                yield Idle(act.item, stood, act.ripe - stood, tuple(script.acts[m].item for m in meanwhile))


def _meanwhile(script: Script, wait: int) -> list[int]:
    """The acts behind a wait, one after another, that the model can do before it and reach the same end.

    What the checklist itself ties to the wait stays behind it.
    """
    acts, procedure = script.acts, script.procedure
    tied = {procedure.by_id[acts[wait].item].number}
    moved: list[int] = []
    for m in range(wait + 1, len(acts)):
        step = procedure.by_id[acts[m].item]
        if _ties(script, step, tied):
            tied.add(step.number)
        elif _as_good(script, wait, [*moved, m]):
            moved.append(m)
        else:
            break
    return moved


def _ties(script: Script, step: Step, tied: set[int]) -> bool:
    """Whether an item hangs on one of those by its own `after` or by the strict order of their section."""
    procedure = script.procedure
    if any(procedure.by_id[name].number in tied for name in step.item.after):
        return True
    same = [procedure.steps[n] for n in tied if procedure.steps[n].section == step.section]
    return any(procedure.precedes(each.number, step.number) for each in same)


def _as_good(script: Script, wait: int, first: list[int]) -> bool:
    """Whether these acts can be done before the wait: each does there what it does in its place, and nothing else
    comes of it."""
    last = first[-1]
    if not script.reactions(last, [last])[0] <= script.reactions(wait, first)[-1]:
        return False
    rest = [n for n in range(wait, len(script.acts)) if n not in first]
    base, flown = script.as_flown, script.changed(wait, [*first, *rest])
    effect, _, _ = worst(script, base, flown)
    return effect == "none" and not any(left_otherwise(script, base, flown))
