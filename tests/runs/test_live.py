"""A live run against a wall clock that the test moves."""

from __future__ import annotations

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused, LogError
from lumenstat.runs.clock import Clock
from lumenstat.runs.live import LiveRun
from lumenstat.runs.view import View
from tests.flights import log_of
from tests.runs.conftest import Wall


def fly(run: LiveRun, wall: Wall, events: list[LogEvent], polls: float = 0.1) -> None:
    """Fly events at their times, ticking ten times a second on the way."""
    origin = wall.seconds - events[0].tick / 100
    for each in events:
        while wall.seconds < origin + each.tick / 100 - polls:
            wall.seconds += polls
            run.advance()
        wall.seconds = origin + each.tick / 100
        run.act("trainee", each.verb, dict(each.args))


def test_the_clock_starts_with_the_first_action(live: LiveRun, wall: Wall) -> None:
    wall.seconds += 500
    assert live.advance() == []
    assert live.clock.now() == 0
    assert live.act("trainee", "confirm", {"item": "log"}).event.tick == 0
    wall.seconds += 2.5
    assert live.clock.now() == 250


def test_the_clock_never_goes_back(wall: Wall) -> None:
    clock = Clock(wall=wall)
    clock.start()
    wall.seconds -= 50
    assert clock.now() == 0


def test_a_live_flight_is_judged_like_its_log(
    live: LiveRun, wall: Wall, frost: Bundle, perfect_events: list[LogEvent]
) -> None:
    fly(live, wall, perfect_events, polls=0.37)
    assert live.finished
    flown = score(frost, log_of(frost, live.log))
    assert flown.ledger.percent == 100.0
    assert flown.flight.aircraft.a == live.aircraft.a, (
        "the replay stands where the live aircraft stood, to the last bit"
    )


def test_a_restart_goes_on_from_the_log(
    live: LiveRun, wall: Wall, frost: Bundle, perfect_events: list[LogEvent]
) -> None:
    fly(live, wall, perfect_events[:20])
    again = LiveRun("r", frost, live.log, live.clock.now())
    assert again.aircraft.d == live.aircraft.d
    assert again.card.answered == live.card.answered
    assert again.clock.running


def test_time_lapse_only_while_waiting_and_back_to_one_by_itself(
    live: LiveRun, wall: Wall, perfect_events: list[LogEvent]
) -> None:
    with pytest.raises(ActionRefused, match="nothing to do but wait"):
        live.act("trainee", "rate", {"times": 10})
    fly(live, wall, perfect_events[:22])
    assert live.rates_allowed() == (1, 2, 5, 10)
    begun = live.clock.now()
    live.act("trainee", "rate", {"times": 10})
    for _ in range(100):
        wall.seconds += 0.1
        if live.advance():
            break
    assert live.clock.rate == 1
    assert live.log[-1].verb == "rate"
    assert live.log[-1].by == "instructor"
    arrived = begun + 7000
    assert arrived <= live.log[-1].tick <= arrived + 100, "it stopped when the crew had the cart in"


def test_an_action_under_time_lapse_drops_to_one_first(
    live: LiveRun, wall: Wall, perfect_events: list[LogEvent]
) -> None:
    fly(live, wall, perfect_events[:22])
    live.act("trainee", "rate", {"times": 5})
    wall.seconds += 1
    live.act("trainee", "set", {"control": "beacon", "to": "ON"})
    assert [e.verb for e in live.log[-3:]] == ["rate", "rate", "set"]
    assert live.clock.rate == 1


def test_it_ends_by_itself_when_its_minutes_are_over(live: LiveRun, wall: Wall) -> None:
    live.act("trainee", "confirm", {"item": "log"})
    wall.seconds += 3700
    made = live.advance()
    assert [e.verb for e in made] == ["finish"]
    assert made[0].tick == 360_000
    with pytest.raises(ActionRefused, match="has ended"):
        live.act("trainee", "confirm", {"item": "outside"})


@pytest.mark.parametrize(
    ("by", "verb", "args", "says"),
    [
        ("trainee", "set", {"control": "nothing", "to": "ON"}, "there is no control"),
        ("trainee", "set", {"control": "battery_main"}, "set.to"),
        ("trainee", "fault", {"fault": "x"}, "cannot be done from here"),
        ("trainee", "note", {"text": "x"}, "cannot be done from here"),
        ("instructor", "respond", {"item": "log"}, "cannot be done from here"),
        ("trainee", "confirm", {"item": "lunch"}, "no item 'lunch'"),
        ("trainee", "decide", {"item": "start-decision", "branch": "sing"}, "it has charge"),
        ("trainee", "hint", {"item": "log", "level": 1}, "no such hint"),
        ("trainee", "call", {"instrument": "clock", "judgement": "dead"}, "no instrument 'clock'"),
        ("trainee", "call", {"instrument": "battery_volts", "reading": float("nan"), "judgement": "within"}, "no figure"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_refused_and_the_run_goes_on(
    live: LiveRun, by: str, verb: str, args: dict[str, object], says: str
) -> None:
    before = list(live.aircraft.d)
    with pytest.raises((ActionRefused, LogError), match=says):
        live.act(by, verb, args)
    assert live.log == []
    assert live.aircraft.d == before


def test_a_hot_bus_is_hidden_until_it_was_called(live: LiveRun) -> None:
    view = View(live, ["control.meter_selector", "bus.main_hot.volts", "bus.start_hot.volts"])
    live.act("trainee", "set", {"control": "meter_selector", "to": "MAIN"})
    told = view.changes()
    assert told is not None
    assert told["quantities"] == {"control.meter_selector": "MAIN"}
    live.act("trainee", "call", {"instrument": "battery_volts", "reading": 25.0, "judgement": "within"})
    told = view.changes()
    assert told is not None
    assert told["quantities"] == {"bus.main_hot.volts": pytest.approx(25.0, abs=0.1)}
    assert view.whole()["quantities"] == {"control.meter_selector": "MAIN", **told["quantities"]}
