"""Everything observable on an airframe, with its unit and meaning: the vocabulary of expressions."""

from __future__ import annotations

from collections.abc import Iterator

from lumenstat.documents.airframe import Airframe, Control, Instrument
from lumenstat.documents.engines import ENGINE_TROUBLES, FIGURES
from lumenstat.documents.expressions import Quantity
from lumenstat.documents.navigation import INERTIAL_NOTICES, INERTIAL_PHASES


def quantities_of(airframe: Airframe) -> dict[str, Quantity]:
    """Every quantity of the airframe by its dotted name."""
    return {quantity.name: quantity for quantity in _all(airframe)}


def _all(airframe: Airframe) -> Iterator[Quantity]:
    yield Quantity("time", "s", "number", "seconds since the exercise began")
    yield Quantity("start.hours_unpowered", "h", "number", "how long the aircraft had stood unpowered at the start")
    yield Quantity("start.first_flight_of_day", "", "truth", "the flight to come is the first of the day")
    yield from _electrical(airframe)
    yield from _apu(airframe)
    yield from _engines(airframe)
    yield from _navigation(airframe)
    yield from _systems(airframe)
    for system in airframe.hydraulics.systems:
        yield Quantity(f"hydraulic.{system.id}.psi", "psi", "number", f"pressure of {system.name}")
    for pump in airframe.hydraulics.pumps:
        yield Quantity(f"pump.{pump.id}.running", "", "truth", f"{pump.name} runs")
    for surface in airframe.hydraulics.surfaces:
        yield Quantity(f"surface.{surface.id}.degrees", "deg", "number", f"where {surface.name} stands")
        yield Quantity(f"surface.{surface.id}.moving", "", "truth", f"{surface.name} is moving")
        yield Quantity(
            f"surface.{surface.id}.disagrees",
            "",
            "truth",
            f"{surface.name} stands elsewhere than its lever says",
        )
    for comparator in airframe.comparators:
        yield Quantity(f"comparator.{comparator.id}", "", "truth", f"{comparator.quantity}, with hysteresis")
    for panel in airframe.panels:
        for control in panel.controls:
            yield _control(control)
            if control.kind == "guarded-toggle":
                yield Quantity(f"guard.{control.id}", "", "truth", f"the guard of {control.name} is lifted")
        for instrument in panel.instruments:
            yield from _instrument(instrument)
        for lamp in panel.lamps:
            yield Quantity(f"lamp.{lamp.id}", "", "truth", f"{lamp.name} lamp is lit")
            yield Quantity(f"lamp.{lamp.id}.alive", "", "truth", f"{lamp.name} lamp has power to light with")
    for service in airframe.services:
        yield Quantity(f"service.{service.id}", "", "text", f"state of {service.name}", choices=service.states)
        yield Quantity(f"service.{service.id}.busy", "", "truth", f"the crew are at work on {service.name}")


def _electrical(airframe: Airframe) -> Iterator[Quantity]:
    electrical = airframe.electrical
    for bus in electrical.buses:
        yield Quantity(f"bus.{bus.id}.volts", "V", "number", f"volts of {bus.name}")
        yield Quantity(f"bus.{bus.id}.alive", "", "truth", f"{bus.name} is alive")
        if bus.kind == "ac":
            yield Quantity(f"bus.{bus.id}.hertz", "Hz", "number", f"frequency of {bus.name}")
            sources = ("", *(feed.source for feed in electrical.feeding.get(bus.id, ())))
            yield Quantity(f"bus.{bus.id}.fed_by", "", "text", f"what feeds {bus.name}, or nothing", choices=sources)
    for battery in electrical.batteries:
        yield Quantity(f"battery.{battery.id}.volts", "V", "number", f"terminal volts of {battery.name}")
        yield Quantity(f"battery.{battery.id}.amps", "A", "number", f"current into {battery.name}")
        yield Quantity(f"battery.{battery.id}.charge", "", "number", f"charge of {battery.name}, 0 to 1")
        yield Quantity(f"battery.{battery.id}.hot", "", "truth", f"{battery.name} is too hot")
    for supply in electrical.ground_supplies:
        yield Quantity(f"source.{supply.id}.volts", "V", "number", f"volts at the plug of {supply.name}")
        yield Quantity(f"source.{supply.id}.hertz", "Hz", "number", f"frequency at the plug of {supply.name}")
        yield Quantity(f"source.{supply.id}.ready", "", "truth", f"{supply.name} is in tolerance and steady")
    for source in electrical.sources:
        yield Quantity(f"source.{source.id}.available", "", "truth", f"{source.name} is offered to the buses")
        yield Quantity(f"source.{source.id}.load", "%", "number", f"load of {source.name}")
    for generator in electrical.generators:
        yield Quantity(f"source.{generator.id}.tripped", "", "truth", f"{generator.name} was overloaded and tripped")
    for dc in electrical.dc_supplies:
        yield Quantity(f"supply.{dc.id}.amps", "A", "number", f"current out of {dc.name}")
    for rectifier in electrical.rectifiers:
        yield Quantity(f"rectifier.{rectifier.id}.amps", "A", "number", f"current out of {rectifier.name}")
    for diode in electrical.diodes:
        yield Quantity(f"diode.{diode.id}.amps", "A", "number", f"current through {diode.name}")
    for load in electrical.loads:
        yield Quantity(f"load.{load.id}.on", "", "truth", f"{load.name} takes current")
    for contactor in electrical.contactors:
        yield Quantity(f"contactor.{contactor.id}.shut", "", "truth", f"{contactor.name} is shut")
        first = contactor.between[0]
        yield Quantity(
            f"contactor.{contactor.id}.amps",
            "A",
            "number",
            f"current through {contactor.name}, away from {first}",
        )


