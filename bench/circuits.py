"""The same charge and crank circuits in the model, in ngspice (`.tran`) and, for the charge, in scipy (LSODA)."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

from scipy.integrate import solve_ivp

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.exercise import Start
from lumenstat.documents.loading import load_text
from lumenstat.simulation.actions import press, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.batteries import BatteriesUnit
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
        self.model = self.aircraft.units.of(BatteriesUnit)[0].models[0]

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
        m = self.model

        def amps(charge: float, polarisation: float) -> float:
            inside = m.open_circuit_volts(charge) + polarisation
            low, high = 17.0, VOLTS
            for _ in range(40):
                bus = (low + high) / 2
                into = min(LIMIT, (bus - inside) / (JOINT_OHM + m.r0_ohm))
                if (VOLTS - bus) / SOURCE_OHM > WATTS / bus + into:
                    low = bus
                else:
                    high = bus
            return into

        def slope(_: float, y: tuple[float, float]) -> tuple[float, float]:
            into = amps(y[0], y[1])
            target = into * m.polarisation_ohm(y[0], into > 0)
            return m.charge_per_second(y[0], into), (target - y[1]) / m.tau_seconds

        done = solve_ivp(slope, (0, self.seconds), self.kept.x[:2], method="LSODA", rtol=1e-8, atol=1e-9)
        return done.y[0][-1], done.y[1][-1]

    def ngspice(self) -> dict[str, float]:
        """The same circuit by ngspice: charge and polarisation as the volts of two capacitors."""
        m = self.model
        curve = ", ".join(f"{c}, {v * m.cells}" for c, v in m.curve)
        return spice(
            f"""charge
Vs s 0 DC {VOLTS}
Rs s bus {SOURCE_OHM}
Bl bus 0 I={WATTS}*V(bus)/(max(V(bus),17)^2)
Bc bus hot I=min({LIMIT}, (V(bus)-V(hot))/{JOINT_OHM})
Bh in 0 V=pwl(V(q), {curve})+V(p)
R0 hot in {m.r0_ohm}
Bq 0 q I=I(Bh)*{m.efficiency}/{3600 * m.capacity_ah}
Cq q 0 1 IC={self.kept.x[0]}
Bp 0 p I=(I(Bh)*{m.charging_r1_ohm}*(1+0.4*(V(q)/(1.03-V(q)))^2)-V(p))/{m.tau_seconds}
Cp p 0 1 IC={self.kept.x[1]}
.tran 2 {self.seconds} 0 2 uic
""",
            ("q", "p"),
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
        """The same by ngspice."""
        m = self.model
        return spice(
            f"""crank
Bh in 0 V={m.open_circuit_volts(self.kept.x[0])}+V(p)
R0 hot in {m.r0_ohm}
Bs hot e I=max(0,(V(hot)-{EMF}*V(n))/{STARTER_OHM})
Ve e 0 0
Bn 0 n I={GAIN}*I(Ve)/1000-{DRAG}*V(n)
Cn n 0 1 IC={self.kept.x[2]}
Bp 0 p I=(-I(Ve)*{m.r1_ohm}-V(p))/{m.tau_seconds}
Cp p 0 1 IC={self.kept.x[1]}
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
