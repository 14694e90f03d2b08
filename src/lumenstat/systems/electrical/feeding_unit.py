"""What the AC side of one aircraft does: carts become ready, generators trip, transfers break before they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenstat.systems.electrical.ac_names import NO_SOURCE, carts_brought, fed_by, root
from lumenstat.systems.electrical.ac_sources import AcSection, Cart, CartsStart
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.system import Sections
from lumenstat.systems.terms import ticks
from lumenstat.systems.unit import Host, Unit

NO_CART = Cart(name="none", volts=0, hertz=0)
TRANSFER, READY, OVERLOAD = range(3)
"""Kinds of its events, as `Feeding.EVENTS` lists them."""


class FeedingUnit(Unit):
    """The AC side of one aircraft."""

    SNAPSHOT = ("cart_number", "brought", "plugged", "steady", "overloaded", "waiting")

    def __init__(
        self, host: Host, number: int, section: AcSection, order: Sequence[str], ac: Sequence[str], start: Sections
    ) -> None:
        d = host.layout.d
        self._section, self._order, self._ac = section, order, ac
        self.sources = section.sources
        self.source_number = {source.id: n for n, source in enumerate(self.sources)}
        self.available_slots = [d[f"source.{source.id}.available"] for source in self.sources]
        self.ready_slots = [d[f"source.{supply.id}.ready"] for supply in section.ground_supplies]
        self.trip_slots = [
            (d[f"source.{g.id}.tripped"], d[f"overload.{g.id}"], ticks(g.overload_seconds)) for g in section.generators
        ]
        self.fed_slots = {bus: d[fed_by(bus)] for bus in ac}
        self.root_slots = [d[root(bus)] for bus in ac]
        feeders = {feed.source for feeds in section.feeding.values() for feed in feeds}
        buses = {*ac, *(inverter.input for inverter in section.inverters), *(feeders - self.source_number.keys())}
        self.alive_slots = {bus: d[alive(bus)] for bus in sorted(buses)}
        carts = start.section(CartsStart).carts
        self.carts = [carts.get(supply.id, (NO_CART,)) for supply in section.ground_supplies]
        self.cart_number = (0,) * len(section.ground_supplies)
        self.brought = (0,) * len(section.ground_supplies)
        self.brought_slots = [d[carts_brought(supply.id)] for supply in section.ground_supplies]
        self.plugged = self.steady = (False,) * len(section.ground_supplies)
        self.overloaded = (False,) * len(section.generators)
        self.waiting: frozenset[str] = frozenset()
        self.plugs = {supply.bus: n for n, supply in enumerate(section.ground_supplies)}
        self.feeds = {bus: section.feeding.get(bus, ()) for bus in order}
        self.first_feed: dict[str, int] = {}
        first = 0
        for bus, feeds in self.feeds.items():
            self.first_feed[bus] = first
            first += len(feeds)
        trips = [each for tripped, overload, _ in self.trip_slots for each in (tripped, overload)]
        slots = *self.alive_slots.values(), *self.fed_slots.values(), *self.available_slots, *self.ready_slots
        trips += self.brought_slots
        super().__init__(host, number, also=[*slots, *trips])
        self.held_by = tuple(f"source.{source.id}.available" for source in self.sources)
        self.held_by += tuple(root(bus) for bus in ac)
        place = {bus: n for n, bus in enumerate(ac)}
        self._rectified = [
            (place[each.ac_bus], host.layout.branches[each.branch], host.layout.nodes[each.dc_bus], each.efficiency)
            for each in host.layout.rectified
        ]
        self._allowed: tuple[bool, ...] = ()
        self._volts: list[float] = []
        self._hertz: list[float] = []
        self._watts: list[float] = []
        self._taken: list[tuple[int, int, int, float]] = []
        self._steady_outputs: list[float] = []
        for bus in ac:
            # Break before make: the bus is dead for the transfer time, or two sources could feed it together.
            host.d[self.fed_slots[bus]] = ""

    # ---- carts -------------------------------------------------------------------------------------------

    def cart(self, supply: int) -> tuple[float, float]:
        """Volts and hertz of the cart that stands at this plug."""
        cart = self.carts[supply][self.cart_number[supply]]
        name = self._section.ground_supplies[supply].id
        return cart.volts, self.host.faults.active.get(("supply_out_of_tolerance", name), cart.hertz)

    def _change_carts(self) -> None:
        """Where another cart was brought it takes the last one's place and has to show ready anew."""
        brought = tuple(int(self.host.d[slot]) for slot in self.brought_slots)
        for supply, (now, before) in enumerate(zip(brought, self.brought, strict=True)):
            if now == before:
                continue
            # Whoever asks for another cart more often than there are carts gets the last one again.
            number = min(self.cart_number[supply] + 1, len(self.carts[supply]) - 1)
            self.cart_number = tuple(number if n == supply else each for n, each in enumerate(self.cart_number))
            # Steadiness was the last cart's; the new one has the whole time to show ready before it.
            self.steady = tuple(each and n != supply for n, each in enumerate(self.steady))
            self.host.d[self.ready_slots[supply]] = False
        self.brought = brought

    # ---- settling ----------------------------------------------------------------------------------------

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Keep what may feed, for transfers that end between; then follow."""
        self._allowed = conditions[len(self.sources) :]
        super().settle(conditions)

    def follow(self, *conditions: bool) -> None:
        """Availability of every source, then a transfer for every bus that would take another."""
        supplies, d = len(self.ready_slots), self.host.d
        self._change_carts()
        self._supplies(conditions[:supplies])
        self._others(conditions[supplies : len(self.sources)])
        # Upstream first: a bus that another feeds must know whether that one lives.
        for number, bus in enumerate(self._order):
            if not self.feeds[bus]:
                continue
            best, fed = self._best(bus), d[self.fed_slots[bus]]
            if best != fed:
                d[self.fed_slots[bus]] = ""
                # Under way already: where it ends is decided when it ends, not when it began.
                if best and bus not in self.waiting:
                    self.waiting |= {bus}
                    self.later(number, ticks(self._section.transfer_seconds), TRANSFER)
        self._find_roots()

    def _supplies(self, plugged: tuple[bool, ...]) -> None:
        d, lost = self.host.d, self.host.faults.has
        supplies = self._section.ground_supplies
        self.plugged = tuple(on and not lost("supply_lost", s.id) for on, s in zip(plugged, supplies, strict=True))
        within = [False] * len(supplies)
        for n, supply in enumerate(supplies):
            volts, hertz = self.cart(n)
            steady = self.plugged[n] and supply.volts.min <= volts <= supply.volts.max
            steady = within[n] = steady and supply.hertz.min <= hertz <= supply.hertz.max
            if steady and not self.steady[n]:
                self.later(n, ticks(supply.ready_after_seconds), READY)
            # A cart that leaves its band for a moment has to prove itself anew.
            elif not steady:
                if self.steady[n]:
                    self.never_mind(n, kind=READY)
                d[self.ready_slots[n]] = False
            d[self.available_slots[n]] = d[self.ready_slots[n]] is True
        self.steady = tuple(within)

    def _others(self, offered: tuple[bool, ...]) -> None:
        d, first = self.host.d, len(self.ready_slots)
        inverters = self._section.inverters
        overloaded = [d[overload] is True for _, overload, _ in self.trip_slots]
        for n, inverter in enumerate(inverters):
            d[self.available_slots[first + n]] = offered[n] and d[self.alive_slots[inverter.input]] is True
        for n, generator in enumerate(self._section.generators):
            tripped, _, after = self.trip_slots[n]
            wanted = offered[len(inverters) + n]
            if not wanted:
                d[tripped] = False
            over = overloaded[n]
            if over and not self.overloaded[n]:
                self.later(n, after, OVERLOAD)
            elif self.overloaded[n] and not over:
                self.never_mind(n, kind=OVERLOAD)
            # A trip is reset by taking the offer away and giving it again, as a generator switch does.
            failed = self.host.faults.has("generator_failed", generator.id)
            d[self.available_slots[first + len(inverters) + n]] = wanted and not d[tripped] and not failed
        self.overloaded = tuple(overloaded)

    def fire(self, kind: int, what: int) -> None:
        """A transfer ends with the best source there is at this moment; a cart is ready; a generator trips."""
        d = self.host.d
        if kind == TRANSFER:
            bus = self._order[what]
            self.waiting -= {bus}
            # The source that called for the transfer may be gone by now, or a better one have come.
            d[self.fed_slots[bus]] = self._best(bus)
        elif kind == READY:
            d[self.ready_slots[what]] = True
        else:
            d[self.trip_slots[what][0]] = True

    def _best(self, bus: str) -> str:
        # In the order of the document: the first that may and can.
        first, d = self.first_feed[bus], self.host.d
        for n, feed in enumerate(self.feeds[bus], start=first):
            if self._allowed[n]:
                number = self.source_number.get(feed.source)
                slot = self.alive_slots[feed.source] if number is None else self.available_slots[number]
                if d[slot] and not self.host.faults.has("transfer_fails", feed.source):
                    return feed.source
        return ""

    def _find_roots(self) -> None:
        """For each AC bus the number of the source that its power comes from in the end."""
        found: dict[str, float] = {}
        d = self.host.d
        # In an order in which whatever feeds a bus comes before it.
        for bus in self._order:
            fed = str(d[self.fed_slots[bus]])
            plug = self.plugs.get(bus)
            if plug is not None:
                found[bus] = float(plug) if self.plugged[plug] else NO_SOURCE
            else:
                number = self.source_number.get(fed)
                found[bus] = found.get(fed, NO_SOURCE) if number is None else float(number)
        for bus, slot in zip(self._ac, self.root_slots, strict=True):
            d[slot] = found[bus]

    # ---- what stays as it is until the next event --------------------------------------------------------

    def decides(self) -> object:
        """Which cart stands at which plug."""
        return self.plugged, self.cart_number

    def _roots(self) -> list[int]:
        d = self.host.d
        return [int(d[slot]) for slot in self.root_slots]

    def passes_on_draws(self, watts: dict[str, float]) -> None:
        """An inverter takes from DC what hangs on it in AC."""
        roots = self._roots()
        for n, inverter in enumerate(self._section.inverters, len(self.ready_slots)):
            drawn = sum(watts[bus] for bus, at in zip(self._ac, roots, strict=True) if at == n)
            watts[inverter.input] += drawn / inverter.efficiency

    def hold(self, watts: Mapping[str, float]) -> object:
        """What every source gives before its droop, and who takes it."""
        volts, hertz = self._volts_and_hertz()
        roots = self._roots()
        ac_watts = [watts[bus] for bus in self._ac]
        # Once for every source, though several of its buses may take from it.
        self._watts = [0.0] * len(self.sources)
        for at, taken in zip(roots, ac_watts, strict=True):
            if at >= 0:
                self._watts[at] += taken
        self._taken = [
            (roots[bus], branch, node, efficiency)
            for bus, branch, node, efficiency in self._rectified
            if roots[bus] >= 0
        ]
        bus_hertz = [hertz[at] if at >= 0 else 0.0 for at in roots]
        self._steady_outputs = [*volts, *hertz, *roots, *bus_hertz]
        return volts, hertz, roots, ac_watts

    def _volts_and_hertz(self) -> tuple[list[float], list[float]]:
        volts, hertz = [], []
        for n in range(len(self.plugged)):
            v, h = self.cart(n)
            volts.append(v if self.plugged[n] else 0.0)
            hertz.append(h if self.plugged[n] else 0.0)
        made = [(each.volts, each.hertz) for each in self._section.made]
        for v, h in made:
            on = self.host.d[self.available_slots[len(volts)]] is True
            volts.append(v if on else 0.0)
            hertz.append(h if on else 0.0)
        return volts, hertz

    def outputs(self, tick: int, x: Sequence[float], volts: Sequence[float], amps: Sequence[float]) -> list[float]:
        """Watts of every source with what rectifiers take; the rest stays as it is until the next event."""
        # What rectifiers take depends on the solved network, so it cannot be worked out before.
        watts = self._watts.copy()
        for source, branch, node, efficiency in self._taken:
            watts[source] += volts[node] * amps[branch] / efficiency
        return watts + self._steady_outputs