APU_PHASES = ("off", "testing", "ready", "starting", "running", "cooling", "stopping", "closing")
APU_TROUBLES = ("", "hung", "hot", "low oil pressure", "no fuel pressure", "low volts", "fire")


def _apu(airframe: Airframe) -> Iterator[Quantity]:
    if airframe.apu is None:
        return
    yield Quantity("apu.speed", "%", "number", "speed of the APU")
    yield Quantity("apu.exhaust", "degC", "number", "exhaust temperature of the APU")
    yield Quantity("apu.oil", "psi", "number", "oil pressure of the APU")
    yield Quantity("apu.starter_amps", "A", "number", "current into the APU's starter")
    yield Quantity("apu.phase", "", "text", "what the APU is doing", choices=APU_PHASES)
    yield Quantity("apu.trouble", "", "text", "why the APU shut itself down, or nothing", choices=APU_TROUBLES)
    yield Quantity("apu.door", "", "text", "the APU's intake door", choices=("closed", "moving", "open"))
    yield Quantity("apu.available", "", "truth", "the APU may be loaded")
    yield Quantity("apu.starter", "", "truth", "the APU's starter is engaged")
    yield Quantity("apu.lit", "", "truth", "fuel burns in the APU")
    yield Quantity("apu.oil_low", "", "truth", "the APU's oil pressure is low")


ENGINE_PHASES = ("stopped", "cranking", "starting", "running", "running down")
ENGINE_UNITS = {"fan_speed": "%", "propeller_rpm": "rpm"}


def _engines(airframe: Airframe) -> Iterator[Quantity]:
    for engine in airframe.engines:
        at, of, names = f"engine.{engine.id}", engine.name, FIGURES[engine.kind]
        yield Quantity(f"{at}.{names.speed}", "%", "number", f"speed of {of}")
        yield Quantity(f"{at}.{names.temperature}", "degC", "number", f"temperature of {of}")
        yield Quantity(f"{at}.{names.output}", ENGINE_UNITS[names.output], "number", f"what {of} turns")
        yield Quantity(f"{at}.phase", "", "text", f"what {of} is doing", choices=ENGINE_PHASES)
        yield Quantity(f"{at}.running", "", "truth", f"{of} runs at idle or above")
        yield Quantity(f"{at}.turning", "", "truth", f"{of} turns")
        if engine.motor is not None:
            continue
        yield Quantity(f"{at}.{names.oil}", "psi", "number", f"oil pressure of {of}")
        yield Quantity(f"{at}.fuel_flow", engine.fuel_unit, "number", f"fuel that flows into {of}")
        yield Quantity(f"{at}.pooled_fuel", "", "number", f"unburnt fuel that lies in {of}, 0 to 1")
        yield Quantity(f"{at}.starter_heat", "%", "number", f"how hot the starter of {of} is; 100 is its duty limit")
        yield Quantity(f"{at}.starter", "", "truth", f"the starter of {of} turns it")
        yield Quantity(f"{at}.fuel", "", "truth", f"fuel is let into {of}")
        yield Quantity(f"{at}.lit", "", "truth", f"fuel burns in {of}")
        yield Quantity(f"{at}.oil_up", "", "truth", f"oil pressure of {of} is up")
        yield Quantity(f"{at}.too_hot", "", "truth", f"{of} is hotter than it may be")
        yield Quantity(f"{at}.feathered", "", "truth", f"the propeller of {of} is feathered")
        yield Quantity(f"{at}.trouble", "", "text", f"why {of} shut itself down, or nothing", choices=ENGINE_TROUBLES)
        if engine.starter is not None:
            yield Quantity(f"{at}.starter_amps", "A", "number", f"current into the starter of {of}")


