"""Where the time went: what the exercise needs at its shortest, what was used, and by which item the rest was lost.

How far behind the perfect flight somebody is when an item is done is its lag. Lag that a later wait swallows costs
nothing; what is lost at an item is the lag that it adds and that lasts to the end. So the losses add up exactly to the
difference between used and needed.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from lumenstat.assessment.ledger import Lost, TimeUse
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure
from lumenstat.items.seen import Attempt
from lumenstat.language.values import clock, lasting
from lumenstat.language.wording import phrase
from lumenstat.rehearsal.perfect import Rehearsal, rehearse

FINISH = -1


def time_use(
    bundle: Bundle,
    procedure: Procedure,
    done: Mapping[int, Attempt],
    slipped: frozenset[int],
    end: int,
    cut_short: bool = False,
) -> TimeUse | None:
    """The time block of a run; None where the model itself cannot fly the exercise. `end` and losses are in ticks.

    Of a run that was cut short it speaks of what was flown: needed is the time to the last item that was done.
    """
    perfect = perfect_flight(bundle)
    if not perfect.ok:
        return None
    planned = {act.item: act.ends for act in perfect.acts}
    needed = perfect.events[-1].tick
    steps = sorted((attempt.over, attempt.index, number) for number, attempt in done.items())
    names = [step.item.id for step in procedure.steps]
    marks = [(tick, number, planned[names[number]]) for tick, _, number in steps if names[number] in planned]
    if cut_short:
        needed = max((planned[names[n]] for n in done if names[n] in planned), default=0)
    marks.append((end, FINISH, needed))
    lasting, least = [], end - needed
    # From the end: lag that is gone at any later item was swallowed by a wait and cost nothing.
    for tick, number, due in reversed(marks):
        # Lag that was caught up later did not delay the end.
        least = min(least, tick - due)
        lasting.append((number, tick, max(0, least)))
    lost, behind, before = [], 0, FINISH
    for number, tick, lag in reversed(lasting):
        if lag > behind:
            lost.append(_lost(procedure, number, before, lag - behind, tick, slipped))
        behind, before = max(behind, lag), number
    # A hand may be quicker than the brisk one that the model has; nothing was lost then.
    if end < needed:
        lost = [
            Lost(
                seconds=(end - needed) / 100,
                says=phrase("Quicker than a brisk hand in the order of the card."),
                item=None,
            )
        ]
    return TimeUse(used=end / 100, needed=needed / 100, lost=tuple(lost))


def _lost(procedure: Procedure, number: int, before: int, ticks: int, tick: int, slipped: frozenset[int]) -> Lost:
    seconds = ticks / 100
    if number == FINISH:
        return Lost(
            seconds=seconds,
            says=phrase("{seconds} between the last item and Finish.", seconds=lasting(seconds)),
            item=None,
        )
    item = procedure.steps[number].item
    name = phrase("'{item}'", item=procedure.named(number))
    if number in slipped:
        says = phrase(
            "{seconds} until {name} was right, at {at}.", seconds=lasting(seconds), name=name, at=clock(tick / 100)
        )
    elif item.waits_for is not None:
        says = phrase(
            "{seconds} until {name} was answered, at {at}.", seconds=lasting(seconds), name=name, at=clock(tick / 100)
        )
    elif before == FINISH:
        says = phrase("{seconds} before the first item, {name}.", seconds=lasting(seconds), name=name)
    else:
        last = procedure.named(before)
        says = phrase(
            "{seconds} between '{last}' and {name}, done at {at}.",
            seconds=lasting(seconds),
            last=last,
            name=name,
            at=clock(tick / 100),
        )
    return Lost(seconds=seconds, says=says, item=item.id)


@lru_cache(maxsize=16)
def _flown(canonical: str) -> Rehearsal:
    return rehearse(Bundle.from_canonical_json(canonical))


def perfect_flight(bundle: Bundle) -> Rehearsal:
    """The perfect flight of an exercise, flown once in this process."""
    return _flown(bundle.canonical_json)


__all__ = ["perfect_flight", "time_use"]
