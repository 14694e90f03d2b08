"""Which source feeds which AC bus: carts that become ready, generators that trip, transfers that break first."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lumenstat.documents.exercise import Cart, Start
from lumenstat.simulation.calendar import Priority
from lumenstat.simulation.plan import ticks
from lumenstat.simulation.unit import Unit

if TYPE_CHECKING:
    from lumenstat.simulation.settling import Settler

NO_CART = Cart(name="none", volts=0, hertz=0)


class Feeding(Unit):
    """The AC side of an aircraft's logic."""

    KEPT = ("cart_number", "plugged", "steady", "overloaded", "waiting")

    def __init__(self, settler: Settler, start: Start) -> None:
        plan = self.plan = settler.aircraft.plan
        electrical = self.electrical = plan.airframe.electrical
        slot = plan.d
        self.alive_slots = {bus.id: slot[f"bus.{bus.id}.alive"] for bus in electrical.buses}
        self.fed_slots = {bus.id: slot[f"bus.{bus.id}.fed_by"] for bus in plan.ac}
        self.sources = electrical.sources
        self.source_number = {source.id: n for n, source in enumerate(self.sources)}
        self.available_slots = [slot[f"source.{source.id}.available"] for source in self.sources]
        self.ready_slots = [slot[f"source.{supply.id}.ready"] for supply in electrical.ground_supplies]
        self.trip_slots = [
            (slot[f"source.{g.id}.tripped"], slot[f"overload.{g.id}"], ticks(g.overload_seconds))
            for g in electrical.generators
        ]
        self.carts = [start.carts.get(supply.id, (NO_CART,)) for supply in electrical.ground_supplies]
        self.cart_number = (0,) * len(electrical.ground_supplies)
        self.plugged = self.steady = (False,) * len(electrical.ground_supplies)
        self.overloaded = (False,) * len(electrical.generators)
        self.waiting: frozenset[str] = frozenset()
        self.plugs = {supply.bus: n for n, supply in enumerate(electrical.ground_supplies)}
        self.ac_number = {bus.id: n for n, bus in enumerate(plan.ac)}
        self.feeds = {bus: electrical.feeding.get(bus, ()) for bus in plan.ac_order}
        self.first_feed: dict[str, int] = {}
        for bus, order in self.feeds.items():
            self.first_feed[bus] = sum(len(self.feeds[other]) for other in self.first_feed)
            del order
        trips = [each for tripped, overload, _ in self.trip_slots for each in (tripped, overload)]
        slots = *self.alive_slots.values(), *self.fed_slots.values(), *self.available_slots, *self.ready_slots
        super().__init__(settler, [*slots, *trips])

    def cart(self, supply: int) -> tuple[float, float]:
        """Volts and hertz of the cart that stands at this plug."""
        cart = self.carts[supply][self.cart_number[supply]]
        name = self.electrical.ground_supplies[supply].id
        return cart.volts, self.settler.faults.active.get(("supply_out_of_tolerance", name), cart.hertz)

    def next_cart(self, supply_id: str) -> None:
        """Another cart takes this one's place and has to show ready anew."""
        supply = next(n for n, s in enumerate(self.electrical.ground_supplies) if s.id == supply_id)
        number = min(self.cart_number[supply] + 1, len(self.carts[supply]) - 1)
        self.cart_number = tuple(number if n == supply else each for n, each in enumerate(self.cart_number))
        self.steady = tuple(each and n != supply for n, each in enumerate(self.steady))
        self.aircraft.d[self.ready_slots[supply]] = False

    def go_on(self, plugged: tuple[bool, ...], offered: tuple[bool, ...], feeds: tuple[bool, ...]) -> None:
        """Availability of every source, then a transfer for every bus that would take another."""
        self._supplies(plugged)
        self._others(offered)
        for number, bus in enumerate(self.plan.ac_order):
            if not self.feeds[bus]:
                continue
            d = self.aircraft.d
            best, fed = self._best(bus, feeds), d[self.fed_slots[bus]]
            if best != fed:
                d[self.fed_slots[bus]] = ""
                if best and bus not in self.waiting:
                    self.waiting |= {bus}
                    after = self.aircraft.tick + ticks(self.electrical.transfer_seconds)
                    self.aircraft.calendar.add(after, Priority.TRANSFER, number)

    def _supplies(self, plugged: tuple[bool, ...]) -> None:
        d, lost = self.aircraft.d, self.settler.faults.has
        supplies = self.electrical.ground_supplies
        self.plugged = tuple(on and not lost("supply_lost", s.id) for on, s in zip(plugged, supplies, strict=True))
        within = [False] * len(supplies)
        for n, supply in enumerate(supplies):
            volts, hertz = self.cart(n)
            steady = self.plugged[n] and supply.volts.min <= volts <= supply.volts.max
            steady = within[n] = steady and supply.hertz.min <= hertz <= supply.hertz.max
            if steady and not self.steady[n]:
                self.aircraft.calendar.add(self.aircraft.tick + ticks(supply.ready_after_seconds), Priority.SUPPLY, n)
            elif not steady:
                if self.steady[n]:
                    self.aircraft.calendar.overtake(Priority.SUPPLY, n)
                d[self.ready_slots[n]] = False
            d[self.available_slots[n]] = d[self.ready_slots[n]] is True
        self.steady = tuple(within)

    def _others(self, offered: tuple[bool, ...]) -> None:
        d, first = self.aircraft.d, len(self.ready_slots)
        inverters = self.electrical.inverters
        overloaded = [d[overload] is True for _, overload, _ in self.trip_slots]
        for n, inverter in enumerate(inverters):
            d[self.available_slots[first + n]] = offered[n] and d[self.alive_slots[inverter.input]] is True
        for n, generator in enumerate(self.electrical.generators):
            tripped, _, after = self.trip_slots[n]
            wanted = offered[len(inverters) + n]
            if not wanted:
                d[tripped] = False
            over = overloaded[n]
            if over and not self.overloaded[n]:
                self.aircraft.calendar.add(self.aircraft.tick + after, Priority.OVERLOAD, n)
            elif self.overloaded[n] and not over:
                self.aircraft.calendar.overtake(Priority.OVERLOAD, n)
            failed = self.settler.faults.has("generator_failed", generator.id)
            d[self.available_slots[first + len(inverters) + n]] = wanted and not d[tripped] and not failed
        self.overloaded = tuple(overloaded)

    def transfer(self, number: int, allowed: tuple[bool, ...]) -> None:
        """The transfer time is over: take the best source there is at this moment."""
        bus = self.plan.ac_order[number]
        self.waiting -= {bus}
        self.aircraft.d[self.fed_slots[bus]] = self._best(bus, allowed)

    def _best(self, bus: str, allowed: tuple[bool, ...]) -> str:
        first, d = self.first_feed[bus], self.aircraft.d
        for n, feed in enumerate(self.feeds[bus], start=first):
            if allowed[n]:
                number = self.source_number.get(feed.source)
                slot = self.alive_slots[feed.source] if number is None else self.available_slots[number]
                if d[slot] and not self.settler.faults.has("transfer_fails", feed.source):
                    return feed.source
        return ""

    def roots(self) -> list[int]:
        """For each AC bus the number of the source that its power comes from in the end, or -1."""
        root: dict[str, int] = {}
        for bus in self.plan.ac_order:
            fed = str(self.aircraft.d[self.fed_slots[bus]])
            plug = self.plugs.get(bus)
            if plug is not None:
                root[bus] = plug if self.plugged[plug] else -1
            else:
                root[bus] = self.source_number.get(fed, root.get(fed, -1))
        return [root[bus.id] for bus in self.plan.ac]

    def volts_and_hertz(self) -> tuple[list[float], list[float]]:
        """What every source gives before its droop."""
        volts, hertz = [], []
        for n in range(len(self.plugged)):
            v, h = self.cart(n)
            volts.append(v if self.plugged[n] else 0.0)
            hertz.append(h if self.plugged[n] else 0.0)
        made = [(i.volts, i.hertz) for i in self.electrical.inverters]
        made += [(g.volts, g.hertz) for g in self.electrical.generators]
        for v, h in made:
            on = self.aircraft.d[self.available_slots[len(volts)]] is True
            volts.append(v if on else 0.0)
            hertz.append(h if on else 0.0)
        return volts, hertz
