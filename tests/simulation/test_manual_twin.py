"""Two ground supplies, manual transfer and the other school of priority, as data alone."""

from __future__ import annotations

import itertools
import random
from pathlib import Path

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Library
from lumenstat.documents.exercise import Start
from lumenstat.simulation.actions import set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.electrical.ac_sources import Cart
from lumenstat.systems.surroundings import Place

PATH = Path(__file__).parents[1] / "airframes" / "manual-twin.yaml"


def twin() -> Aircraft:
    airframe = Library().load(PATH).usable()
    assert isinstance(airframe, Airframe)
    carts = {name: (Cart(name=name, volts=115, hertz=400),) for name in ("one", "two")}
    place = Place(name="Field", latitude_degrees=50, longitude_degrees=0)
    start = Start.model_validate({"place": place, "battery_charge": {"b": 0.8}, "carts": carts})
    return Aircraft(airframe, start)


def fed(aircraft: Aircraft, **controls: str) -> tuple[object, object]:
    for name, position in controls.items():
        set_control(aircraft, name, position)
    aircraft.arrive(aircraft.tick + 300)
    state = aircraft.state()
    return state["bus.left.fed_by"], state["bus.right.fed_by"]


def test_the_document_is_good() -> None:
    assert Library().check(PATH) == []


def test_two_ground_supplies_feed_a_side_each() -> None:
    aircraft = twin()
    assert fed(aircraft, plug_one="IN", plug_two="IN") == ("one", "two")
    assert fed(aircraft, plug_two="OUT") == ("one", "")


def test_a_generator_that_runs_takes_nothing_until_it_is_moved_onto_its_bus() -> None:
    aircraft = twin()
    assert fed(aircraft, engine="RUNS", apu="RUNS") == ("", "")
    assert fed(aircraft, left_select="ENGINE", right_select="APU") == ("engine", "apu")


def test_ground_power_outranks_the_apu_until_it_is_gone_but_not_the_engine() -> None:
    aircraft = twin()
    fed(aircraft, apu="RUNS", engine="RUNS", left_select="APU", right_select="APU")
    assert fed(aircraft, plug_one="IN", plug_two="IN") == ("one", "two")
    assert fed(aircraft, left_select="ENGINE") == ("engine", "two")
    assert fed(aircraft, plug_two="OUT") == ("engine", "apu")


def test_no_bus_ever_has_two_sources_and_every_change_breaks_before_it_makes() -> None:
    aircraft = twin()
    r = random.Random(7)
    seen = []

    class Eye:
        def during_step(self, start: int, end: int, sample: object) -> None:
            pass

        def at_event(self, tick: int) -> None:
            seen.append((aircraft.state()["bus.left.fed_by"], aircraft.state()["bus.right.fed_by"]))

    aircraft.watchers.append(Eye())
    controls = list(aircraft.plan.airframe.controls.values())
    for _ in range(300):
        control = r.choice(controls)
        set_control(aircraft, control.id, r.choice(control.positions))
        aircraft.arrive(aircraft.tick + r.choice([1, 2, 5, 7, 50, 300]))
    for side in (0, 1):
        changes = [(a[side], b[side]) for a, b in itertools.pairwise(seen) if a[side] != b[side]]
        assert len(changes) > 20
        assert all("" in change for change in changes)
