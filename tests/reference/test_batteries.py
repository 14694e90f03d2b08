"""Battery figures against what is known outside the project."""

from __future__ import annotations

import math

import pytest
from scipy.integrate import solve_ivp

from lumenstat.documents.bundles import Bundle
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.batteries import BatteriesUnit
from lumenstat.systems.electrical.battery_model import BatteryModel
from lumenstat.systems.electrical.battery_part import Battery
from lumenstat.systems.electrical.contactors import ContactorsSection
from lumenstat.systems.electrical.loads import LoadsSection
from lumenstat.systems.electrical.rectifiers import RectifiersSection


def battery(chemistry: str, cells: int, **more: float) -> BatteryModel:
    written = {
        "id": "b", "name": "B", "bus": "hot", "chemistry": chemistry, "cells": cells, "capacity_ah": 40.0,
        "resistance_mohm": 7.0, "polarisation_mohm": 4.0, "polarisation_seconds": 25.0, **more,
    }  # fmt: skip
    return BatteryModel.of(Battery.model_validate(written), 25.0)


def test_lead_acid_rests_at_about_25_volts() -> None:
    """Source: FAA-H-8083-30, a lead-acid cell rests at about 2.1 V (from memory, unverified): 12 cells, 25.2 V."""
    assert battery("lead-acid", 12).open_circuit_volts(0.8) == pytest.approx(25.2, abs=0.4)


def test_nickel_cadmium_rests_at_about_a_volt_and_a_quarter_a_cell() -> None:
    """Source: FAA-H-8083-30, a nickel-cadmium cell gives 1.2 to 1.25 V and rests a little higher (from memory)."""
    assert 1.2 <= battery("nickel-cadmium", 20).open_circuit_volts(0.5) / 20 <= 1.3


def test_at_half_charge_a_24_volt_nickel_cadmium_battery_rests_at_its_usual_minimum() -> None:
    """Common practice, no source: 25.5 V at rest means over half its charge (cp)."""
    assert battery("nickel-cadmium", 20).open_circuit_volts(0.5) == pytest.approx(25.5, abs=0.2)


def test_peukert_by_hand() -> None:
    """Source: W. Peukert 1897. 40 Ah at the 5 h rate (8 A), exponent 1.2, drawn at 80 A: 8/80 * 10^-0.2 of 5 h."""
    model = battery("lead-acid", 12, peukert=1.2)
    seconds = 1 / -model.charge_per_second(0.5, -80.0)
    by_hand = 5 * 3600 * (8 / 80) * 10 ** -(1.2 - 1)
    assert seconds == pytest.approx(by_hand, rel=1e-6)


def charging(bundle: Bundle) -> Aircraft:
    """The start battery put on charge on the shipped aircraft."""
    aircraft = Aircraft(bundle.airframe, bundle.exercise.start)
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(7100)
    request(aircraft, "ground_power", "change")
    set_control(aircraft, "battery_start", "AUTO")
    aircraft.arrive(16000)
    set_control(aircraft, "ground_power", "FEED")
    aircraft.arrive(16030)
    assert aircraft.state()["contactor.start_battery.shut"] is True
    return aircraft


