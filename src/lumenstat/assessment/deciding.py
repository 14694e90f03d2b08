"""Decisions that were taken by doing what they call for: who shuts the fuel off has decided, whatever was pressed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenstat.assessment.attempts import Reader
from lumenstat.documents.procedure import Step
from lumenstat.items.seen import Attempt
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Flight


def decided_by_doing(reader: Reader, attempts: Mapping[int, Sequence[Attempt]], flight: Flight) -> dict[int, Attempt]:
    """By step, the act that took its right way before that was said; steps whose way was said first are not there."""
    found = {}
    for step in reader.procedure.steps:
        if step.item.DONE_BY_WAY and (done := _done(reader, step, attempts, flight)) is not None:
            said = next((a for a in attempts[step.number] if a.right), None)
            if said is None or said.index > done.index:
                found[step.number] = done
    return found


def _done(reader: Reader, step: Step, attempts: Mapping[int, Sequence[Attempt]], flight: Flight) -> Attempt | None:
    """The first act that began a way while that was the right one."""
    begun = []
    for way in step.item.ways():
        # A way that begins with something silent leaves no act to tell it by.
        if not way.items or way.items[0].SILENT:
            continue
        first = reader.procedure.by_id[way.items[0].id]
        for act in attempts[first.number]:
            if act.right and _right_way(reader, step, act.tick, flight) == way.id:
                says = phrase("Decided by doing it: {way}.", way=way.says)
                begun.append(Attempt(act.index, act.tick, True, says, act.parts, way=way.id))
    return min(begun, key=lambda attempt: attempt.index, default=None)


def _right_way(reader: Reader, step: Step, tick: int, flight: Flight) -> str | None:
    """The way that was right just before something was done at a tick."""
    return step.item.taken_way(None, reader, lambda text: flight.timelines[text].at(max(0, tick - 1)))
