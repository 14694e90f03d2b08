"""A wholly different airframe loads and behaves without a line of new code."""

from __future__ import annotations

from pathlib import Path

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Library
from lumenstat.documents.exercise import Fault, Start
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.surroundings import Place
from lumenstat.web.drawing.riser import lay_out

PATH = Path(__file__).parents[1] / "airframes" / "light-single.yaml"


def single(charge: float = 0.8, faults: tuple[Fault, ...] = ()) -> Aircraft:
    airframe = Library().load(PATH).usable()
    assert isinstance(airframe, Airframe)
    place = Place(name="Field", latitude_degrees=50, longitude_degrees=0)
    start = Start.model_validate({"place": place, "battery_charge": {"main": charge, "standby": 0.9}})
    return Aircraft(airframe, start, faults)


def figure(aircraft: Aircraft, name: str) -> float:
    value = aircraft.state()[name]
    assert isinstance(value, float)
    return value


def volts(aircraft: Aircraft, bus: str) -> float:
    return figure(aircraft, f"bus.{bus}.volts")


def test_the_document_is_good_and_can_be_drawn() -> None:
    assert Library().check(PATH) == []
    riser = lay_out(single().plan.airframe)
    assert len(riser.rails) == 4
    assert {rung.id for rung in riser.rungs} == {"master", "standby_diode", "main_diode"}
    assert [(chip.name, chip.gives) for chip in riser.chips] == [
        ("Alternator", "supply.alternator.amps"),
        ("Ground plug", "supply.cart.amps"),
    ]


def test_with_master_off_the_standby_battery_holds_essential_and_main_stays_dead() -> None:
    """Common practice, no source: essential at least 24 V less the diode, main under 1.5 V or the diode leaks (cp)."""
    aircraft = single()
    aircraft.arrive(1000)
    assert volts(aircraft, "essential") > 23.5
    assert volts(aircraft, "main") < 1.5


def test_a_leaking_diode_shows_on_main() -> None:
    leak = Fault(id="leak", kind="diode_leaks", target="main_diode", at=0, amount=4)
    aircraft = single(faults=(leak,))
    aircraft.arrive(1000)
    assert volts(aircraft, "main") > 1.5


def test_the_alternator_charges_and_its_loss_shows_in_the_current() -> None:
    aircraft = single(0.6)
    set_control(aircraft, "master", "ON")
    aircraft.arrive(500)
    assert figure(aircraft, "battery.main.amps") < 0
    for control, position in (("mixture", "RICH"), ("primed", "YES"), ("key", "START")):
        set_control(aircraft, control, position)
    aircraft.arrive(aircraft.tick + 400)
    set_control(aircraft, "key", "BOTH")
    set_control(aircraft, "throttle", "1500")
    aircraft.arrive(aircraft.tick + 1000)
    set_control(aircraft, "alternator", "ON")
    aircraft.arrive(3000)
    assert figure(aircraft, "battery.main.amps") > 5
    assert 25.5 < volts(aircraft, "main") < 28.4


def test_a_plug_charges_the_battery_with_no_switch_in_the_cabin() -> None:
    aircraft = single(0.3)
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(3100)
    assert figure(aircraft, "battery.main.amps") > 20
    assert aircraft.state()["contactor.master.shut"] is False


def test_half_an_hour_on_the_battery_takes_most_of_it_and_never_all() -> None:
    aircraft = single(1.0)
    set_control(aircraft, "master", "ON")
    set_control(aircraft, "lights", "ON")
    aircraft.arrive(30 * 6000)
    assert 0.1 < aircraft.x[0] < 0.6
    aircraft.arrive(600 * 6000)
    assert 0 <= aircraft.x[0] < 0.01
    assert aircraft.state()["bus.main.alive"] is False
