"""Bleed air: the highest source of joined ducts, less what is taken, and never less than nothing."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any, cast

import pytest

from lumenstat.systems.air import Air, AirPart, duct_psi
from lumenstat.systems.layout import Layout
from lumenstat.systems.terms import Intake
from lumenstat.systems.unit import Host

DUCTS = ({"id": "left", "name": "Left duct"}, {"id": "right", "name": "Right duct"}, {"id": "aft", "name": "Aft duct"})
PORTS = ("apu", "engine", "pack", "wing")


def port(name: str, duct: str, psi: float) -> dict[str, Any]:
    return {"id": name, "name": name, "duct": duct, "psi": psi, "when": "true"}


PART = AirPart.model_validate({
    "ducts": DUCTS,
    "sources": [port("apu", "left", 38), port("engine", "right", 44)],
    "takers": [port("pack", "left", 6), port("wing", "right", 50)],
    "valves": [{"id": "cross", "name": "Cross-bleed", "joins": ("left", "right"), "when": "true"}],
})  # fmt: skip


def pressures(*open_: str, starter: bool = False, **faults: float) -> dict[str, float]:
    """Where each duct tends with these sources, takers and valves open; faults by duct."""
    layout = Layout()
    layout.intakes = (Intake(duct_psi("left"), "starter", 12.0),)
    d: list[Any] = [starter]
    assert layout.d["starter"] == 0
    active = {("duct_low", duct): amount for duct, amount in faults.items()}
    host = SimpleNamespace(layout=layout, d=d, faults=SimpleNamespace(active=active, changes=0))
    unit = Air(PART).unit(cast(Host, host), cast(Any, None), 0)
    unit.settle(tuple(name in open_ for name in (*PORTS, "cross")))
    unit.hold({})
    return dict(zip(("left", "right", "aft"), unit.targets, strict=True))


@pytest.mark.parametrize(
    ("open_", "expected"),
    [
        ((), (0, 0, 0)),
        (("apu",), (38, 0, 0)),
        (("apu", "cross"), (38, 38, 0)),
        (("apu", "engine"), (38, 44, 0)),
        (("apu", "engine", "cross"), (44, 44, 0)),
        (("apu", "pack"), (32, 0, 0)),
        (("apu", "pack", "cross"), (32, 32, 0)),
        (("engine", "wing"), (0, 0, 0)),
        (("pack",), (0, 0, 0)),
        (("apu", "engine", "wing", "cross"), (0, 0, 0)),
    ],
)
def test_where_ducts_tend(open_: tuple[str, ...], expected: tuple[float, ...]) -> None:
    """By hand: joined ducts have the highest source of both, and what is taken of either counts for both."""
    assert tuple(pressures(*open_).values()) == expected


def test_a_starter_takes_while_it_turns() -> None:
    assert pressures("apu")["left"] - pressures("apu", starter=True)["left"] == 12


def test_a_leak_takes_its_share_of_its_own_duct() -> None:
    assert pressures("apu", "cross", left=0.5) == {"left": 19, "right": 38, "aft": 0}
