"""Items made from a flight: every action, call-out, wait and request of a log, in the order they were done."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.drafting.pointing import for_control, for_instrument, for_request, for_seen, for_state, item_for
from lumenstat.language import naming
from lumenstat.language.values import position_text
from lumenstat.simulation.flight import Flight, Moment, fly

WAIT_SECONDS = 4.0
"""A pause at least this long was a wait: for what the crew finished, or for the lamp that lit last in it."""

AT_ONCE_SECONDS = 2.5
"""A lamp that lights within this time was lit by the act itself, and nobody waited for it."""


def items_of(bundle: Bundle, events: Sequence[LogEvent]) -> list[dict[str, Any]]:
    """The items of a flight. What an item of the old checklist only confirmed or answered is passed over."""
    kept = [event for event in events if event.verb not in ("finish", "rate", "hint", "note", "respond", "confirm")]
    flight = fly(bundle, kept, [naming.lamp(lamp) for lamp in bundle.airframe.lamps], lenient=True)
    return list(_FlightReader(bundle, flight).items())


@dataclass(frozen=True)
class _FlightReader:
    bundle: Bundle
    flight: Flight

    def items(self) -> Iterator[dict[str, Any]]:
        """One item after another."""
        moments = [moment for moment in self.flight.moments if moment.accepted]
        for number, moment in enumerate(moments):
            before = moments[number - 1] if number else None
            if before is not None and (moment.event.tick - before.event.tick) / 100 >= WAIT_SECONDS:
                yield from self._waited_for(before, moment)
            if not self._taken_back(moments, number):
                yield from self._item(moments, number)

    def _item(self, moments: Sequence[Moment], number: int) -> Iterator[dict[str, Any]]:
        moment, airframe = moments[number], self.bundle.airframe
        event, args = moment.event, moment.event.args
        match event.verb:
            case "set":
                yield for_control(airframe, args["control"], str(position_text(args["to"])))
            case "see":
                yield for_seen(airframe, args["control"], str(args["position"]))
            case "press":
                yield self._held(moments, number)
            case "call" if args.get("judgement") != "dead":
                yield for_instrument(airframe, args["instrument"], args.get("reading"))
            case "request":
                yield for_request(airframe, args["service"], args["action"])
            case _:
                return

    def _held(self, moments: Sequence[Moment], number: int) -> dict[str, Any]:
        control = moments[number].event.args["control"]
        let_go = next(
            (m for m in moments[number:] if m.event.verb == "release" and m.event.args["control"] == control), None
        )
        # Still held when the flight ended: as long as a press that is not held.
        lasted = (let_go.event.tick - moments[number].event.tick) / 100 if let_go else 1.0
        item = for_control(self.bundle.airframe, control) | {"seconds": max(1, int(lasted))}
        later = (
            moments[-1] if let_go is None else next((m for m in moments if m.event.tick > let_go.event.tick), let_go)
        )
        lit = [] if let_go is None else self._lit_between(moments[number], let_go)
        # A lamp that stays lit tells that something has changed, not that the button is held.
        if lit := [name for name in lit if not later.state[naming.lamp(name)]]:
            item |= {"watch": naming.lamp(lit[-1]), "response": f"{self.bundle.airframe.lamps[lit[-1]].name} lit"}
        return item

    def _taken_back(self, moments: Sequence[Moment], number: int) -> bool:
        """Whether the next move of the same control comes at once: then only that one was meant."""
        event = moments[number].event
        if event.verb != "set" or number + 1 >= len(moments):
            return False
        after = moments[number + 1].event
        same = after.verb == "set" and after.args["control"] == event.args["control"]
        return same and (after.tick - event.tick) / 100 < 2

    def _waited_for(self, before: Moment, moment: Moment) -> Iterator[dict[str, Any]]:
        """What came in a pause: a service that reached a state, or else the last lamp that lit."""
        # A service before a lamp: the pause was most likely for the crew.
        for service in self.bundle.airframe.services:
            name = naming.service(service.id)
            if before.state[name] != moment.state[name]:
                yield for_state(self.bundle.airframe, service.id, str(moment.state[name]))
                return
        # What came at once came from the act, and nobody waited for it.
        since = before.event.tick + round(100 * AT_ONCE_SECONDS)
        came = [
            (tick, name)
            for name in self.bundle.airframe.lamps
            for tick, on in self.flight.timelines[naming.lamp(name)].flips
            if on and since < tick <= moment.event.tick and self.bundle.airframe.lamps[name].colour == "lamp"
        ]
        if came:
            yield item_for(self.bundle.airframe, "lamp", max(came)[1])

    def _lit_between(self, before: Moment, after: Moment) -> list[str]:
        names = self.bundle.airframe.lamps
        return [name for name in names if after.state[naming.lamp(name)] and not before.state[naming.lamp(name)]]