def test_charge_transient_against_an_independent_integrator(frost: Bundle) -> None:
    """Source: scipy `solve_ivp`, LSODA, rtol 1e-8, on the same equations written out by hand for this circuit."""
    aircraft = charging(frost)
    cell = aircraft.units.of(BatteriesUnit)[0].models[1]
    airframe = frost.airframe
    loads = airframe.section(LoadsSection).loads
    contactor = next(c for c in airframe.section(ContactorsSection).contactors if c.id == "start_battery")
    rectifier = next(r for r in airframe.section(RectifiersSection).rectifiers if r.id == "rectifier_right")
    assert contactor.limit is not None
    load = sum(x.watts for x in loads if x.bus == "dc_right" and x.when is None)
    standing = next(x.watts for x in loads if x.id == "start_memory")
    source_ohm = rectifier.resistance_mohm / 1000

    limit, joint_ohm = contactor.limit.amps, contactor.resistance_mohm / 1000

    def amps_into(charge: float, polarisation: float) -> float:
        """Current into the battery: bisection on the volts of the bus that charges it."""
        inside = cell.open_circuit_volts(charge) + polarisation

        def through(bus: float) -> float:
            free = (bus - inside + standing / 25 * cell.r0_ohm) / (joint_ohm + cell.r0_ohm)
            return min(free, limit)

        low, high = 20.0, rectifier.volts
        for _ in range(60):
            bus = (low + high) / 2
            if (rectifier.volts - bus) / source_ohm > load / bus + through(bus):
                low = bus
            else:
                high = bus
        return through(high) - standing / inside

    def slope(_: float, y: tuple[float, float]) -> tuple[float, float]:
        amps = amps_into(y[0], y[1])
        target = amps * cell.polarisation_ohm(y[0], amps > 0)
        return cell.charge_per_second(y[0], amps), (target - y[1]) / cell.tau_seconds

    begin = aircraft.x[2], aircraft.x[3]
    seconds = 1200.0
    theirs = solve_ivp(slope, (0, seconds), begin, method="LSODA", rtol=1e-8, atol=1e-9)
    aircraft.arrive(aircraft.tick + round(seconds * 100))
    assert aircraft.x[2] == pytest.approx(theirs.y[0][-1], rel=0.005)
    state = aircraft.state()
    terminal = cell.open_circuit_volts(theirs.y[0][-1]) + theirs.y[1][-1]
    terminal += amps_into(theirs.y[0][-1], theirs.y[1][-1]) * cell.r0_ohm
    assert state["battery.start.volts"] == pytest.approx(terminal, rel=0.005)


def test_a_battery_on_line_shows_its_charger(frost: Bundle) -> None:
    """Common practice, no source: on line the meter shows about 28 V, whatever the battery holds (cp)."""
    aircraft = charging(frost)
    aircraft.arrive(aircraft.tick + 30_000)
    state = aircraft.state()
    assert state["battery.start.volts"] == pytest.approx(28.0, abs=0.4)
    assert aircraft.x[2] < 0.4


def test_on_battery_alone_under_light_load_the_figure_is_believable(frost: Bundle) -> None:
    """Common practice, no source: 23.5 to 24 V and somewhat above, never 28 V, on battery alone (cp)."""
    start = frost.exercise.start.model_copy(update={"battery_charge": {"main": 0.45, "start": 0.5}})
    aircraft = Aircraft(frost.airframe, start)
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(6000)
    volts = aircraft.state()["bus.dc_essential.volts"]
    assert isinstance(volts, float)
    assert 23.3 <= volts <= 24.4


def test_minutes_of_charge_from_low_to_usable(frost: Bundle) -> None:
    """Common practice, no source: a low battery wants about 20 minutes of charge, 10 to 25 here (cp)."""
    aircraft = charging(frost)
    cell = aircraft.units.of(BatteriesUnit)[0].models[1]
    begin = aircraft.tick
    while cell.open_circuit_volts(aircraft.x[2]) < 25.1:
        aircraft.arrive(aircraft.tick + 1000)
        assert aircraft.tick - begin < 300_000, "it never gets there"
    assert 8 <= (aircraft.tick - begin) / 6000 <= 25


def test_charge_is_conserved_by_the_model() -> None:
    """Source: definition of the ampere-hour. 10 A for an hour with full efficiency puts 10 Ah into 40 Ah."""
    model = battery("nickel-cadmium", 20, charge_efficiency=1.0)
    assert model.charge_per_second(0.4, 10.0) * 3600 == pytest.approx(0.25)
    assert math.isclose(model.charge_per_second(0.0, -10.0), 0.0)
