"""Decisions that are tried with figures, and those that are too wide to be."""

from __future__ import annotations

from typing import Any

from lumenstat.items.decide import DecideItem
from lumenstat.proving.coverage import uncovered
from lumenstat.systems.registry import quantities_of
from tests.procedures import shipped

QUANTITIES = quantities_of(shipped("guided-power-up").airframe)


def left_open(*whens: str) -> str | None:
    branches: list[dict[str, Any]] = [{"id": f"b{n}", "when": when, "says": "So"} for n, when in enumerate(whens)]
    written = {"id": "d", "kind": "decide", "challenge": "D", "response": "So", "branches": branches}
    return uncovered(DecideItem.model_validate(written), QUANTITIES)


def test_the_figure_between_two_branches_is_named() -> None:
    assert left_open("battery.main.volts < 22", "battery.main.volts > 22") == "battery.main.volts is 22"
    assert left_open("battery.main.volts < 22", "battery.main.volts >= 22") is None


def test_what_reads_nothing_or_more_than_three_quantities_is_not_tried() -> None:
    assert left_open("1 > 2", "2 > 3") is None
    four = " and ".join(f"bus.{name}.alive" for name in ("dc_left", "dc_right", "dc_essential", "ac_left"))
    assert left_open(four, f"{four} and 1 > 2") is None
    three = "bus.dc_left.alive and bus.dc_right.alive and bus.dc_essential.alive"
    assert left_open(three, f"{three} and 1 > 2") is not None


def test_what_looks_back_in_time_is_not_tried() -> None:
    assert left_open("rate(battery.main.volts) > 1", "rate(battery.main.volts) < 0") is None
