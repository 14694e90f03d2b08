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
from tests.flights import PERFECT, about, event, inserted, perfect_frost, without
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


def spoilt(bundle: Bundle, each: LogEvent) -> LogEvent | None:
    """The same act done wrongly, where it can be."""
    args = dict(each.args)
    match each.verb:
        case "set":
            positions = bundle.airframe.controls[args["control"]].positions
            other = next((p for p in positions if p != str(args["to"])), None)
            return LogEvent(each.tick, each.by, "set", {**args, "to": other}) if other else None
        case "see":
            positions = bundle.airframe.controls[args["control"]].positions
            other = next((p for p in positions if p != str(args["position"])), None)
            return LogEvent(each.tick, each.by, "see", {**args, "position": other}) if other else None
        case "call":
            wrong = "above" if args["judgement"] != "above" else "below"
            return LogEvent(each.tick, each.by, "call", {**args, "judgement": wrong})
        case "decide":
            ways = [way.id for way in bundle.procedure.by_id[args["item"]].item.ways() if way.id != args["branch"]]
            return LogEvent(each.tick, each.by, "decide", {**args, "branch": ways[0]})
        case _:
            return None


@pytest.mark.parametrize("name", ["frost-on-the-ramp", "apu-and-ground-power-away", "battery-and-apu"])
def test_a_slip_never_raises_the_points_and_putting_it_right_never_lowers_them(name: str) -> None:
    """Every act that can be done wrongly: whole, spoilt, and spoilt with the right act half a second later."""
    exercise = shipped(name)
    events = PERFECT[name]()
    whole = judged(exercise, events).points.earned
    tried = 0
    for n, each in enumerate(events):
        slip = spoilt(exercise, each)
        if slip is None:
            continue
        wrong = [*events[:n], slip, *events[n + 1 :]]
        again = LogEvent(each.tick + 50, each.by, each.verb, each.args)
        at = [e for e in events[n + 1 :] if e.tick <= again.tick]
        right = [*events[:n], slip, *at, again, *events[n + 1 + len(at) :]]
        low, mended = (judged(exercise, log).points.earned for log in (wrong, right))
        assert low <= mended <= whole, (each, low, mended, whole)
        tried += 1
    assert tried > 10


@pytest.mark.parametrize("seed", range(8))
def test_doing_late_what_was_left_out_never_lowers_the_points(seed: int, frost: Bundle) -> None:
    """Weights alike: among equals the earlier item is kept, so a heavier one may be the one that is blamed."""
    light = tuple(
        checklist.model_copy(
            update={
                "sections": tuple(
                    section.model_copy(
                        update={"items": tuple(item.model_copy(update={"weight": 1.0}) for item in section.items)}
                    )
                    for section in checklist.sections
                )
            }
        )
        for checklist in frost.checklists
    )
    exercise = Bundle(frost.airframe, light, frost.exercise)
    events, chance = perfect_frost(), random.Random(seed)
    acts = [n for n, e in enumerate(events) if e.verb in ("see", "confirm", "call", "respond", "set")]
    n = chance.choice(acts)
    left = [*events[:n], *events[n + 1 :]]
    later = inserted(left, LogEvent(events[-1].tick - 20, "trainee", events[n].verb, events[n].args))
    assert judged(exercise, later).points.earned >= judged(exercise, left).points.earned
