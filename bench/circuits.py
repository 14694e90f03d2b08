"""The same charge and crank circuits in the model, in ngspice (`.tran`) and, for the charge, in scipy (LSODA)."""

from __future__ import annotations

import math
import subprocess
import tempfile
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from scipy.integrate import solve_ivp

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Start
from lumenstat.documents.loading import load_text
from lumenstat.simulation.actions import press, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.battery_model import CELL_CURVES
from lumenstat.systems.surroundings import Place

DOCUMENT = """
format: lumenstat/airframe/1
id: bench
name: Bench
family: two circuits
summary: A charge and a crank circuit, invented.
cautions: [Training aid only.]
electrical:
  buses:
    - {id: bus, name: Bus, kind: dc, nominal_volts: 28, permitted: {min: 22, max: 29}, alive_above: 19, dead_below: 17}
    - {id: hot, name: Hot, kind: dc, nominal_volts: 28, permitted: {min: 22, max: 29}, alive_above: 3, dead_below: 2}
  batteries:
    - {id: b, name: B, bus: hot, chemistry: nickel-cadmium, cells: 20, capacity_ah: 42, resistance_mohm: 6.2,
       polarisation_mohm: 3.4, charging_polarisation_mohm: 28, polarisation_seconds: 22, charge_efficiency: 0.86}
  dc_supplies:
    - {id: s, name: S, bus: bus, volts: 28.4, resistance_mohm: 3.5, limit_amps: 180, when: control.supply == "ON"}
  contactors:
    - {id: c, name: C, between: [bus, hot], closes_when: control.supply == "ON", resistance_mohm: 1.5,
       limit: {amps: 60, toward: hot}}
  loads:
    - {id: l, name: L, bus: bus, watts: 510}
apu:
  id: apu
  name: APU
  control_bus: hot
  run_when: control.master == "ON"
  start_when: control.start == "IN"
  self_test_seconds: 0.1
  door_seconds: 0.1
  starter: {bus: hot, resistance_mohm: 15, back_emf_volts_per_percent: 0.29, percent_per_second_per_kiloamp: 9.5,
    relay_pulls_in_volts: 6, relay_drops_out_volts: 3, cuts_out_percent: 90}
  feed: f
  feed_psi: 5
  lights_off_percent: 9
  spool: {drag_linear: 0.045, drag_square: 0.0, burn: 20, burn_from_percent: 20}
  exhaust: {rise_celsius: 600, flow_idle: 0.1, flow_slope: 0.6, lag_seconds: 2}
  oil: {psi: 50, low_below_psi: 20, lag_seconds: 2}
  available_percent: 95
  start_limit_seconds: 80
  hottest_celsius: 720
  cool_down_seconds: 30
fuel: {feeds: [{id: f, name: F}]}
panels:
  - id: p
    name: P
    bus: hot
    place: [0, 0, 12]
    controls:
      - {id: supply, name: Supply, kind: toggle, positions: ["ON", "OFF"], usual: "OFF"}
      - {id: master, name: Master, kind: toggle, positions: ["ON", "OFF"], usual: "OFF"}
      - {id: start, name: Start, kind: momentary, positions: [OUT, IN], usual: OUT}
"""
VOLTS, SOURCE_OHM, JOINT_OHM, LIMIT, WATTS = 28.4, 0.0035, 0.0015, 60.0, 510.0
STARTER_OHM, EMF, GAIN, DRAG = 0.015, 0.29, 9.5, 0.045

# The battery as docs/model.md tells it, worked out here anew: the code is not asked for any of it but the curve.
CELLS, AMPERE_HOURS, OUTSIDE = 20, 42.0, 15.0
KEPT, TAU = 0.86, 22.0
R0 = 0.0062 * math.exp(0.012 * (25 - OUTSIDE))
R1, CHARGING_R1 = 0.0034, 0.028
PLATES_VOLTS, EXCHANGE_AMPS = CELLS * 0.007, AMPERE_HOURS / 50
HEAT, COOLING_SECONDS = AMPERE_HOURS * 850.0, 10800.0


def rest_volts(charge: float) -> float:
    """Open-circuit volts, off the curve by straight lines."""
    curve = CELL_CURVES["nickel-cadmium"]
    for (low, volts), (high, more) in pairwise(curve):
        if charge <= high:
            return CELLS * (volts + (more - volts) * (charge - low) / (high - low))
    return CELLS * curve[-1][1]


def capacity(celsius: float) -> float:
    """Ampere-hours that cold leaves: a quarter goes at 45 degrees under 25."""
    return AMPERE_HOURS * (1 - 0.25 * max(0.0, 25 - celsius) / 45)


def charging_slopes(charge: float, polarisation: float, celsius: float, amps: float) -> tuple[float, float, float]:
    """Change of charge, polarisation and temperature per second while it takes charge."""
    ohm = CHARGING_R1 * math.exp(0.012 * (25 - celsius)) * AMPERE_HOURS / capacity(celsius)
    ohm *= 1 + 0.4 * (charge / (1.03 - charge)) ** 2
    watts = amps**2 * R0 + amps * polarisation + amps * rest_volts(charge) * (1 - KEPT)
    warming = watts / HEAT - (celsius - OUTSIDE) / COOLING_SECONDS
    return amps * KEPT / (3600 * capacity(celsius)), (amps * ohm - polarisation) / TAU, warming


