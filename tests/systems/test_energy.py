"""Nothing in an aircraft's DC network makes energy, whatever is switched and whatever is broken.

Source: Kirchhoff's laws and the passive sign convention, reckoned here from the volts and amps of the solved network.
"""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Library
from lumenstat.documents.exercise import Fault, Start
from lumenstat.errors import ActionRefused, ModelError
from lumenstat.network.solving import BLEED_SIEMENS, GROUND, load_amps
from lumenstat.simulation.actions import set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.batteries import BatteriesSection
from lumenstat.systems.registry import SYSTEMS

AIRFRAMES = [
    *sorted((SHIPPED / "airframes").glob("*.yaml")),
    *sorted((Path(__file__).parents[1] / "airframes").glob("*.yaml")),
]
AMPS, VOLTS = 1e-3, 1e-4
ELECTRICAL = (
    "diode_leaks",
    "battery_weak",
    "contactor_stuck_open",
    "limiter_failed",
    "rectifier_failed",
    "supply_lost",
)


def read(path: Path) -> Airframe:
    document = Library().load(path).usable()
    assert isinstance(document, Airframe)
    return document


def random_faults(airframe: Airframe, rng: random.Random) -> tuple[Fault, ...]:
    targets = {kind: names for system in SYSTEMS for kind, names in system.fault_targets(airframe).items()}
    kinds = [kind for kind in ELECTRICAL if targets.get(kind)]
    chosen = rng.sample(kinds, min(len(kinds), rng.randrange(1, 4)))
    return tuple(
        Fault(id=f"f{n}", kind=kind, target=rng.choice(list(targets[kind])), at=rng.randrange(0, 60))
        for n, kind in enumerate(chosen)
    )


def flown(airframe: Airframe, seed: int) -> Aircraft:
    """An aircraft to which chance has done things."""
    rng = random.Random(seed)
    start = {
        "place": {"name": "Field", "latitude_degrees": 50, "longitude_degrees": 0},
        "battery_charge": {
            each.id: round(rng.uniform(0.05, 1), 2) for each in airframe.section(BatteriesSection).batteries
        },
        "outside_celsius": rng.randrange(-30, 40),
    }
    return Aircraft(airframe, Start.model_validate(start), random_faults(airframe, rng))


def check(aircraft: Aircraft) -> None:
    """The laws, at this tick."""
    volts, amps, dynamics = aircraft.solution.volts, aircraft.solution.amps, aircraft.dynamics
    now = dynamics.conditions(aircraft.d)
    watts = now.dc_watts
    into = [0.0] * len(volts)
    emf = dynamics.emf(aircraft.x, now)
    emfs = [0.0]
    for n, (branch, current) in enumerate(zip(dynamics.branches, amps, strict=True)):
        if branch.a != GROUND:
            into[branch.a] -= current
        if branch.b != GROUND:
            into[branch.b] += current
        if GROUND not in (branch.a, branch.b):
            # Positive: it takes energy. A contactor, a diode or a leak never gives any.
            assert (volts[branch.a] - volts[branch.b]) * current >= -AMPS * VOLTS, aircraft.tick
        elif n < len(emf):
            emfs.append(abs(emf[n]))
    assert max(volts) <= max(emfs) + VOLTS, "a bus above every source"
    for node, bus in enumerate(aircraft.plan.dc):
        taken = load_amps(watts[node], volts[node], dynamics.floor[node]) + BLEED_SIEMENS * volts[node]
        assert abs(into[node] - taken) < AMPS * max(1.0, abs(taken)), bus.id


@pytest.mark.parametrize("path", AIRFRAMES, ids=lambda path: path.stem)
def test_no_part_makes_energy_and_no_bus_stands_above_every_source(path: Path) -> None:
    airframe = read(path)
    movable = [control for control in airframe.controls.values() if control.kind not in ("momentary", "entry")]
    for seed in range(16):
        rng, aircraft = random.Random(f"{path.stem}{seed}"), flown(airframe, seed)
        check(aircraft)
        for _ in range(25):
            control = rng.choice(movable)
            try:
                aircraft.arrive(aircraft.tick + rng.choice((1, 7, 50, 400, 2500)))
                check(aircraft)
                set_control(aircraft, control.id, rng.choice(control.positions))
                check(aircraft)
            except ActionRefused:
                continue
            except ModelError:
                # A weak battery can make an undervoltage contactor chatter; the model says so and stops.
                break


def test_a_leaking_diode_in_a_dead_aircraft_passes_nothing() -> None:
    airframe = read(SHIPPED / "airframes" / "rowan-r2.yaml")
    leak = Fault(id="leak", kind="diode_leaks", target="service_diode", at=0, amount=6)
    place = {"name": "Field", "latitude_degrees": 50, "longitude_degrees": 0}
    start = Start.model_validate({"place": place, "battery_charge": {"main": 0.8, "start": 0.8}})
    aircraft = Aircraft(airframe, start, (leak,))
    aircraft.arrive(1000)
    assert aircraft.state()["diode.service_diode.amps"] == pytest.approx(0, abs=1e-6)
    assert aircraft.state()["bus.dc_left.volts"] == pytest.approx(0, abs=1e-3)
