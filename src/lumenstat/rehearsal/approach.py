"""An approach: the exercise flown by the model to just before one of its items, for a trainee to fly that item."""

from __future__ import annotations

from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ModelError
from lumenstat.language.wording import phrase
from lumenstat.rehearsal.perfect import rehearse

LEAD_TICKS = 300
"""So long before something comes that is waited for, the trainee takes over; elsewhere when the model would act."""


@dataclass(frozen=True)
class Approach:
    """The exercise as it is flown in a drill, what the model did, and the tick from which the trainee flies."""

    bundle: Bundle
    item: str
    events: tuple[LogEvent, ...]
    tick: int


def coached(bundle: Bundle) -> Bundle:
    """The exercise with a coach: in a drill a trainee is told at once what was wrong."""
    if bundle.exercise.assist == "coached":
        return bundle
    written = bundle.exercise.model_dump(mode="json", by_alias=True) | {"assist": "coached"}
    return Bundle(bundle.airframe, bundle.checklists, Exercise.model_validate(written))


def approach(bundle: Bundle, item: str) -> Approach:
    """Fly to just before an item. Raises ModelError where the model never comes to it."""
    flown = coached(bundle)
    flight = rehearse(flown)
    act = next((each for each in flight.acts if each.item == item), None)
    if act is None:
        raise ModelError(
            phrase("the model does not come to {item} in {title}", item=repr(item), title=repr(bundle.exercise.title))
        )
    before = flight.events[: act.first]
    earliest = before[-1].tick + 1 if before else 0
    waits = flown.procedure.by_id[item].item.waits_for is not None
    return Approach(flown, item, before, max(earliest, act.starts - (LEAD_TICKS if waits else 0)))