class Circuit:
    """A circuit flown by the model from a charge for some seconds."""

    charge = 0.1
    seconds = 900.0

    def __init__(self) -> None:
        document = load_text(DOCUMENT, "bench.yaml").usable()
        assert isinstance(document, Airframe)
        place = Place(name="Bench", latitude_degrees=0, longitude_degrees=0)
        start = Start.model_validate({"place": place, "outside_celsius": 15, "battery_charge": {"b": self.charge}})
        self.aircraft = Aircraft(document, start)
        self.prepare()
        self.kept = self.aircraft.snapshot()

    def prepare(self) -> None:
        """Throw the switch."""
        set_control(self.aircraft, "supply", "ON")
        self.aircraft.arrive(10)

    def ours(self) -> list[float]:
        """The model's end state."""
        self.aircraft.restore(self.kept)
        self.aircraft.arrive(self.kept.tick + round(self.seconds * 100))
        return self.aircraft.x

    def lsoda(self) -> tuple[float, float]:
        """The charge circuit by LSODA, rtol 1e-8, with its currents by bisection."""

        def amps(charge: float, polarisation: float) -> float:
            inside = rest_volts(charge) + polarisation
            low, high = 17.0, VOLTS
            for _ in range(40):
                bus = (low + high) / 2
                into = min(LIMIT, (bus - inside) / (JOINT_OHM + R0))
                if (VOLTS - bus) / SOURCE_OHM > WATTS / bus + into:
                    low = bus
                else:
                    high = bus
            return into

        def slope(_: float, y: tuple[float, float, float]) -> tuple[float, float, float]:
            return charging_slopes(*y, amps(y[0], y[1]))

        done = solve_ivp(slope, (0, self.seconds), self.kept.x[:3], method="LSODA", rtol=1e-8, atol=1e-9)
        return done.y[0][-1], done.y[1][-1]

    def ngspice(self) -> dict[str, float]:
        """The same circuit by ngspice: charge, polarisation and temperature as the volts of three capacitors."""
        curve = ", ".join(f"{c}, {v * CELLS}" for c, v in CELL_CURVES["nickel-cadmium"])
        cap = f"({AMPERE_HOURS}*(1-0.25*(25-V(t))/45))"
        ohm = f"{CHARGING_R1}*exp(0.012*(25-V(t)))*{AMPERE_HOURS}/{cap}*(1+0.4*(V(q)/(1.03-V(q)))^2)"
        watts = f"I(Bh)^2*{R0}+I(Bh)*V(p)+I(Bh)*pwl(V(q), {curve})*{1 - KEPT}"
        return spice(
            f"""charge
Vs s 0 DC {VOLTS}
Rs s bus {SOURCE_OHM}
Bl bus 0 I={WATTS}*V(bus)/(max(V(bus),17)^2)
Bc bus hot I=min({LIMIT}, (V(bus)-V(hot))/{JOINT_OHM})
Bh in 0 V=pwl(V(q), {curve})+V(p)
R0 hot in {R0}
Bq 0 q I=I(Bh)*{KEPT}/(3600*{cap})
Cq q 0 1 IC={self.kept.x[0]}
Bp 0 p I=(I(Bh)*{ohm}-V(p))/{TAU}
Cp p 0 1 IC={self.kept.x[1]}
Bt 0 t I=({watts})/{HEAT}-(V(t)-{OUTSIDE})/{COOLING_SECONDS}
Ct t 0 1 IC={self.kept.x[2]}
.tran 2 {self.seconds} 0 2 uic
""",
            ("q", "p", "t"),
        )


class Crank(Circuit):
    """The battery alone turns a starter whose back-EMF grows with its speed; no fuel, so it never lights."""

    charge = 0.8
    seconds = 15.0

    def prepare(self) -> None:
        """Press START."""
        set_control(self.aircraft, "master", "ON")
        self.aircraft.arrive(50)
        press(self.aircraft, "start", True)
        self.aircraft.arrive(60)

    def ngspice(self) -> dict[str, float]:
        """The same by ngspice; within seconds neither charge nor temperature changes what it gives."""
        charge, polarisation, celsius, speed = self.kept.x[:4]
        r1 = R1 * math.exp(0.012 * (25 - celsius)) * (1 + 0.1 / charge)
        return spice(
            f"""crank
Bh in 0 V={rest_volts(charge)}+V(p)
R0 hot in {R0}
Bs hot e I=max(0,(V(hot)-{EMF}*V(n))/{STARTER_OHM})
Ve e 0 0
Bn 0 n I={GAIN}*I(Ve)/1000-{DRAG}*V(n)
Cn n 0 1 IC={speed}
Bp 0 p I=(-I(Ve)*{r1}-{PLATES_VOLTS}*asinh(I(Ve)/{EXCHANGE_AMPS})-V(p))/{TAU}
Cp p 0 1 IC={polarisation}
.tran 0.05 {self.seconds} 0 0.05 uic
""",
            ("n", "p", "hot"),
        )


def spice(netlist: str, nodes: tuple[str, ...]) -> dict[str, float]:
    """Run ngspice in batch mode, process start included as its users pay it; volts of the nodes at the end."""
    measures = "".join(f".meas tran m{n} FIND V({n}) AT={_end(netlist)}\n" for n in nodes)
    with tempfile.TemporaryDirectory() as folder:
        deck = Path(folder) / "deck.cir"
        deck.write_text(f"{netlist}{measures}.end\n")
        done = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, check=False)
    found = {}
    for line in done.stdout.splitlines():
        name, _, value = line.partition("=")
        if name.strip() in {f"m{n}" for n in nodes}:
            found[name.strip()[1:]] = float(value.split()[0])
    if len(found) != len(nodes):
        raise RuntimeError(done.stdout[-2000:] + done.stderr[-2000:])
    return found


def _end(netlist: str) -> float:
    words = netlist[netlist.index(".tran") :].split()
    return float(words[2]) * 0.9999


CIRCUITS: dict[str, Callable[[], Circuit]] = {"charge": Circuit, "crank": Crank}
