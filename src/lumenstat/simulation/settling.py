"""The discrete half of an aircraft: contactors, supplies, transfers, services and what moves.

`settle` runs after every single event. Contactors move by events of their own, so two that interlock can never both
close, and an AC bus is fed by nothing for the transfer time before its next source takes it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from lumenstat.documents.exercise import Cart, Start
from lumenstat.errors import ModelError
from lumenstat.simulation.calendar import Event, Priority
from lumenstat.simulation.flows import Conditions
from lumenstat.simulation.plan import ticks

if TYPE_CHECKING:
    from lumenstat.simulation.aircraft import Aircraft

QUIET_ROUNDS = 20
AT_PLACE_DEGREES = 0.05
NO_CART = Cart(name="none", volts=0, hertz=0)


class Settler:
    """Runs the generated logic and turns what it asks for into events."""

    def __init__(self, aircraft: Aircraft, start: Start) -> None:
        self.aircraft = aircraft
        plan = self.plan = aircraft.plan
        electrical = plan.airframe.electrical
        slot = plan.d
        self.contactor_slots = [slot[f"contactor.{c.id}.shut"] for c in electrical.contactors]
        self.alive_slots = {bus.id: slot[f"bus.{bus.id}.alive"] for bus in electrical.buses}
        self.fed_slots = {bus.id: slot[f"bus.{bus.id}.fed_by"] for bus in plan.ac}
        self.sources = (*electrical.ground_supplies, *electrical.inverters)
        self.source_number = {source.id: n for n, source in enumerate(self.sources)}
        self.available_slots = [slot[f"source.{source.id}.available"] for source in self.sources]
        self.ready_slots = [slot[f"source.{supply.id}.ready"] for supply in electrical.ground_supplies]
        self.surface_slots = [
            (
                slot[f"surface.{s.id}.moving"],
                slot[f"surface.{s.id}.disagrees"],
                slot[f"pressed.{s.id}"],
                slot[f"control.{s.lever}"],
            )
            for s in plan.airframe.hydraulics.surfaces
        ]
        self.pump_slots = [slot[f"pump.{pump.id}.running"] for pump in plan.airframe.hydraulics.pumps]
        self.service_slots = [slot[f"service.{service.id}"] for service in plan.airframe.services]
        self.carts = [start.carts.get(supply.id, (NO_CART,)) for supply in electrical.ground_supplies]
        self.cart_number = [0] * len(electrical.ground_supplies)
        self.plugged = [False] * len(electrical.ground_supplies)
        self.steady = [False] * len(electrical.ground_supplies)
        self.commands = [False] * len(electrical.contactors)
        self.moving_to: list[float | None] = [None] * len(self.surface_slots)
        self.pending_service: list[int | None] = [None] * len(self.service_slots)
        self.waiting = dict.fromkeys(self.fed_slots, False)
        self.serials: dict[tuple[Priority, int], int] = {}
        self.feeds = {bus: electrical.feeding.get(bus, ()) for bus in plan.ac_order}
        self.feed_open: list[bool] = []
        self.first_angle = 2 * len(electrical.batteries) + len(plan.airframe.hydraulics.systems)

    def _schedule(self, after: int, priority: Priority, target: int) -> None:
        serial = self.serials[priority, target] = self.serials.get((priority, target), 0) + 1
        self.aircraft.calendar.add(self.aircraft.tick + after, priority, target, serial)

    def _overtake(self, priority: Priority, target: int) -> None:
        self.serials[priority, target] = self.serials.get((priority, target), 0) + 1

    # ---- events ------------------------------------------------------------------------------------------

    def fire(self, event: Event) -> bool:
        """Let an event happen; False where it was overtaken."""
        if self.serials.get((event.priority, event.target)) != event.serial:
            return False
        d = self.aircraft.d
        match event.priority:
            case Priority.CONTACTOR:
                d[self.contactor_slots[event.target]] = self.commands[event.target]
            case Priority.TRANSFER:
                bus = self.plan.ac_order[event.target]
                self.waiting[bus] = False
                d[self.fed_slots[bus]] = self._best_source(bus)
            case Priority.SUPPLY:
                d[self.ready_slots[event.target]] = True
            case Priority.SURFACE:
                target = self.moving_to[event.target]
                if target is not None:
                    self.aircraft.x[self.first_angle + event.target] = target
            case Priority.SERVICE:
                self._finish_service(event.target)
        return True

    def begin_service(self, number: int, action: int) -> None:
        """The crew set off to do something; it is done when its time has passed."""
        self.pending_service[number] = action
        self._schedule(ticks(self.plan.airframe.services[number].actions[action].seconds), Priority.SERVICE, number)

    def _finish_service(self, number: int) -> None:
        service = self.plan.airframe.services[number]
        pending = self.pending_service[number]
        if pending is None:
            return
        action = service.actions[pending]
        self.pending_service[number] = None
        self.aircraft.d[self.service_slots[number]] = action.leaves
        if action.brings_next_cart_of is not None:
            supplies = [s.id for s in self.plan.airframe.electrical.ground_supplies]
            supply = supplies.index(action.brings_next_cart_of)
            self.cart_number[supply] = min(self.cart_number[supply] + 1, len(self.carts[supply]) - 1)
            self.steady[supply] = False
            self.aircraft.d[self.ready_slots[supply]] = False
        self.aircraft.say("ground", action.answered)

    # ---- settling ----------------------------------------------------------------------------------------

    def settle(self) -> Conditions:
        """Run the logic until it asks for nothing new at this tick, then say what holds still meanwhile."""
        d = self.aircraft.d
        for _ in range(QUIET_ROUNDS):
            before = list(d)
            contactors, plugged, offered, feeds, loads, pumps = self.plan.logic(d)
            self.feed_open = list(feeds)
            self._command_contactors(contactors)
            self._supplies(plugged, offered)
            self._transfers()
            for slot, running in zip(self.pump_slots, pumps, strict=True):
                d[slot] = running
            self._surfaces()
            if d == before:
                return self._conditions(loads, pumps)
        raise ModelError(f"logic goes round in a circle at {self.aircraft.tick / 100:.2f} s")

    def _command_contactors(self, wanted: tuple[bool, ...]) -> None:
        for number, want in enumerate(wanted):
            if want != self.commands[number]:
                self.commands[number] = want
                contactor = self.plan.airframe.electrical.contactors[number]
                delay = contactor.pull_in_seconds if want else contactor.drop_out_seconds
                self._schedule(ticks(delay), Priority.CONTACTOR, number)

    def _supplies(self, plugged: tuple[bool, ...], offered: tuple[bool, ...]) -> None:
        d = self.aircraft.d
        for n, supply in enumerate(self.plan.airframe.electrical.ground_supplies):
            self.plugged[n] = plugged[n]
            cart = self.cart(n)
            steady = (
                plugged[n]
                and supply.volts.min <= cart.volts <= supply.volts.max
                and supply.hertz.min <= cart.hertz <= supply.hertz.max
            )
            if steady and not self.steady[n]:
                self._schedule(ticks(supply.ready_after_seconds), Priority.SUPPLY, n)
            elif not steady:
                self._overtake(Priority.SUPPLY, n)
                d[self.ready_slots[n]] = False
            self.steady[n] = steady
            d[self.available_slots[n]] = d[self.ready_slots[n]] is True
        for n, inverter in enumerate(self.plan.airframe.electrical.inverters):
            slot = self.available_slots[len(self.ready_slots) + n]
            d[slot] = offered[n] and d[self.alive_slots[inverter.input]] is True

    def cart(self, supply: int) -> Cart:
        """The cart that stands at this plug."""
        return self.carts[supply][self.cart_number[supply]]

    def _best_source(self, bus: str) -> str:
        first = 0
        for each in self.plan.ac_order:
            if each == bus:
                break
            first += len(self.feeds[each])
        for feed, allowed in zip(self.feeds[bus], self.feed_open[first:], strict=False):
            number = self.source_number.get(feed.source)
            slot = self.alive_slots[feed.source] if number is None else self.available_slots[number]
            if allowed and self.aircraft.d[slot]:
                return feed.source
        return ""

    def _transfers(self) -> None:
        d = self.aircraft.d
        for number, bus in enumerate(self.plan.ac_order):
            if bus not in self.plan.airframe.electrical.feeding:
                continue
            best, fed = self._best_source(bus), d[self.fed_slots[bus]]
            if best == fed:
                continue
            d[self.fed_slots[bus]] = ""
            if best and not self.waiting[bus]:
                self.waiting[bus] = True
                self._schedule(ticks(self.plan.airframe.electrical.transfer_seconds), Priority.TRANSFER, number)

    def _surfaces(self) -> None:
        d, x = self.aircraft.d, self.aircraft.x
        for n, surface in enumerate(self.plan.airframe.hydraulics.surfaces):
            moving, disagrees, pressed, lever = self.surface_slots[n]
            target = surface.positions[str(d[lever])]
            angle = x[self.first_angle + n]
            d[disagrees] = abs(target - angle) > AT_PLACE_DEGREES
            wanted = target if d[disagrees] and d[pressed] else None
            if wanted != self.moving_to[n]:
                self.moving_to[n] = wanted
                if wanted is None:
                    self._overtake(Priority.SURFACE, n)
                else:
                    after = abs(target - angle) / surface.degrees_per_second
                    self._schedule(ticks(after), Priority.SURFACE, n)
            d[moving] = wanted is not None

    def _conditions(self, loads: tuple[bool, ...], pumps: tuple[bool, ...]) -> Conditions:
        aircraft, plan = self.aircraft, self.plan
        electrical, hydraulics, d = plan.airframe.electrical, plan.airframe.hydraulics, aircraft.d
        volts = [self.cart(n).volts if self.plugged[n] else 0.0 for n in range(len(self.plugged))]
        hertz = [self.cart(n).hertz if self.plugged[n] else 0.0 for n in range(len(self.plugged))]
        for n, inverter in enumerate(electrical.inverters, len(self.plugged)):
            on = d[self.available_slots[n]] is True
            volts.append(inverter.volts if on else 0.0)
            hertz.append(inverter.hertz if on else 0.0)
        roots = self._roots()
        ac_index = {bus.id: index for index, bus in enumerate(plan.ac)}
        watts = {bus.id: 0.0 for bus in electrical.buses}
        for load, on in zip(electrical.loads, loads, strict=True):
            if on:
                watts[load.bus] += load.watts
        for pump, on in zip(hydraulics.pumps, pumps, strict=True):
            if on:
                watts[pump.bus] += pump.watts
        for n, inverter in enumerate(electrical.inverters, len(self.plugged)):
            taken = sum(watts[bus.id] for index, bus in enumerate(plan.ac) if roots[index] == n)
            watts[inverter.input] += taken / inverter.efficiency
        pressed = {p.system for p, on in zip(hydraulics.pumps, pumps, strict=True) if on}
        return Conditions(
            shut=tuple(d[slot] is True for slot in self.contactor_slots),
            rectifier_alive=tuple(
                d[self.alive_slots[r.input]] is True and roots[ac_index[r.input]] >= 0 for r in electrical.rectifiers
            ),
            source_volts=volts,
            source_hertz=hertz,
            ac_root=roots,
            dc_watts=[watts[bus.id] for bus in plan.dc],
            ac_watts=[watts[bus.id] for bus in plan.ac],
            psi_targets=[s.nominal_psi if s.id in pressed else 0.0 for s in hydraulics.systems],
            degrees_per_second=[self._angle_rate(n) for n in range(len(self.surface_slots))],
        )

    def _angle_rate(self, n: int) -> float:
        target = self.moving_to[n]
        if target is None:
            return 0.0
        speed = self.plan.airframe.hydraulics.surfaces[n].degrees_per_second
        return speed if target > self.aircraft.x[self.first_angle + n] else -speed

    def _roots(self) -> list[int]:
        """For each AC bus the number of the source that its power comes from in the end, or -1."""
        root: dict[str, int] = {}
        plugs = {s.bus: n for n, s in enumerate(self.plan.airframe.electrical.ground_supplies)}
        for bus in self.plan.ac_order:
            fed = str(self.aircraft.d[self.fed_slots[bus]])
            if bus in plugs:
                root[bus] = plugs[bus] if self.plugged[plugs[bus]] else -1
            elif fed in self.source_number:
                root[bus] = self.source_number[fed]
            else:
                root[bus] = root.get(fed, -1)
        return [root[bus.id] for bus in self.plan.ac]

    # ---- keeping -----------------------------------------------------------------------------------------

    KEPT = (
        "cart_number",
        "plugged",
        "steady",
        "commands",
        "moving_to",
        "pending_service",
        "waiting",
        "serials",
    )

    def keep(self) -> Mapping[str, object]:
        """Copies of what the future depends on."""
        return {name: getattr(self, name).copy() for name in self.KEPT}

    def put_back(self, kept: Mapping[str, object]) -> None:
        """Go back to what was kept."""
        for name in self.KEPT:
            setattr(self, name, kept[name].copy())  # type: ignore[attr-defined]
