"""What must hold of scoring whatever was done: harmless actions earn nothing, free orders are free, sums are sums."""

from __future__ import annotations

import json
import math
import random
from fractions import Fraction
from itertools import chain

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.rehearsal.perfect import rehearse
from tests.assessment.test_scoring import judged
from tests.flights import about, event, inserted, perfect_frost, without
from tests.procedures import shipped

HARMLESS = (("beacon", "ON", "OFF"), ("transponder", "STBY", "OFF"))
"""Controls that no item of the exercise asks to be put there, with where they go and where they stood."""


@pytest.mark.parametrize("seed", range(12))
def test_adding_a_harmless_action_never_raises_the_score(seed: int, frost: Bundle) -> None:
    """Whatever was left out before it: a light switched on and off again earns nothing."""
    chance = random.Random(seed)
    events = perfect_frost()
    drop = set(chance.sample(range(len(events) - 1), chance.randint(0, 4)))
    flown = [each for n, each in enumerate(events) if n not in drop]
    base = judged(frost, flown)
    at, (control, there, back) = chance.randint(1, 235), chance.choice(HARMLESS)
    on, off = event(at + 0.3, "set", control=control, to=there), event(at + 0.6, "set", control=control, to=back)
    busy = judged(frost, inserted(flown, on, off))
    assert busy.points.earned <= base.points.earned
    assert busy.percent <= base.percent
    assert len(busy.extras) == len(base.extras) + 1 and busy.extras != base.extras


def test_a_meter_called_dead_before_it_can_live_earns_nothing(frost: Bundle) -> None:
    """The plug's meter is dark until the cart is in; calling it dead then is no reading of the cart."""
    calls = about("call", instrument="plug_hertz")
    early = inserted(without(perfect_frost(), calls), event(60, "call", instrument="plug_hertz", judgement="dead"))
    row = next(row for row in judged(frost, early).items if row.item == "first-frequency")
    assert (row.verdict, row.earned) == ("wrong", 0)


@pytest.mark.parametrize("seed", range(6))
def test_permuting_an_any_order_section_changes_nothing(seed: int) -> None:
    exercise = shipped("guided-power-up")
    section = exercise.checklists[0].sections[0]
    assert section.order == "any"
    flight = list(rehearse(exercise).events)
    size = len(section.items)
    groups: list[list[LogEvent]] = []
    acts = rehearse(exercise).acts
    own = {item.id for item in section.items}
    for act in acts:
        if act.item in own:
            groups.append(flight[act.first : act.last])
    assert len(groups) == size and all(act.item in own for act in acts[:size])
    random.Random(seed).shuffle(groups)
    ticks = [each.tick for each in flight[: sum(map(len, groups))]]
    shuffled = [LogEvent(tick, e.by, e.verb, e.args) for tick, e in zip(ticks, chain(*groups), strict=True)]
    one, other = judged(exercise, flight), judged(exercise, [*shuffled, *flight[len(shuffled) :]])
    assert {(r.item, r.verdict, r.earned) for r in one.items} == {(r.item, r.verdict, r.earned) for r in other.items}
    assert (one.percent, one.extras) == (other.percent, other.extras)


def test_the_sums_are_those_of_an_independent_reader(frost: Bundle) -> None:
    """Read from the JSON alone: points, percent half up to one decimal, gates."""
    slips = without(without(perfect_frost(), about("see", control="wipers")), about("set", control="seat_signs"))
    said = json.loads(judged(frost, slips).model_dump_json())
    possible = sum(Fraction(str(row["possible"])) for row in said["items"])
    earned = sum(Fraction(str(row["earned"])) for row in said["items"])
    earned -= sum(extra["effect"] == "deviation" for extra in said["extras"])
    assert (Fraction(str(said["points"]["earned"])), Fraction(str(said["points"]["possible"]))) == (earned, possible)
    assert Fraction(str(said["percent"])) == Fraction(math.floor(earned / possible * 1000 + Fraction(1, 2)), 10)
