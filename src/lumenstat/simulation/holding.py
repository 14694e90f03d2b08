"""What the discrete half of an aircraft holds still for the continuous half until logic settles again."""

from __future__ import annotations

from dataclasses import dataclass
from operator import itemgetter
from typing import TYPE_CHECKING

from lumenstat.simulation.alignment import Alignment
from lumenstat.simulation.engines.model import EngineState
from lumenstat.simulation.plan import Answers, Discrete

if TYPE_CHECKING:
    from lumenstat.simulation.settling import Settler


@dataclass
class Conditions:
    """Which branches are there, what feeds what, what is drawn, and where lagging figures tend."""

    present: tuple[bool, ...]
    rectifier_alive: tuple[bool, ...]
    supply_on: tuple[bool, ...]
    source_volts: list[float]
    source_hertz: list[float]
    ac_root: list[int]
    rectifier_root: list[int]
    dc_watts: tuple[float, ...]
    ac_watts: list[float]
    targets: list[float]
    apu_burning: float = 0.0
    apu_oiled: bool = True
    engines: tuple[EngineState, ...] = ()
    alignments: tuple[Alignment, ...] = ()
    any_fuel: bool = False


class Holding:
    """Tells the conditions of a settled aircraft; the same object for as long as nothing that decides them changes."""

    def __init__(self, settler: Settler) -> None:
        self.settler = settler
        self.airframe, self.plan = settler.airframe, settler.plan
        airframe, electrical = self.airframe, self.airframe.electrical
        slots = self.plan.d
        self.rectifier_slots = [slots[f"bus.{r.input}.alive"] for r in electrical.rectifiers]
        self._drawing = self._all_that_draws()
        self._feed_pumps = [
            [
                (pump_slot, max(pump.psi, feed.gravity_psi))
                for pump_slot, pump in zip(settler.fuel_pump_slots, airframe.fuel.pumps, strict=True)
                if pump.feed in (feed.id, *feed.also_from)
            ]
            for feed in airframe.fuel.feeds
        ]
        feeding = settler.feeding
        apu = [settler.apu.slot["starter"], settler.apu.slot["lit"]] if settler.apu is not None else []
        read = (
            *(slot for slot, _, _ in self._drawing), *settler.pump_slots, *settler.contactor_slots,
            *self.rectifier_slots, *feeding.fed_slots.values(), *feeding.available_slots, *apu,
        )  # fmt: skip
        # A slot that every aircraft has, for one that has none of these.
        self._read = itemgetter(*read, slots["start.hours_unpowered"])
        self._decided_by: tuple[object, ...] = ()
        self._conditions: Conditions | None = None

    def _all_that_draws(self) -> list[tuple[int, str, float]]:
        """All that draws power while it is on: its slot, its bus, its watts."""
        settler, airframe = self.settler, self.airframe
        loads = zip(settler.load_slots, airframe.electrical.loads, strict=True)
        found = [(slot, load.bus, load.watts) for slot, load in loads]
        for slot, pump in zip(settler.pump_slots, airframe.hydraulics.pumps, strict=True):
            if pump.bus is not None:
                found.append((slot, pump.bus, pump.watts or 0.0))
        fuel_pumps = zip(settler.fuel_pump_slots, airframe.fuel.pumps, strict=True)
        return found + [(slot, pump.bus, pump.watts) for slot, pump in fuel_pumps]

    def conditions(self, answers: Answers) -> Conditions:
        """What holds still now that the logic gives these answers and asks for nothing new."""
        settler = self.settler
        states = tuple([engine.state() for engine in settler.engines])
        alignments = tuple([unit.alignment for unit in settler.inertial])
        angle_rates = [self._angle_rate(n) for n in range(len(settler.moving_to))]
        decided_by = (
            self._read(settler.aircraft.d), answers.supplies, answers.air_sources, answers.air_takers,
            answers.air_valves, states, alignments, angle_rates, settler.feeding.plugged,
            settler.feeding.cart_number, settler.faults.changes,
        )  # fmt: skip
        if self._conditions is None or decided_by != self._decided_by:
            self._decided_by = decided_by
            self._conditions = self._made_of(answers, states, alignments, angle_rates)
        return self._conditions

    def _made_of(
        self,
        answers: Answers,
        states: tuple[EngineState, ...],
        alignments: tuple[Alignment, ...],
        angle_rates: list[float],
    ) -> Conditions:
        settler, electrical = self.settler, self.airframe.electrical
        d, apu, feeding, faults = settler.aircraft.d, settler.apu, settler.feeding, settler.faults
        roots = feeding.roots()
        watts = self._watts(d, roots)
        rectifier_root = [roots[feeding.ac_number[r.input]] for r in electrical.rectifiers]
        rectifiers = zip(self.rectifier_slots, rectifier_root, electrical.rectifiers, strict=True)
        volts, hertz = feeding.volts_and_hertz()
        cranking = [apu.get("starter") is True] if apu is not None else []
        cranking += [engine.get("starter") for engine in settler.engines if engine.engine.starter is not None]
        shut = [d[slot] is True for slot in settler.contactor_slots]
        return Conditions(
            present=(True,) * settler.aircraft.flows.groups.starters + (*cranking, *shut),
            rectifier_alive=tuple(
                d[slot] is True and root >= 0 and not faults.has("rectifier_failed", r.id)
                for slot, root, r in rectifiers
            ),
            supply_on=answers.supplies,
            source_volts=volts,
            source_hertz=hertz,
            ac_root=roots,
            rectifier_root=rectifier_root,
            dc_watts=tuple(watts[bus.id] for bus in self.plan.dc),
            ac_watts=[watts[bus.id] for bus in self.plan.ac],
            targets=self._targets(d, answers, angle_rates),
            apu_burning=apu.strength if apu is not None and apu.get("lit") is True else 0.0,
            apu_oiled=apu is None or not faults.has("apu_no_oil", apu.apu.id),
            engines=states,
            alignments=alignments,
            any_fuel=any(state.fuel for state in states),
        )

    def _watts(self, d: list[Discrete], roots: list[int]) -> dict[str, float]:
        electrical = self.airframe.electrical
        watts = dict.fromkeys((bus.id for bus in electrical.buses), 0.0)
        for slot, bus, taken in self._drawing:
            if d[slot]:
                watts[bus] += taken
        for logic in self.settler.engines:
            if (motor := logic.engine.motor) is not None:
                watts[motor.bus] += motor.watts * (logic.motor_target / 100) ** 3
        for n, inverter in enumerate(electrical.inverters, len(electrical.ground_supplies)):
            drawn = sum(watts[bus.id] for index, bus in enumerate(self.plan.ac) if roots[index] == n)
            watts[inverter.input] += drawn / inverter.efficiency
        return watts

    def _targets(self, d: list[Discrete], answers: Answers, angle_rates: list[float]) -> list[float]:
        """Where hydraulic, fuel and duct pressures tend, and how fast surfaces move, in the order of `x`."""
        airframe = self.airframe
        pumps = zip(airframe.hydraulics.pumps, self.settler.pump_slots, strict=True)
        pressed = {pump.system for pump, slot in pumps if d[slot]}
        targets = [s.nominal_psi if s.id in pressed else 0.0 for s in airframe.hydraulics.systems]
        targets += angle_rates
        for feed, pumps_on in zip(airframe.fuel.feeds, self._feed_pumps, strict=True):
            targets.append(max((psi for slot, psi in pumps_on if d[slot]), default=feed.gravity_psi))
        return targets + self._duct_targets(answers)

    def _duct_targets(self, answers: Answers) -> list[float]:
        air = self.airframe.air
        psi = dict.fromkeys((duct.id for duct in air.ducts), 0.0)
        taken = [(logic.engine.air_starter, logic.get("starter")) for logic in self.settler.engines]
        for port, on in zip(air.sources, answers.air_sources, strict=True):
            if on:
                psi[port.duct] = max(psi[port.duct], port.psi)
        for valve, on in zip(air.valves, answers.air_valves, strict=True):
            if on:
                psi.update(dict.fromkeys(valve.joins, max(psi[duct] for duct in valve.joins)))
        for port, on in zip(air.takers, answers.air_takers, strict=True):
            if on:
                psi[port.duct] = max(0.0, psi[port.duct] - port.psi)
        for starter, on in taken:
            if starter is not None and on:
                psi[starter.duct] = max(0.0, psi[starter.duct] - starter.takes_psi)
        active = self.settler.faults.active
        return [each * active.get(("duct_low", duct), 1.0) for duct, each in psi.items()]

    def _angle_rate(self, n: int) -> float:
        target, aircraft = self.settler.moving_to[n], self.settler.aircraft
        if target is None:
            return 0.0
        speed = self.airframe.hydraulics.surfaces[n].degrees_per_second
        return speed if target > aircraft.x[aircraft.flows.first_angle + n] else -speed
