"""A propeller unit: its lock holds it flat for the start, its governor holds the rpm, without oil it feathers."""

from __future__ import annotations

import math
from typing import Any

import pytest

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.loading import load_text
from lumenstat.language.sources import Source
from lumenstat.simulation.actions import press
from lumenstat.simulation.aircraft import Aircraft
from tests.simulation.engines import FOLDER, Started, crank, now, put, stand

NAME = "direct-turboprop"


def powered(*faults: dict[str, Any], **start: Any) -> Aircraft:
    aircraft = stand(NAME, *faults, **start)
    put(aircraft, battery="ON", boost="ON")
    aircraft.arrive(500)
    return aircraft


def started(aircraft: Aircraft) -> Started:
    return crank(aircraft, {"start": "START"}, {"condition": "FEED"}, 12, 60)


def blade(aircraft: Aircraft) -> dict[str, Any]:
    return {name.rsplit(".", 1)[1]: value for name, value in now(aircraft).items() if name.startswith("propeller.")}


def running() -> Aircraft:
    aircraft = powered()
    assert started(aircraft).idle_after is not None
    return aircraft


def test_it_starts_on_its_lock_and_hangs_hot_without() -> None:
    flat = started(powered())
    bites = started(powered({"kind": "propeller_lock_fails", "target": "main"}))
    assert flat.idle_after is not None
    assert flat.state["propeller.main.locked"] is True
    assert bites.idle_after is None
    assert bites.state["engine.1.core_speed"] < 20
    assert bites.peak > flat.peak + 100


def test_left_in_feather_it_does_not_start_until_it_is_unfeathered_by_power() -> None:
    assert started(powered(blades={"main": "feather"})).idle_after is None
    aircraft = powered(blades={"main": "feather"})
    press(aircraft, "unfeather", held=True)
    aircraft.arrive(aircraft.tick + 1000)
    assert blade(aircraft)["flat"] is True
    assert blade(aircraft)["locked"] is False
    assert started(aircraft).idle_after is not None


def test_without_the_pump_it_goes_back_to_feather() -> None:
    aircraft = powered(blades={"main": "feather"})
    press(aircraft, "unfeather", held=True)
    aircraft.arrive(aircraft.tick + 1000)
    press(aircraft, "unfeather", held=False)
    aircraft.arrive(aircraft.tick + 1000)
    assert blade(aircraft)["feathered"] is True


def test_the_pump_needs_its_bus_and_takes_its_watts() -> None:
    aircraft = powered(blades={"main": "feather"})
    amps = now(aircraft)["battery.main.amps"]
    press(aircraft, "unfeather", held=True)
    aircraft.arrive(aircraft.tick + 100)
    volts = now(aircraft)["bus.main.volts"]
    assert amps - now(aircraft)["battery.main.amps"] == pytest.approx(260 / volts, rel=0.03)
    put(aircraft, battery="OFF")
    aircraft.arrive(aircraft.tick + 200)
    assert blade(aircraft)["pump_running"] is False
    broken = powered({"kind": "propeller_pump_failed", "target": "main"}, blades={"main": "feather"})
    press(broken, "unfeather", held=True)
    broken.arrive(broken.tick + 500)
    assert blade(broken)["feathered"] is True


def test_the_lock_holds_until_it_is_released_under_oil_pressure() -> None:
    aircraft = running()
    put(aircraft, power="FULL")
    aircraft.arrive(aircraft.tick + 2000)
    assert blade(aircraft)["locked"] is True
    assert blade(aircraft)["rpm"] > 1950
    put(aircraft, power="REVERSE")
    aircraft.arrive(aircraft.tick + 100)
    assert blade(aircraft)["locked"] is False
    cold = powered()
    put(cold, power="REVERSE")
    cold.arrive(cold.tick + 500)
    assert blade(cold)["locked"] is True