def _navigation(airframe: Airframe) -> Iterator[Quantity]:
    for gyro in airframe.gyros:
        yield Quantity(f"gyro.{gyro.id}.erect", "", "truth", f"{gyro.name} is erect")
    for unit in airframe.inertial:
        at, of = f"inertial.{unit.id}", unit.name
        modes = ("", *(mode.id for mode in unit.modes))
        yield Quantity(f"{at}.phase", "", "text", f"what {of} is doing", choices=INERTIAL_PHASES)
        yield Quantity(f"{at}.mode", "", "text", f"how {of} finds north, or nothing", choices=modes)
        yield Quantity(f"{at}.notice", "", "text", f"what {of} complains of, or nothing", choices=INERTIAL_NOTICES)
        yield Quantity(f"{at}.progress", "", "number", f"how far {of} is aligned, 0 to 1")
        yield Quantity(f"{at}.seconds_left", "s", "number", f"seconds until {of} is at its best")
        yield Quantity(f"{at}.counter", "", "number", f"status counter of {of}: 9 at the beginning, 0 at its best")
        yield Quantity(f"{at}.heading_error", "deg", "number", f"how well {of} knows heading; 180 is not at all")
        yield Quantity(f"{at}.position_error", "km", "number", f"how far off {of} was told it stands; -1 is not told")
        yield Quantity(f"{at}.on_backup", "", "truth", f"{of} runs on its backup supply, or shows that it could")
        yield Quantity(f"{at}.may_navigate", "", "truth", f"{of} may navigate, if not at its best yet")
        yield Quantity(f"{at}.position_entered", "", "truth", f"{of} has been told where it stands")
        yield Quantity(f"{at}.position_differs", "", "truth", f"{of} was told another place than it remembers")


def _systems(airframe: Airframe) -> Iterator[Quantity]:
    for pump in airframe.fuel.pumps:
        yield Quantity(f"pump.{pump.id}.running", "", "truth", f"{pump.name} runs")
    for feed in airframe.fuel.feeds:
        yield Quantity(f"fuel.{feed.id}.psi", "psi", "number", f"pressure of {feed.name}")
    for duct in airframe.air.ducts:
        yield Quantity(f"duct.{duct.id}.psi", "psi", "number", f"pressure of {duct.name}")
    for loop in airframe.fire.loops:
        yield Quantity(f"loop.{loop.id}.intact", "", "truth", f"{loop.name} is whole and powered")
    for bottle in airframe.fire.bottles:
        yield Quantity(f"bottle.{bottle.id}.full", "", "truth", f"{bottle.name} is full")
    for store in airframe.stores:
        yield Quantity(f"store.{store.id}", store.unit, "number", store.name)
    for timer in airframe.timers:
        yield Quantity(f"timer.{timer.id}", "", "truth", f"{timer.when} for {timer.seconds:g} s")
    for latch in airframe.latches:
        yield Quantity(f"latch.{latch.id}", "", "truth", f"set by {latch.set_when}")


def _control(control: Control) -> Quantity:
    if control.kind == "entry":
        return Quantity(f"control.{control.id}", control.unit or "", "number", f"{control.name}, as entered")
    return Quantity(f"control.{control.id}", "", "text", f"position of {control.name}", choices=control.positions)


def _instrument(instrument: Instrument) -> Iterator[Quantity]:
    yield Quantity(
        f"instrument.{instrument.id}.reads",
        instrument.unit,
        "number",
        f"what {instrument.name} shows; null while it is dark",
        nullable=True,
    )
    yield Quantity(f"instrument.{instrument.id}.alive", "", "truth", f"{instrument.name} has power")
