"""What nobody asked for: judged by flights that begin and end where they differ, and still as whole flights judge it."""

from __future__ import annotations

import random

import pytest

from lumenstat.assessment import extras
from lumenstat.assessment.extras import judge_extras
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import clock
from lumenstat.simulation.flight import Flight, fly
from lumenstat.simulation.variants import Outcome, Variants
from tests.flights import PERFECT, log_of


def bundle(name: str) -> Bundle:
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


def littered(of: Bundle, events: list[LogEvent], rng: random.Random, count: int) -> list[LogEvent]:
    """The events with moves in between that nobody asked for, some put back."""
    more = []
    for _ in range(count):
        control = rng.choice([c for c in of.airframe.controls.values() if c.kind in ("toggle", "rotary", "lever")])
        tick = rng.randrange(events[-1].tick)
        more.append(LogEvent(tick, "trainee", "set", {"control": control.id, "to": rng.choice(control.positions)}))
        if rng.random() < 0.6:
            more.append(
                LogEvent(tick + rng.randrange(2000), "trainee", "set", {"control": control.id, "to": control.usual})
            )
    ended = [*events[:-1], *(each for each in more if each.tick < events[-1].tick)]
    return [*sorted(ended, key=lambda event: event.tick), events[-1]]


def whole_flight(of: Bundle, flight: Flight, events: list[LogEvent], left_out: frozenset[int]) -> Outcome:
    """The outcome without some events, flown from beginning to end."""
    kept = [event for n, event in enumerate(events) if n not in left_out]
    other = fly(of, kept, end=flight.end, lenient=True)
    alive = {}
    for bus in of.airframe.electrical.buses:
        slot = other.aircraft.plan.d.numbers[f"bus.{bus.id}.alive"]
        pairs = zip(other.trace, other.trace[1:], strict=False)
        alive[bus.id] = sum(after.tick - point.tick for point, after in pairs if point.d[slot])
    return Outcome(frozenset(e.limit.id for e in other.exceedances), alive, other.aircraft.state())


@pytest.mark.parametrize("name", ["apu-and-ground-power-away", "battery-and-apu", "frost-on-the-ramp"])
@pytest.mark.parametrize("seed", [1, 2])
def test_a_flight_cut_short_comes_to_what_the_whole_one_does(name: str, seed: int) -> None:
    of, rng = bundle(name), random.Random(seed)
    events = littered(of, PERFECT[name](), rng, 10)
    flight = fly(of, events)
    variants = Variants(of, events, flight.end, 0)
    moves = [n for n, event in enumerate(events) if event.verb in ("set", "press", "release")]
    for _ in range(8):
        left_out = frozenset(rng.sample(moves, rng.randrange(1, 3)))
        quick, whole = variants.without(left_out), whole_flight(of, flight, events, left_out)
        assert quick.exceeded == whole.exceeded
        for bus, ticks in whole.alive_ticks.items():
            assert abs(quick.alive_ticks[bus] - ticks) <= 2, bus
        for quantity, value in whole.state.items():
            if isinstance(value, float) and quantity.endswith(".charge"):
                assert quick.state[quantity] == pytest.approx(value, abs=2e-4)
            elif not isinstance(value, float) and not quantity.startswith(("lamp.", "instrument.")):
                assert quick.state[quantity] == value, quantity


def test_most_flights_are_cut_short() -> None:
    of = bundle("apu-and-ground-power-away")
    events = littered(of, PERFECT["apu-and-ground-power-away"](), random.Random(3), 30)
    flight = fly(of, events)
    variants = Variants(of, events, flight.end, 0)
    whole = len(flight.trace)
    for n, event in enumerate(events[:-1]):
        if event.verb == "set":
            variants.without(frozenset([n]))
    assert variants.flown < 0.7 * whole * sum(event.verb == "set" for event in events[:-1])


def test_what_is_left_over_when_it_would_take_too_long_is_judged_together(monkeypatch: pytest.MonkeyPatch) -> None:
    of = bundle("apu-and-ground-power-away")
    events = littered(of, PERFECT["apu-and-ground-power-away"](), random.Random(5), 25)
    apart = score(of, log_of(of, events)).ledger.extras
    monkeypatch.setattr(extras, "FLOWN_AGAIN_AT_MOST", 800)
    together = score(of, log_of(of, events)).ledger.extras
    assert 2 <= len(together) < len(apart)
    assert together[:-1] == apart[: len(together) - 1]
    last = together[-1]
    assert f"{len(apart) - len(together) + 1} more acts that no item asked for" in last.says
    assert "judged together" in last.says
    worst = {"hazard": 3, "deviation": 2, "undone": 1, "harmless": 1}
    assert worst[last.effect] >= 1


def test_how_far_it_is_is_told() -> None:
    of = bundle("apu-and-ground-power-away")
    events = littered(of, PERFECT["apu-and-ground-power-away"](), random.Random(6), 6)
    told: list[tuple[str, int, int]] = []
    ledger = score(of, log_of(of, events), lambda *at: told.append(at)).ledger
    count = len(ledger.extras)
    assert [at for at in told if at[0].startswith("flying again")] == [
        ("flying again without what nobody asked for", n, count) for n in range(count)
    ]
    assert told[0][0] == "flying the log"
    assert judge_extras(of, fly(of, events), events, []) == []


def test_a_guard_that_is_closed_again_was_put_back() -> None:
    """Each guard goes with its own closing, whatever is moved in between."""
    of, events = bundle("frost-on-the-ramp"), PERFECT["frost-on-the-ramp"]()
    begins = events[3].tick

    def guard(after: int, control: str, is_open: bool) -> LogEvent:
        return LogEvent(begins + after, "trainee", "guard", {"control": control, "open": is_open})

    more = [
        guard(1, "dc_tie", True),
        guard(2, "apu_bottle", True),
        guard(3, "dc_tie", False),
        guard(5, "apu_bottle", False),
    ]
    found = score(of, log_of(of, [*events[:4], *more, *events[4:]])).ledger.extras
    assert [(row.control, row.effect) for row in found] == [("dc_tie", "undone"), ("apu_bottle", "undone")]
    for row, closed in zip(found, (3, 5), strict=True):
        assert f"put back at {clock((begins + closed) / 100)}, before" in row.says
