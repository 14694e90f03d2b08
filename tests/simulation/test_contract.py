"""The one contract that every shipped airframe and exercise must keep."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from lumenstat.documents.bundles import SHIPPED, Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from lumenstat.systems.electrical.batteries import BatteriesSection
from lumenstat.systems.registry import quantities_of
from tests.flights import PERFECT, event

EXERCISES = {path.stem: path for path in shipped_exercises()}


def bundle(name: str) -> Bundle:
    return Library().bundle(EXERCISES[name])


@pytest.mark.parametrize("path", sorted(SHIPPED.glob("*/*.yaml")), ids=lambda p: p.stem)
def test_every_shipped_document_is_good(path: Path, library: Library) -> None:
    assert library.check(path) == []


@pytest.mark.parametrize("name", EXERCISES)
def test_deterministic_to_the_last_bit_under_random_polling(name: str) -> None:
    exercise, events = bundle(name), PERFECT[name]()

    def flown(polls: int) -> list[float]:
        r = random.Random(polls)
        aircraft = ready(exercise.airframe, exercise.exercise.start, exercise.exercise.faults)
        for each in events:
            for tick in sorted(r.randrange(aircraft.tick, each.tick + 1) for _ in range(polls)):
                aircraft.advance(tick)
                aircraft.peek(tick)
            aircraft.arrive(each.tick)
            carry_out(aircraft, each)
        return [*aircraft.a, *aircraft.x]

    assert flown(0) == flown(3) == flown(40)


@pytest.mark.parametrize("name", EXERCISES)
def test_every_step_balances_and_nothing_is_lit_on_a_dead_bus(name: str) -> None:
    exercise, events = bundle(name), PERFECT[name]()
    airframe = exercise.airframe
    checked = []

    class Inspector:
        def __init__(self, aircraft: Aircraft) -> None:
            self.aircraft = aircraft

        def during_step(self, start: int, end: int, sample: object) -> None:
            pass

        def at_event(self, tick: int) -> None:
            aircraft = self.aircraft
            for left in aircraft.dynamics.balance(aircraft.solution, aircraft.conditions):
                assert abs(left) < 0.01, f"current left over at {tick / 100} s"
            state = aircraft.state()
            for lamp in airframe.lamps.values():
                assert not state[f"lamp.{lamp.id}"] or state[f"bus.{lamp.bus}.alive"]
            for instrument in airframe.instruments.values():
                alive = instrument.mechanical or state[f"bus.{instrument.bus}.alive"]
                assert alive or state[f"instrument.{instrument.id}.reads"] is None
            for battery in airframe.section(BatteriesSection).batteries:
                charge = state[f"battery.{battery.id}.charge"]
                assert isinstance(charge, float)
                assert 0 <= charge <= 1
            checked.append(tick)

    fly(exercise, events, also=[Inspector])
    assert len(checked) >= len(events)


@pytest.mark.parametrize("name", EXERCISES)
def test_every_quantity_has_a_meaning_and_a_value(name: str) -> None:
    exercise = bundle(name)
    state = Aircraft(exercise.airframe, exercise.exercise.start).state()
    documented = quantities_of(exercise.airframe)
    assert set(state) == set(documented)
    for quantity in documented.values():
        assert quantity.meaning
        value = state[quantity.name]
        if quantity.choices is not None:
            assert value in quantity.choices, quantity.name
        if value is None:
            assert quantity.nullable, quantity.name


@pytest.mark.parametrize("seed", range(12))
def test_whatever_is_done_the_aircraft_stays_consistent(frost: Bundle, seed: int) -> None:
    """Random hands on every control: no two sources on a bus, charges in range, nothing undefined."""
    r = random.Random(seed)
    aircraft = Aircraft(frost.airframe, frost.exercise.start)
    controls = [c for c in frost.airframe.controls.values() if c.kind not in ("momentary", "guarded-toggle", "entry")]
    services = [("ground_power", action) for action in ("connect", "change", "remove")]
    for _ in range(60):
        aircraft.arrive(aircraft.tick + r.choice([1, 3, 30, 400, 6000]))
        if r.random() < 0.2:
            service, action = r.choice(services)
            done: LogEvent = event(0, "request", service=service, action=action)
        else:
            control = r.choice(controls)
            done = event(0, "set", control=control.id, to=r.choice(control.positions))
        carry_out(aircraft, done)
        state = aircraft.state()
        for bus in frost.airframe.electrical.buses:
            volts = state[f"bus.{bus.id}.volts"]
            assert isinstance(volts, float)
            assert 0 <= volts < 125
        for battery in ("main", "start"):
            assert 0 <= aircraft.x[aircraft.layout.x[f"battery.{battery}.charge"]] <= 1


def test_a_snapshot_goes_on_as_the_flight_did(frost: Bundle, perfect_events: list[LogEvent]) -> None:
    def flown(restored: bool) -> list[float]:
        aircraft = Aircraft(frost.airframe, frost.exercise.start)
        for number, each in enumerate(perfect_events):
            aircraft.arrive(each.tick)
            if restored and number == 24:
                kept = aircraft.snapshot()
                aircraft.arrive(each.tick + 9000)
                aircraft.restore(kept)
            carry_out(aircraft, each)
        return aircraft.a

    assert flown(True) == flown(False)
