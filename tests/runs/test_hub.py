"""The hub: acts are kept whoever goes away, what is shown is what is there, and disks that fail take nothing with them."""

from __future__ import annotations

import asyncio
import contextlib
import json
import random
from typing import Any

import pytest

from lumenstat import ENGINE_VERSION
from lumenstat.errors import ActionRefused, StorageError, WorkerError
from lumenstat.records import runs as records
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.people import find_person
from lumenstat.runs.hosts import Hosts
from lumenstat.runs.hub import Hub
from lumenstat.runs.judging import JudgeDesk
from lumenstat.runs.live import LiveRun
from lumenstat.runs.seats import Seat
from lumenstat.runs.store import DatabaseStore, Kept
from lumenstat.web.pages.station import shown_quantities
from tests.flights import EMPTY_LEDGER
from tests.loops import to_its_end


def new_run(database: Database, exercise: str = "frost-on-the-ramp") -> str:
    def make(session: Any) -> str:
        ines, odile = find_person(session, "ines"), find_person(session, "odile")
        assert ines and odile
        return records.create_run(
            session, current_exercise(session, exercise).digest, ines.id, odile.id, ENGINE_VERSION
        ).id

    return database.write(make)


def kept(database: Database, run: str) -> list[tuple[str, str | None]]:
    return [(event.verb, client) for event, client in database.read(lambda s: records.events_of(s, run))]


def to(number: int) -> dict[str, str]:
    return {"control": "wipers", "to": "SLOW" if number % 2 else "OFF"}


async def merged(seat: Seat) -> dict[str, Any]:
    """What a page knows after all that has come."""
    known: dict[str, Any] = {"quantities": {}}
    while not seat.queue.empty():
        frame = json.loads(seat.queue.get_nowait())
        if frame.get("whole"):
            known = {"quantities": {}}
        known["quantities"] |= frame.pop("quantities", {})
        known |= frame
    return known


def test_acts_whose_sender_goes_away_are_kept_and_disturb_nobody(database: Database) -> None:
    """500 acts cut off at every moment: each is kept whole or not at all, the next one finds its number, nobody waits."""
    run = new_run(database)
    rng = random.Random(4)

    async def fly() -> list[dict[str, Any]]:
        hub = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities)
        await hub.start()
        acknowledged = []
        for number in range(500):
            act = asyncio.create_task(hub.act(run, "trainee", "set", to(number), f"c-{number}"))
            for _ in range(rng.randrange(6)):
                await asyncio.sleep(0)
            act.cancel()
            if number % 10 == 0:
                done = await asyncio.wait_for(hub.act(run, "trainee", "set", to(number), f"kept-{number}"), 10)
                acknowledged.append(done)
        await asyncio.wait_for(hub.act(run, "trainee", "set", to(0), "last"), 10)
        await hub.stop()
        return acknowledged

    acknowledged = to_its_end(fly())
    clients = [client for _, client in kept(database, run)]
    assert len(clients) == len(set(clients))
    assert clients[-1] == "last"
    assert {client for client in clients if client and client.startswith("kept")} == {
        f"kept-{n}" for n in range(0, 500, 10)
    }
    assert [clients[done["number"]] for done in acknowledged] == [f"kept-{n}" for n in range(0, 500, 10)]
    assert database.writer.failed is None


def test_an_act_that_was_sent_again_after_its_link_broke_happens_once(database: Database) -> None:
    run = new_run(database)

    async def fly() -> None:
        hub = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities)
        await hub.act(run, "trainee", "set", to(1), "begin")
        for number in range(12):
            first = asyncio.create_task(hub.act(run, "trainee", "set", to(number), f"c-{number}"))
            for _ in range(number):
                await asyncio.sleep(0)
            first.cancel()
            again = await asyncio.gather(*(hub.act(run, "trainee", "set", to(number), f"c-{number}") for _ in range(3)))
            assert again[0] == again[1] == again[2]
        await hub.stop()

    to_its_end(fly())
    assert kept(database, run) == [("set", "begin"), *(("set", f"c-{number}") for number in range(12))]


