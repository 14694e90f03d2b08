"""A 25-minute start of the shipped airframe, as it is and widened to 17 buses and about 300 expressions."""

from __future__ import annotations

from tests.flights import PERFECT

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused
from lumenstat.simulation import aircraft as stepping
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.buses import Bus
from lumenstat.systems.electrical.contactors import Contactor, ContactorsSection
from lumenstat.systems.electrical.loads import Load, LoadsSection
from lumenstat.systems.panel.part import Lamp

NAME = "apu-and-ground-power-away"
FULL = "full-cold-start"
MINUTES = 25


def shipped(name: str = NAME) -> Bundle:
    """The exercise that is flown."""
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


def widened(bundle: Bundle) -> Bundle:
    """The same aircraft with six more buses, each with contactors, loads and lamps of its own."""
    airframe = bundle.airframe
    buses: list[Bus] = []
    contactors: list[Contactor] = []
    loads: list[Load] = []
    lamps: list[Lamp] = []
    template = airframe.buses["dc_right"]
    for n in range(6):
        bus = f"extra_{n}"
        buses.append(template.model_copy(update={"id": bus, "name": f"Extra {n}"}))
        closes = f'alive(bus.dc_{"left" if n % 2 else "right"}) and control.dc_tie == "AUTO"'
        side = "dc_left" if n % 2 else "dc_right"
        contactors.append(Contactor(id=bus, name=f"Extra {n}", between=(side, bus), closes_when=closes))
        for m in range(12):
            when = f'(alive(bus.{bus}) or control.lamp_test == "IN") and not control.beacon == "ON"'
            loads.append(Load(id=f"{bus}_{m}", name="Load", bus=bus, watts=6 + m, when=when))
            lamps.append(Lamp(id=f"{bus}_{m}", name="Lamp", bus=bus, when=when))
    electrical = airframe.electrical.model_copy(
        update={
            "buses": (*airframe.electrical.buses, *buses),
            "contactors": (*airframe.section(ContactorsSection).contactors, *contactors),
            "loads": (*airframe.section(LoadsSection).loads, *loads),
        }
    )
    panels = (airframe.panels[0].model_copy(update={"lamps": tuple(lamps)}), *airframe.panels[1:])
    wide = airframe.model_copy(update={"electrical": electrical, "panels": panels})
    return Bundle(Airframe.model_validate(wide.model_dump(by_alias=True)), bundle.checklists, bundle.exercise)


class Start25:
    """The start stretched to 25 minutes, its actions at their own distances and the rest spent charging."""

    def __init__(self, widened: bool = False, name: str = NAME) -> None:
        bundle = shipped(name)
        self.bundle = globals()["widened"](bundle) if widened else bundle
        self.seconds = MINUTES * 60
        self.events: list[LogEvent] = [event for event in PERFECT[name]() if event.verb != "finish"]
        logic = ready(self.bundle.airframe, self.bundle.exercise.start).plan.answers_count
        self.expressions = logic + len(self.bundle.airframe.lamps) + len(self.bundle.airframe.instruments)

    def fly(self) -> Aircraft:
        """Fly it all."""
        return self._until(self.seconds * 100)

    def halfway(self) -> Aircraft:
        """An aircraft in the middle of it, charging."""
        return self._until(self.seconds * 50)

    def _until(self, tick: int) -> Aircraft:
        aircraft = ready(self.bundle.airframe, self.bundle.exercise.start, self.bundle.exercise.faults)
        for event in self.events:
            if event.tick > tick:
                break
            aircraft.arrive(event.tick)
            try:
                carry_out(aircraft, event)
            except ActionRefused:
                continue
        aircraft.arrive(tick)
        return aircraft


def truth_millivolts() -> float:
    """Largest difference of bus volts against steps of 10 ms, outside a quarter of a second after switching."""

    def flown(longest: int) -> list[list[float]]:
        kept, stepping.LONGEST_STEP = stepping.LONGEST_STEP, longest
        try:
            aircraft = ready(shipped().airframe, shipped().exercise.start)
            seen = []
            for event in PERFECT[NAME]():
                aircraft.arrive(max(aircraft.tick, event.tick - 5))
                seen.append([aircraft.a[aircraft.plan.a.numbers[f"bus.{b.id}.volts"]] for b in aircraft.plan.dc])
                aircraft.arrive(event.tick)
                carry_out(aircraft, event)
            return seen
        finally:
            stepping.LONGEST_STEP = kept

    pairs = zip(flown(stepping.LONGEST_STEP), flown(1), strict=True)
    return 1000 * max(abs(a - b) for ours, short in pairs for a, b in zip(ours, short, strict=True))
