"""Units and conditions that are left alone where nothing they go by has changed: the same flight as without."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.bundles import shipped_exercises
from lumenstat.errors import ActionRefused
from lumenstat.simulation.actions import carry_out, ready
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.dynamics import Dynamics
from lumenstat.systems.apu.unit import ApuUnit
from lumenstat.systems.electrical.feeding_unit import FeedingUnit
from lumenstat.systems.engines.unit import EngineUnit
from lumenstat.systems.hydraulics import HydraulicsUnit
from lumenstat.systems.inertial.unit import InertialUnit
from lumenstat.systems.switched import SwitchedUnit
from lumenstat.systems.unit import Unit
from tests.flights import PERFECT
from tests.procedures import shipped

# In those that end in the dark nothing settles.
DARK = ("night-stop-no-cart", "log-is-open")
NAMES = sorted(path.stem for path in shipped_exercises() if path.stem not in DARK)
KINDS = (ApuUnit, EngineUnit, FeedingUnit, InertialUnit)


class Noted(list[Any]):
    """A list that notes which places are read."""

    read: set[int]

    def __getitem__(self, place: Any) -> Any:
        self.read.add(place)
        return super().__getitem__(place)


def begun(name: str) -> Aircraft:
    bundle = shipped(name)
    return ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)


def flown(aircraft: Aircraft, name: str) -> Aircraft:
    for event in PERFECT[name]():
        if event.verb != "finish":
            aircraft.arrive(event.tick)
            try:
                carry_out(aircraft, event)
            except ActionRefused:
                continue
    return aircraft


@pytest.mark.parametrize("name", NAMES)
def test_a_unit_reads_no_more_than_it_says(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    followed = 0
    PERFECT[name]()

    def noting(follow: Any) -> Any:
        def wrapped(unit: Unit, *conditions: Any) -> None:
            nonlocal followed
            followed += 1
            noted = unit.host.d
            assert isinstance(noted, Noted)
            noted.read = set()
            follow(unit, *conditions)
            assert noted.read <= set(unit.reads), type(unit).__name__

        return wrapped

    aircraft = begun(name)
    noted = Noted(aircraft.d)
    noted.read = set()
    aircraft.d = noted
    for kind in KINDS:
        monkeypatch.setattr(kind, "follow", noting(kind.follow))
    flown(aircraft, name)
    assert followed > 20


@pytest.mark.parametrize("name", NAMES)
def test_a_flight_is_the_same_where_nothing_is_left_alone(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    skipping = flown(begun(name), name)

    def forgetting(method: Any, **forgotten: Any) -> Any:
        """The method on an object that has just forgotten what it could have relied on."""

        def wrapped(own: Any, *given: Any) -> Any:
            for attribute, empty in forgotten.items():
                assert hasattr(own, attribute)
                setattr(own, attribute, empty)
            return method(own, *given)

        return wrapped

    monkeypatch.setattr(Unit, "settle", forgetting(Unit.settle, _inputs=()))
    monkeypatch.setattr(Dynamics, "conditions", forgetting(Dynamics.conditions, _conditions=None))
    monkeypatch.setattr(SwitchedUnit, "settle", forgetting(SwitchedUnit.settle, _followed=((), -1)))
    monkeypatch.setattr(HydraulicsUnit, "settle", forgetting(HydraulicsUnit.settle, _followed=()))
    monkeypatch.setattr(Aircraft, "_after_change", forgetting(Aircraft._after_change, _planned=None, _rates=None))
    thorough = flown(begun(name), name)
    assert (skipping.tick, skipping.d, skipping.x) == (thorough.tick, thorough.d, thorough.x)
    assert skipping.conditions == thorough.conditions
    assert skipping.memory() == thorough.memory()