class Failing(DatabaseStore):
    """A disk that can be made to fail."""

    fails = False
    tries = 0

    async def add(self, run_id: str, first: int, events: Kept) -> None:
        self.tries += 1
        if self.fails:
            raise StorageError("The disk is full.")
        await super().add(run_id, first, events)


def test_an_act_that_cannot_be_stored_did_not_happen(database: Database) -> None:
    run = new_run(database)

    async def fly() -> tuple[dict[str, Any], dict[str, Any]]:
        store = Failing(database, JudgeDesk(database))
        hub, seat = Hub(store, shown_quantities), Seat()
        await hub.start()
        await hub.join(run, seat)
        await hub.act(run, "trainee", "set", to(1), "one")
        store.fails = True
        with pytest.raises(StorageError, match="disk is full"):
            await hub.act(run, "trainee", "set", {"control": "battery_main", "to": "ON"}, "two")
        without = await merged(seat)
        store.fails = False
        await hub.act(run, "trainee", "set", {"control": "battery_main", "to": "ON"}, "two")
        with_it = await merged(seat)
        await hub.stop()
        return without, with_it

    without, with_it = to_its_end(fly())
    assert without["quantities"]["control.wipers"] == "SLOW"
    assert without["quantities"]["control.battery_main"] == "OFF"
    assert with_it["quantities"]["control.battery_main"] == "ON"
    assert kept(database, run) == [("set", "one"), ("set", "two")]


def test_an_end_that_cannot_be_stored_comes_again_and_not_ten_times_a_second(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = new_run(database)
    monkeypatch.setattr("lumenstat.runs.hub.RETRY_SECONDS", 0.8)

    async def fly() -> int:
        store = Failing(database, JudgeDesk(database))
        hub = Hub(store, shown_quantities)
        await hub.start()
        await hub.join(run, Seat())
        await hub.act(run, "trainee", "set", to(1), "one")
        monkeypatch.setattr(LiveRun, "last_tick", property(lambda live: 20, lambda live, tick: None), raising=False)
        del hub.open_runs[run].live.__dict__["last_tick"]
        store.fails, store.tries = True, 0
        await asyncio.sleep(1.5)
        tries = store.tries
        store.fails = False
        for _ in range(60):
            await asyncio.sleep(0.1)
            if kept(database, run)[-1][0] == "finish":
                break
        await hub.stop()
        return tries

    assert 2 <= to_its_end(fly()) <= 3
    assert [verb for verb, _ in kept(database, run)] == ["set", "finish"]
    assert database.read(records.awaiting_verdict) == [run]


def test_one_act_that_cannot_be_kept_spoils_none_that_is_kept_with_it(database: Database) -> None:
    runs = [new_run(database) for _ in range(4)]
    database.write(lambda s: records.end_run(s, runs[2], EMPTY_LEDGER, "{}"))

    async def keep() -> list[Any]:
        store = DatabaseStore(database, JudgeDesk(database))
        from tests.flights import event

        adds = [store.add(run, 0, [(event(1, "confirm", item="log"), "c")]) for run in runs]
        return await asyncio.gather(*adds, return_exceptions=True)

    results = to_its_end(keep())
    assert [type(each).__name__ for each in results] == ["NoneType", "NoneType", "RecordError", "NoneType"]
    assert [len(kept(database, run)) for run in runs] == [1, 1, 0, 1]


def test_what_was_flown_is_restored_with_its_time_and_its_viewers_know_all(database: Database) -> None:
    run = new_run(database)

    async def fly(acts: int) -> dict[str, Any]:
        hub, seat = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities), Seat()
        await hub.start()
        await hub.join(run, seat)
        for number in range(acts):
            await hub.act(run, "trainee", "set", to(number + 1), f"{acts}-{number}")
        await asyncio.sleep(0.3)
        known = await merged(seat)
        await hub.stop()
        return known

    before, after = to_its_end(fly(6)), to_its_end(fly(0))
    assert after["clock"]["running"] is True
    assert after["card"] == before["card"]
    figures = {name for name, value in after["quantities"].items() if isinstance(value, float)}
    assert {n: v for n, v in after["quantities"].items() if n not in figures} == {
        n: v for n, v in before["quantities"].items() if n not in figures
    }


