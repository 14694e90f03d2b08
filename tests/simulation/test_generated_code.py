"""Code that is generated can be debugged: a traceback through it shows its line, and it goes when nobody uses it."""

from __future__ import annotations

import gc
import linecache
import traceback

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.simulation.plan import Plan


def test_a_traceback_shows_the_generated_line(frost: Bundle) -> None:
    plan = Plan(frost.airframe)
    broken = plan.function("def broken(d, a):\n    return d[0] / a[99999]\n", "broken")
    with pytest.raises(IndexError) as found:
        broken([1.0], [2.0])
    lines = "".join(traceback.format_tb(found.value.__traceback__))
    assert "rowan-r2 broken" in lines
    assert "return d[0] / a[99999]" in lines


def test_what_is_not_used_any_more_is_forgotten(frost: Bundle) -> None:
    plan = Plan(frost.airframe)
    gc.collect()
    before = sum("rowan-r2 passing" in name for name in linecache.cache)
    passing = plan.function("def passing():\n    return 1\n", "passing")
    assert passing() == 1
    assert sum("rowan-r2 passing" in name for name in linecache.cache) == before + 1
    del passing
    gc.collect()
    assert sum("rowan-r2 passing" in name for name in linecache.cache) == before


def test_names_in_it_are_given_once_however_often_it_is_generated(frost: Bundle) -> None:
    from lumenstat.simulation.actions import ready
    from lumenstat.simulation.watching import Watch

    aircraft = ready(frost.airframe, frost.exercise.start)
    texts = ['control.wipers == "OFF"', 'control.battery_main == "ON"']
    Watch(aircraft, texts)
    before = list(aircraft.plan.constants)
    for _ in range(20):
        Watch(aircraft, list(reversed(texts)))
    assert list(aircraft.plan.constants) == before
    assert len(before) == len(set(before))