def test_the_governor_holds_its_rpm_by_the_blades() -> None:
    aircraft = running()
    put(aircraft, power="REVERSE")
    aircraft.arrive(aircraft.tick + 300)
    put(aircraft, power="FULL")
    aircraft.arrive(aircraft.tick + 4000)
    assert blade(aircraft)["rpm"] == pytest.approx(1900, abs=2)
    assert 2 < blade(aircraft)["blade_angle"] < 40


def test_feather_takes_the_blades_there_at_their_rate_and_softly() -> None:
    """In closed form: 20 deg/s until the last 6 degrees, which shrink with a lag of 0.3 s."""
    aircraft = running()
    put(aircraft, power="REVERSE")
    aircraft.arrive(aircraft.tick + 300)
    begun, angle = aircraft.tick, blade(aircraft)["blade_angle"]
    put(aircraft, condition="FEATHER")
    straight = (84 - 6 - angle) / 20
    for seconds in (1.0, 2.5, straight, straight + 0.3, straight + 0.9):
        aircraft.arrive(begun + round(seconds * 100))
        late = (aircraft.tick - begun) / 100 - straight
        true = 84 - 6 * math.exp(-late / 0.3) if late > 0 else angle + 20 * (late + straight)
        assert blade(aircraft)["blade_angle"] == pytest.approx(true, abs=0.4)


def test_on_the_way_down_the_lock_engages_and_holds_the_blades_of_a_standing_propeller() -> None:
    aircraft = running()
    put(aircraft, power="REVERSE")
    aircraft.arrive(aircraft.tick + 300)
    put(aircraft, power="IDLE")
    aircraft.arrive(aircraft.tick + 300)
    assert blade(aircraft)["locked"] is False
    put(aircraft, condition="SHUT")
    aircraft.arrive(aircraft.tick + 12000)
    assert blade(aircraft)["rpm"] < 100
    assert blade(aircraft)["locked"] is True
    assert blade(aircraft)["flat"] is True


def test_stuck_blades_stay_where_they_are() -> None:
    aircraft = powered({"kind": "propeller_stuck", "target": "main"}, blades={"main": "feather"})
    press(aircraft, "unfeather", held=True)
    aircraft.arrive(aircraft.tick + 1000)
    assert blade(aircraft)["blade_angle"] == 84


def test_a_snapshot_brings_the_blades_back() -> None:
    aircraft = running()
    put(aircraft, power="REVERSE")
    aircraft.arrive(aircraft.tick + 300)
    snapshot = aircraft.snapshot()
    put(aircraft, condition="FEATHER")
    aircraft.arrive(snapshot.tick + 700)
    once = aircraft.state()
    aircraft.restore(snapshot)
    put(aircraft, condition="FEATHER")
    aircraft.arrive(snapshot.tick + 700)
    assert aircraft.state() == once


@pytest.mark.parametrize(
    ("written", "instead", "says"),
    [
        ("engine: 1\n    full_rpm", "engine: 2\n    full_rpm", "there is no engine '2'"),
        ("governed_rpm: 1900", "governed_rpm: 2400", "the governor holds 2400 rpm, and flat blades reach 2300 at most"),
        ("oil_from_rpm: 350", "oil_from_rpm: 350\n    flat_degrees: 90", "`flat_degrees` must be less"),
        ("pump: {bus: main", "pump: {bus: mine", "there is no bus 'mine'; did you mean 'main'?"),
        ('releases_when: control.power == "REVERSE"', "releases_when: bus.main.volts > 20", "logic reads states"),
    ],
)
def test_what_cannot_be_is_refused_with_its_line(written: str, instead: str, says: str) -> None:
    from lumenstat.documents.checking import check_airframe

    text = (FOLDER / f"{NAME}.yaml").read_text()
    assert written in text
    changed = text.replace(written, instead)
    loaded = load_text(changed, "changed.yaml")
    assert isinstance(loaded.document, Airframe)
    assert isinstance(loaded.source, Source)
    problems = check_airframe(loaded.document, loaded.source)
    first = changed.splitlines().index(next(line for line in changed.splitlines() if line == "propellers:")) + 1
    assert any(says in problem.says and problem.line > first for problem in problems), problems
