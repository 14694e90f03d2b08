"""Charge and crank transients against two independent solvers.

Source: ngspice `.tran` (Debian package) and scipy `solve_ivp` (LSODA, rtol 1e-8) on the same circuits.
"""

from __future__ import annotations

import pytest
from bench.circuits import Circuit, Crank


def test_charge_against_lsoda_and_ngspice() -> None:
    circuit = Circuit()
    charge, polarisation, celsius = circuit.ours()[:3]
    by_lsoda = circuit.lsoda()
    assert charge == pytest.approx(by_lsoda[0], rel=0.005)
    assert polarisation == pytest.approx(by_lsoda[1], rel=0.005)
    by_spice = circuit.ngspice()
    assert charge == pytest.approx(by_spice["q"], rel=0.005)
    assert polarisation == pytest.approx(by_spice["p"], rel=0.005)
    assert celsius - circuit.kept.x[2] == pytest.approx(by_spice["t"] - circuit.kept.x[2], rel=0.01)
    assert celsius > circuit.kept.x[2] + 3, "a quarter of an hour at 60 A warms it"


def test_crank_against_ngspice() -> None:
    circuit = Crank()
    circuit.ours()
    state = circuit.aircraft.state()
    by_spice = circuit.ngspice()
    assert state["apu.speed"] == pytest.approx(by_spice["n"], rel=0.005)
    assert state["bus.hot.volts"] == pytest.approx(by_spice["hot"], rel=0.005)


def test_volts_sag_while_cranking_and_come_back() -> None:
    """Common practice, no source: 24 V sags to about 15 or 16 and recovers in about 15 s (cp)."""
    circuit = Crank()
    circuit.aircraft.restore(circuit.kept)
    slot = circuit.aircraft.plan.a.numbers["bus.hot.volts"]
    begun = circuit.aircraft.tick
    lowest = circuit.aircraft.a[slot]
    assert 14 <= lowest <= 18
    circuit.aircraft.arrive(begun + 1500)
    assert circuit.aircraft.a[slot] > lowest + 3
