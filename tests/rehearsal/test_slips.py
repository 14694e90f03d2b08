"""A learner's flight: the same for the same seed, slower, and with slips that the judge finds and no others."""

from __future__ import annotations

import random
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.rehearsal import slips
from lumenstat.rehearsal.perfect import Acted, rehearse
from lumenstat.rehearsal.slips import MISREAD, Part, flight_with_slips
from tests.flights import log_of

SHIPPED: dict[str, Path] = {path.stem: path for path in shipped_exercises()}
FROST: Bundle = Library().bundle(SHIPPED["frost-on-the-ramp"])


def verdicts(events: tuple[LogEvent, ...]) -> dict[str, str]:
    ledger = score(FROST, log_of(FROST, list(events))).ledger
    return {row.item: row.verdict for row in ledger.items if row.verdict not in ("done", "not-applicable")}


def part(name: str, *events: tuple[str, int, dict[str, object]]) -> Part:
    return Acted(name, 0, 0, 0, 0), [LogEvent(tick, "trainee", verb, args) for verb, tick, args in events]


def looked(name: str, tick: int = 100) -> Part:
    return part(name, ("see", tick, {"control": name}))


def names(parts: list[Part]) -> list[str]:
    return [act.item for act, _ in parts]


def test_a_slow_hand_without_a_slip_loses_nothing() -> None:
    quick = rehearse(FROST)
    slow = flight_with_slips(FROST, "a", slips=0)
    assert verdicts(slow) == {}
    assert len(slow) == len(quick.events) + (quick.events[-1].verb != "finish")
    assert slow[-1].verb == "finish" and slow[-1].tick > quick.events[-1].tick


def test_the_same_seed_gives_the_same_flight_and_another_gives_another() -> None:
    one, again, other = (flight_with_slips(FROST, seed, slips=3) for seed in ("a", "a", "b"))
    assert one == again and one != other


def test_slower_is_slower_and_acts_stay_a_tenth_of_a_second_apart() -> None:
    one, two = (flight_with_slips(FROST, "a", slips=0, slowness=each) for each in (1.0, 2.0))
    assert two[-1].tick > one[-1].tick
    for events in (one, two):
        assert all(b.tick - a.tick >= 10 for a, b in pairwise(events[1:]))


def test_slips_cost_something_over_many_seeds() -> None:
    found = [verdicts(flight_with_slips(FROST, f"seed {n}", slips=2)) for n in range(8)]
    assert sum(bool(each) for each in found) >= 6


def drawn(slip: Callable[[list[Part], random.Random], None], parts: list[Part], times: int = 60) -> list[list[Part]]:
    """What a slip makes of these parts, over many draws."""
    found = []
    for seed in range(times):
        mine = [(act, list(events)) for act, events in parts]
        slip(mine, random.Random(seed))
        found.append(mine)
    return found


FIVE = [looked(name) for name in "abcde"]


def test_an_item_left_out_is_any_but_the_first_and_the_last() -> None:
    gone = {"".join(sorted(set("abcde") - set(names(parts)))) for parts in drawn(slips._left_out, FIVE)}
    assert gone == {"b", "c", "d"}
    assert [names(each) for each in drawn(slips._left_out, FIVE[:4], 5)] == [list("abcd")] * 5, "a short card is flown"


def test_swapped_items_are_neighbours_and_never_the_last() -> None:
    found = {"".join(names(parts)) for parts in drawn(slips._swapped, FIVE)}
    assert found == {"bacde", "acbde", "abdce"}
    assert names(drawn(slips._swapped, FIVE[:3], 1)[0]) == list("abc")


CALL = part("volts", ("call", 100, {"instrument": "v", "reading": 24.0, "judgement": "within"}))
SAID = part("lamp", ("call", 200, {"instrument": "l", "judgement": "seen"}))


def test_a_reading_is_misjudged_as_another_judgement() -> None:
    found = {parts[0][1][0].args["judgement"] for parts in drawn(slips._misjudged, [CALL])}
    assert found == {"below", "above"}
    assert drawn(slips._misjudged, [SAID], 1) == [[SAID]], "what is no judgement of limits stays"
    assert drawn(slips._misjudged, FIVE, 1) == [FIVE]


def test_a_figure_is_misread_by_a_tenth() -> None:
    for parts in drawn(slips._misread, [CALL, SAID], 10):
        assert parts[0][1][0].args[MISREAD] in (0.9, 1.1) and parts[1] == SAID


def test_a_misread_figure_is_called_as_the_needle_stood_then() -> None:
    shown, wrong = (flight_with_slips(FROST, "a", slips=0), None)
    for seed in range(40):
        events = flight_with_slips(FROST, f"m{seed}", slips=1)
        pairs = [(a, b) for a, b in zip(shown, events, strict=False) if a.verb == b.verb == "call"]
        wrong = next((b for a, b in pairs if _apart(a, b)), wrong)
        assert all(MISREAD not in event.args for event in events)
    assert wrong is not None, "forty seeds misread something"


def _apart(one: LogEvent, other: LogEvent) -> bool:
    first, second = one.args.get("reading"), other.args.get("reading")
    if one.args.get("instrument") != other.args.get("instrument") or not first or second is None:
        return False
    return 0.08 < abs(float(second) / float(first) - 1) < 0.12


HELD = part("test", ("press", 100, {"control": "t"}), ("release", 400, {"control": "t"}))
BOTH = part("switch", ("set", 100, {"control": "s", "to": "ON"}), ("confirm", 200, {"item": "switch"}))


def test_one_of_several_events_is_missing_but_never_of_a_hold() -> None:
    found = {tuple(event.verb for event in parts[1][1]) for parts in drawn(slips._not_answered, [HELD, BOTH])}
    assert found == {("set",), ("confirm",)}
    assert drawn(slips._not_answered, [HELD, *FIVE], 1) == [[HELD, *FIVE]], "one event alone is left out as an item"


def test_a_button_let_go_too_soon_was_held_for_a_third() -> None:
    (parts,) = drawn(slips._let_go, [BOTH, HELD], 1)
    assert [(event.verb, event.tick) for event in parts[1][1]] == [("press", 100), ("release", 200)]
    assert parts[0] == BOTH


@pytest.mark.parametrize("ending", [("finish", 900), ("confirm", 900)])
def test_a_flight_ends_with_finish_whether_the_model_did_or_not(ending: tuple[str, int]) -> None:
    after = [LogEvent(ending[1], "trainee", ending[0])]
    events = slips._in_time([looked("a", 0), looked("b", 300)], after, random.Random(1), 1.0)
    assert [event.verb for event in events][:2] == ["see", "see"] and events[-1].verb == "finish"
    assert [event.verb for event in events].count("finish") == 1
    assert events[0].tick == 0, "the first act is where the model made it"
    assert events[1].tick >= 300 + 2 * 150 and events[1].tick <= 300 + 2 * 900
