"""People outside: where they stand while they work, and a clearance that lapses when anyone goes near."""

from __future__ import annotations

from pathlib import Path

import pytest

import lumenstat
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.simulation.actions import request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from tests.flights import PERFECT
from tests.procedures import shipped

AIRFRAME = Path(lumenstat.__file__).parent / "library" / "airframes" / "rowan-r2.yaml"


@pytest.fixture
def aircraft(frost: Bundle) -> Aircraft:
    """Powered by its battery, beacon on."""
    it = Aircraft(frost.airframe, frost.exercise.start)
    set_control(it, "battery_main", "ON")
    set_control(it, "beacon", "ON")
    it.arrive(100)
    return it


def near(aircraft: Aircraft) -> set[str]:
    state = aircraft.state()
    return {place for place in ("left_side", "wheels", "nose") if state[f"people.{place}"]}


def test_somebody_stands_where_the_work_is_for_as_long_as_it_takes(aircraft: Aircraft) -> None:
    assert near(aircraft) == set()
    request(aircraft, "ground_power", "connect")
    request(aircraft, "chocks", "remove")
    assert near(aircraft) == {"left_side", "wheels"}
    aircraft.arrive(aircraft.tick + 1600)
    assert near(aircraft) == {"left_side"}, "the chocks are away"
    aircraft.arrive(aircraft.tick + 6000)
    assert near(aircraft) == set()


def test_a_clearance_is_not_given_with_somebody_near_and_lapses_when_anyone_goes_near(aircraft: Aircraft) -> None:
    request(aircraft, "chocks", "remove")
    request(aircraft, "area", "clear")
    assert "everybody clear of plug, hose, wheels and nose" in aircraft.crew[-1].says
    aircraft.arrive(aircraft.tick + 1600)
    request(aircraft, "area", "clear")
    aircraft.arrive(aircraft.tick + 1300)
    assert aircraft.state()["service.area"] == "clear"
    request(aircraft, "ground_power", "connect")
    aircraft.arrive(aircraft.tick + 1)
    assert aircraft.state()["service.area"] == "unchecked"
    assert any("not clear any more" in line.says for line in aircraft.crew)


def test_a_snapshot_remembers_who_stands_where(aircraft: Aircraft) -> None:
    request(aircraft, "ground_power", "connect")
    kept = aircraft.snapshot()
    aircraft.arrive(aircraft.tick + 8000)
    assert near(aircraft) == set()
    aircraft.restore(kept)
    assert near(aircraft) == {"left_side"}
    aircraft.arrive(aircraft.tick + 8000)
    assert near(aircraft) == set()


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("ends: clear,", "ends: spotless,", "no state 'spotless'"),
        ("{when: people.left_side or", "{when: people.roof or", "no quantity 'people.roof'"),
    ],
)
def test_what_cannot_lapse_is_told_with_its_line(tmp_path: Path, old: str, new: str, says: str) -> None:
    text = AIRFRAME.read_text()
    assert old in text
    target = tmp_path / AIRFRAME.name
    target.write_text(text.replace(old, new))
    found = Library([tmp_path]).check(target)
    line = 1 + text[: text.index(old)].count("\n")
    assert any(says in problem.says and problem.line == line for problem in found), found


def test_in_no_shipped_exercise_does_a_perfect_flight_put_anyone_at_risk() -> None:
    """By the flight of each: no hazard is ever met by who does everything rightly (the proof says so too)."""
    for path in shipped_exercises():
        bundle = shipped(path.stem)
        flight = fly(bundle, PERFECT[path.stem](), [])
        assert [e.limit.id for e in flight.exceedances] == [], path.stem
