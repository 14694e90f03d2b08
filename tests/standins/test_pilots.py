"""The demo's class in the air: started at different places, flown through a hub, each in their own way."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.runlog import LogEvent
from lumenstat.records.database import Database
from lumenstat.records.lessons import lessons_in_the_air, station_rows
from lumenstat.records.lists import RunFilter, find_runs
from lumenstat.records.runs import events_of, find_run
from lumenstat.runs.seats import Seat
from lumenstat.standins.pilots import LOST_SECONDS, MANNERS, STUCK_SECONDS, DemoClass, Manner, Pilot
from tests.loops import to_its_end


class FakeHub:
    """Answers like a hub whose time the test sets."""

    def __init__(self) -> None:
        self.t, self.frozen, self.finished = 0.0, False, False
        self.acts: list[tuple[str, dict[str, Any]]] = []
        self.seats: set[Seat] = set()

    async def tiles(self, run_ids: list[str]) -> list[dict[str, Any]]:
        return [{"t": self.t, "frozen": self.frozen, "finished": self.finished} for _ in run_ids]

    async def act(self, run_id: str, by: str, verb: str, args: dict[str, Any], client_id: str) -> dict[str, Any]:
        del run_id, by, client_id
        self.acts.append((verb, args))
        return {}

    async def join(self, run_id: str, seat: Seat) -> None:
        del run_id
        self.seats.add(seat)

    def leave(self, run_id: str, seat: Seat) -> None:
        del run_id
        self.seats.discard(seat)

    def linked(self, run_id: str) -> bool:
        del run_id
        return bool(self.seats)


@pytest.fixture
def hub() -> FakeHub:
    return FakeHub()


def pilot(**manner: Any) -> Pilot:
    events = [LogEvent(100 * n, "trainee", "confirm", {"item": f"i-{n}"}) for n in range(1, 400, 10)]
    return Pilot("run", Manner(0, 0.0, 0.0, **manner), events)


def after(standin: DemoClass, hub: FakeHub, each: Pilot, t: float) -> bool:
    hub.t = t
    return to_its_end(standin._moment(each))


def test_a_class_takes_off_with_everybody_at_a_place_of_their_own(database: Database, hub: FakeHub) -> None:
    standin = DemoClass(database, hub)
    try:
        pilots = standin._take_off()
    finally:
        standin.worker.close()
    ((lesson, count),) = database.read(lessons_in_the_air)
    assert count == len(MANNERS) == len(pilots)
    rows = database.read(lambda s: station_rows(s, lesson.id))
    assert len({row.digest for row in rows}) == 6, "and a start of their own"
    for each in pilots:
        run = database.read(lambda s, r=each.run_id: find_run(s, r))  # type: ignore[misc]
        assert run.state == "running" and run.tick == round(100 * each.manner.flown)
        flown = database.read(lambda s, r=each.run_id: events_of(s, r))  # type: ignore[misc]
        assert flown and each.events and flown[-1][0].tick <= run.tick < each.events[0].tick
    standin._clear_away()
    assert database.read(lessons_in_the_air) == [], "what was in the air when the demo stopped counts no more"
    assert database.read(lambda s: find_runs(s, RunFilter(standing="voided"))).total == 6


def test_a_pilot_acts_when_it_is_time_and_not_while_frozen(database: Database, hub: FakeHub) -> None:
    standin, each = DemoClass(database, hub), pilot()
    assert after(standin, hub, each, 12.0)
    assert [args["item"] for _, args in hub.acts] == ["i-1", "i-11"]
    hub.frozen = True
    assert after(standin, hub, each, 60.0)
    assert len(hub.acts) == 2
    hub.frozen, hub.finished = False, True
    assert not after(standin, hub, each, 60.0), "ended by the instructor: they leave"


def test_one_raises_a_hand_one_is_stuck_one_loses_the_link(database: Database, hub: FakeHub) -> None:
    standin = DemoClass(database, hub)
    after(standin, hub, pilot(hand_at=5), 6.0)
    assert ("hand", {"up": True}) in hub.acts
    stuck = pilot(stuck_at=20)
    hub.acts.clear()
    after(standin, hub, stuck, 100.0)
    assert hub.acts == []
    after(standin, hub, stuck, 20 + STUCK_SECONDS + 1)
    assert hub.acts, "and goes on afterwards"
    hub.seats.clear()
    lost = pilot(lost_at=30)
    after(standin, hub, lost, 29.0)
    assert hub.linked("run")
    after(standin, hub, lost, 31.0)
    assert not hub.linked("run")
    after(standin, hub, lost, 31 + LOST_SECONDS)
    assert hub.linked("run")
