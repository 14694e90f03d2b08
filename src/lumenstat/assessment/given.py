"""What an instructor took on in a run: items given or skipped, and limits that the instructor's own hand brought.

None of it costs the trainee anything that the instructor did not say.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenstat.assessment.ledger import ItemRow, Verdict
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.registry import Item
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Flight
from lumenstat.simulation.variants import Variants

SHARES: Mapping[str, tuple[Verdict, float]] = {
    "full": ("done", 1.0),
    "half": ("prompted", 0.5),
    "none": ("prompted", 0.0),
    "out": ("not-applicable", 0.0),
}
"""What an item that was given comes to: its verdict, and the share of its weight."""
MOVING = ("set", "press", "release", "guard", "request")


def given_items(events: Sequence[LogEvent]) -> dict[str, LogEvent]:
    """The items that the instructor gave or skipped, each with the event that counts: the last one."""
    return {str(event.args["item"]): event for event in events if event.verb == "give"}


def given_row(item: Item, event: LogEvent) -> ItemRow:
    """The row of an item that was given or skipped."""
    verdict, share = SHARES[event.args["credit"]]
    at = clock(event.tick / 100)
    says = {
        "full": phrase("Given by the instructor at {at}, with full credit.", at=at),
        "half": phrase("Given by the instructor at {at}, for half of the credit.", at=at),
        "none": phrase("Skipped by the instructor at {at}, without credit.", at=at),
        "out": phrase("Skipped by the instructor at {at}: it is left out of the points.", at=at),
    }[event.args["credit"]]
    possible = 0.0 if event.args["credit"] == "out" else item.weight
    return ItemRow(
        item=item.id, verdict=verdict, at=event.tick / 100, earned=possible * share, possible=possible, says=says
    )


def brought_by_instructor(bundle: Bundle, flight: Flight, events: Sequence[LogEvent]) -> frozenset[str]:
    """Limits that were exceeded after an act of the instructor, before the trainee's next, and not without that act."""
    suspects: dict[int, set[str]] = {}
    for each in flight.exceedances:
        last = next((n for n in range(len(events) - 1, -1, -1) if _moves_before(events[n], each.start)), None)
        if last is not None and events[last].by == "instructor":
            suspects.setdefault(last, set()).add(each.limit.id)
    if not suspects:
        return frozenset()
    # Flown from the first of them on; before it nothing differs.
    variants = Variants(bundle, events, flight.end, min(suspects))
    return frozenset(
        limit for index, limits in suspects.items() for limit in limits - variants.without(frozenset((index,))).exceeded
    )


def _moves_before(event: LogEvent, tick: int) -> bool:
    return event.verb in MOVING and event.tick <= tick