def test_a_run_that_has_ended_is_not_opened(database: Database) -> None:
    run = new_run(database)
    database.write(lambda s: records.end_run(s, run, EMPTY_LEDGER, "{}"))

    async def join() -> None:
        hub = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities)
        await hub.join(run, Seat())

    with pytest.raises(ActionRefused, match="has ended"):
        to_its_end(join())


def test_beats_do_not_drift(database: Database) -> None:
    async def beat() -> tuple[int, float]:
        hub = Hub(DatabaseStore(database, JudgeDesk(database)), shown_quantities)
        await hub.start()
        await asyncio.sleep(0.35)
        import time

        time.sleep(0.25)  # something holds everything up
        await asyncio.sleep(1.05)
        await hub.stop()
        return hub.beats, max(hub.lateness)

    beats, late = to_its_end(beat())
    assert 12 <= beats <= 16, "a beat that was missed is left out; the others keep their time"
    assert late > 0.1


def test_whoever_asks_between_two_processes_is_told_at_once(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is sent while nobody is there to read it must not be waited for."""
    run = new_run(database)

    async def ask() -> None:
        hosts = Hosts(DatabaseStore(database, JudgeDesk(database)), shown_quantities, database.path, 1)
        await hosts.start()
        begin, may_begin = hosts._begin, asyncio.Event()

        async def begin_later(host: Any) -> None:
            await may_begin.wait()
            await begin(host)

        monkeypatch.setattr(hosts, "_begin", begin_later)
        hosts._hosts[0].process.kill()
        while hosts.replaced < 1:
            await asyncio.sleep(0.01)
        with pytest.raises(WorkerError, match="comes back by itself"):
            await asyncio.wait_for(hosts.join(run, Seat()), 5)
        may_begin.set()
        for _ in range(200):
            with contextlib.suppress(WorkerError):
                await hosts.join(run, Seat())
                break
            await asyncio.sleep(0.05)
        assert (await hosts.act(run, "trainee", "set", to(1), "c-0"))["number"] == 0
        await hosts.stop()

    to_its_end(ask())


def test_runs_in_processes_of_their_own_answer_alike_and_come_back_when_one_dies(database: Database) -> None:
    runs = [new_run(database) for _ in range(4)]

    async def fly() -> tuple[list[dict[str, Any]], int]:
        hosts = Hosts(DatabaseStore(database, JudgeDesk(database)), shown_quantities, database.path, 2)
        await hosts.start()
        seats = {run: (Seat(), Seat()) for run in runs}
        for run, pair in seats.items():
            for seat in pair:
                await hosts.join(run, seat)
            for number in range(3):
                done = await hosts.act(run, "trainee", "set", to(number + 1), f"c-{number}")
                assert done["number"] == number
            with pytest.raises(ActionRefused, match="no control 'warp'"):
                await hosts.act(run, "trainee", "set", {"control": "warp", "to": "ON"}, "bad")
            await hosts.open_item(run, "start-switches")
        await asyncio.sleep(0.4)
        for first, second in seats.values():
            one, other = await merged(first), await merged(second)
            assert one["quantities"]["control.wipers"] == other["quantities"]["control.wipers"] == "SLOW"
            assert one["card"]["current"] == "start-switches"
        for host in hosts._hosts:
            host.process.kill()
        while hosts.replaced < 2:
            await asyncio.sleep(0.05)
        assert all(seat.lost for pair in seats.values() for seat in pair)
        back = []
        for run in runs:
            seat = Seat()
            for _ in range(100):
                try:
                    await hosts.join(run, seat)
                    break
                except Exception:
                    await asyncio.sleep(0.1)
            assert (await hosts.act(run, "trainee", "set", to(2), "c-3"))["number"] == 3
            await asyncio.sleep(0.2)
            back.append(await merged(seat))
        hosts.judged(runs[0], "")
        await asyncio.sleep(0.2)
        await hosts.stop()
        return back, hosts.replaced

    back, replaced = to_its_end(fly())
    assert replaced == 2
    assert [each["quantities"]["control.wipers"] for each in back] == ["OFF"] * 4
    assert all(len(kept(database, run)) == 4 for run in runs)
