"""The critical path: a textbook example by hand, generated networks against networkx, and flights as they were flown."""

from __future__ import annotations

import random

import networkx
import pytest

from lumenstat.rehearsal.critical import Link, critical_items, network, schedule, schedule_of
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.rehearsal.script import Script
from tests.procedures import BATTERY_ON, shipped, small


def test_a_worked_example() -> None:
    """Source: From memory: the standard activity-on-node example of CPM courses, unverified; worked by hand here.

    A3; B4 and C2 after A; D5 after B; E1 after C; F2 after D and E. Forward: A0 B3 C3 D7 E5 F12, end 14. Backward: the
    path A B D F has no slack; C and E may slip by 6.
    """
    durations = [3, 4, 2, 5, 1, 2]
    links = [Link(0, 1), Link(0, 2), Link(1, 3), Link(2, 4), Link(3, 5), Link(4, 5)]
    found = schedule(durations, links)
    assert found.starts == (0, 3, 3, 7, 5, 12)
    assert found.end == 14
    assert found.slack == (0, 0, 6, 0, 6, 0)
    assert found.path == (0, 1, 3, 5)


def test_a_lag_and_a_release_count() -> None:
    found = schedule([2, 1], [Link(0, 1, 5)], {0: 3})
    assert found.starts == (3, 10 - 3 + 3)
    assert found.end == 11


@pytest.mark.parametrize("seed", range(200))
def test_equals_networkx(seed: int) -> None:
    """Source: networkx 3, dag_longest_path_length and dag_longest_path on generated procedures."""
    chance = random.Random(seed)
    count = chance.randint(2, 25)
    durations = [chance.randint(1, 300) for _ in range(count)]
    pairs = [(a, b) for b in range(count) for a in range(b) if chance.random() < 0.2]
    links = [Link(a, b, chance.choice((0, 0, chance.randint(1, 500)))) for a, b in pairs]
    graph = networkx.DiGraph()
    for n, duration in enumerate(durations):
        graph.add_edge((n, "begins"), (n, "ends"), weight=duration)
    for link in links:
        graph.add_edge((link.before, "ends"), (link.after, "begins"), weight=link.lag)
    found = schedule(durations, links)
    assert found.end == networkx.dag_longest_path_length(graph)
    along = sum(durations[n] for n in found.path) + sum(
        next(k.lag for k in links if (k.before, k.after) == pair)
        for pair in zip(found.path, found.path[1:], strict=False)
    )
    assert along == found.end
    # Slack: an act that begins that much later leaves the end; one tick more moves it.
    n = chance.randrange(count)
    assert schedule(durations, links, {n: found.starts[n] + found.slack[n]}).end == found.end
    assert schedule(durations, links, {n: found.starts[n] + found.slack[n] + 1}).end == found.end + 1


@pytest.mark.parametrize("name", ["frost-on-the-ramp", "apu-and-ground-power-away", "shutdown-to-dark"])
def test_the_network_gives_the_flight_back(name: str) -> None:
    flight = rehearse(shipped(name))
    found = schedule_of(Script(shipped(name), flight))
    assert found.starts == tuple(act.starts for act in flight.acts)
    assert found.end == flight.ready_at


def test_the_model_tells_what_a_wait_counts_from() -> None:
    """Twelve minutes on line count from the moment the buses are fed, not from what was done meanwhile."""
    bundle = shipped("frost-on-the-ramp")
    flight = rehearse(bundle)
    script = Script(bundle, flight)
    items = [act.item for act in flight.acts]
    cause = script.cause_of(items.index("charged"))
    assert cause is not None and items[cause] == "feed"
    found = schedule_of(script)
    path = critical_items(flight.acts, found)
    assert path.index("charged") == path.index("feed") + 1
    slack = dict(zip(items, found.slack, strict=True))
    assert slack["navigation"] > 60_000 and slack["feed"] == slack["charged"] == 0


def test_slack_is_true() -> None:
    """Held back by what it may be, an act leaves the end; by three seconds more, the end comes later.

    The hose is asked away early and awaited late: it is the crew who need the time, not the wait's turn.
    """
    bundle = shipped("apu-out-air-cart")
    flight = rehearse(bundle)
    script = Script(bundle, flight)
    slack = dict(zip((act.item for act in flight.acts), schedule_of(script).slack, strict=True))
    numbers = {act.item: n for n, act in enumerate(flight.acts)}
    for item in ("air-away", "cart-away", "ask-cart"):
        spare, n = slack[item] / 100, numbers[item]
        assert spare < 10, item
        assert script.held_back(n, max(0.0, spare - 0.5)).ready_at <= flight.ready_at + 60, item
        assert script.held_back(n, spare + 3).ready_at > flight.ready_at + 200, item


def test_links_that_go_backwards_are_refused() -> None:
    with pytest.raises(ValueError, match="goes backwards"):
        schedule([1, 1], [Link(1, 0)])


def test_what_waits_for_nothing_done_has_no_cause() -> None:
    """A wait for a time of day is a release of its own: nothing that was done moves it."""
    late = {"id": "late", "kind": "wait", "until": "time > 60"}
    bundle = small(BATTERY_ON, late)
    script = Script(bundle, rehearse(bundle))
    assert script.cause_of(1) is None
    _, _, releases = network(script)
    assert releases == {0: 0, 1: script.acts[1].ripe} or releases == {1: script.acts[1].ripe}
    assert script.acts[1].ripe >= 6000
