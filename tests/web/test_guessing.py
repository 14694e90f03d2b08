"""Guessing passwords is slow for whoever guesses, and for nobody else."""

from __future__ import annotations

import resource
import threading
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from lumenstat.records import people
from lumenstat.records.database import Database
from lumenstat.web.guessing import PATIENCE, Guessing, HashingQueue, Patience, Try
from tests.web.conftest import Person, another


@pytest.fixture
def database(tmp_path: Path) -> Database:
    return Database(tmp_path / "db.sqlite")


def begin_often(guessing: Guessing, tried: Try, times: int) -> list[bool]:
    return [guessing.begin(tried) == 0 for _ in range(times)]


def test_a_pause_begins_after_the_free_tries_and_doubles_up_to_the_longest() -> None:
    patience = Patience(free=5, longest=900.0)
    assert [patience.pause(n).total_seconds() for n in range(4, 14)] == [0, 4, 8, 16, 32, 64, 128, 256, 512, 900]
    assert patience.pause(10_000) == timedelta(seconds=900)


def test_tries_are_slowed_by_name_and_address_together(database: Database) -> None:
    guessing = Guessing(database)
    guesser, victim = Try.at("ines", "10.0.0.9", None), Try.at("ines", "10.0.0.1", None)
    assert begin_often(guessing, guesser, 8) == [True] * 5 + [False] * 3
    assert guessing.begin(guesser) == pytest.approx(4, abs=0.5)
    assert guessing.begin(victim) == 0, "the person whose name is guessed at gets in from elsewhere"
    assert guessing.begin(Try.at("tobias", "10.0.0.9", None)) == 0, "and so does a neighbour of the guesser"


def test_a_known_browser_stays_let_in_behind_the_same_address(database: Database) -> None:
    guessing = Guessing(database)
    begin_often(guessing, Try.at("ines", "10.0.0.9", None), 30)
    assert guessing.begin(Try.at("ines", "10.0.0.9", "hash of a token")) == 0


def test_counts_outlive_a_restart(tmp_path: Path) -> None:
    for _ in range(2):
        database = Database(tmp_path / "db.sqlite")
        heard = begin_often(Guessing(database), Try.at("ines", "10.0.0.9", None), 6)
        database.close()
    assert heard == [False] * 6


def test_a_right_try_forgets_the_wrong_ones_of_the_pair_and_takes_itself_off_the_others(database: Database) -> None:
    guessing, tried = Guessing(database), Try.at("ines", "10.0.0.9", None)
    begin_often(guessing, tried, 3)
    guessing.right(tried)
    rows = database.read(lambda s: s.execute(text("SELECT key, count FROM sign_in_tries ORDER BY key")).all())
    assert [tuple(row) for row in rows] == [("address 10.0.0.9", 2), ("name ines", 2)]


def test_many_names_from_one_address_and_many_addresses_at_one_name_are_slowed_too(database: Database) -> None:
    guessing = Guessing(database)
    heard = [guessing.begin(Try.at(f"name-{n}", "10.0.0.9", None)) == 0 for n in range(70)]
    assert heard == [True] * PATIENCE["address"].free + [False] * 10
    heard = [guessing.begin(Try.at("ines", f"10.1.0.{n}", None)) == 0 for n in range(210)]
    assert heard == [True] * PATIENCE["name"].free + [False] * 10


def test_a_clock_set_back_makes_no_pause_longer(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    guessing, tried = Guessing(database), Try.at("ines", "10.0.0.9", None)
    begin_often(guessing, tried, 6)
    database.write(lambda s: s.execute(text("UPDATE sign_in_tries SET last = '2099-01-01 00:00:00'")) and None)
    assert guessing.begin(tried) <= 4


def test_sixty_guesses_at_once_are_counted_before_their_passwords_are_looked_at(
    app_client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """At most two passwords are hashed at a time, and only the free tries are hashed at all."""
    at_once, most, hashed = 0, 0, 0
    lock = threading.Lock()
    real = people.check_password

    def counted(*args: object) -> bool:
        nonlocal at_once, most, hashed
        with lock:
            at_once, hashed = at_once + 1, hashed + 1
            most = max(most, at_once)
        try:
            return real(*args)  # type: ignore[arg-type]
        finally:
            with lock:
                at_once -= 1

    monkeypatch.setattr("lumenstat.web.pages.sign_in.check_password", counted)
    guessers = [another(app_client) for _ in range(60)]
    with ThreadPoolExecutor(20) as pool:
        answers = Counter(pool.map(lambda person: person.sign_in("ines", "a wrong password"), guessers))
    assert hashed <= 5
    assert most <= 2
    assert answers[429] >= 55
    assert set(answers) <= {401, 429, 503}


def test_the_hashing_queue_turns_away_what_would_wait_too_long() -> None:
    queue = HashingQueue()
    inside, leave = threading.Barrier(3), threading.Event()

    def hold() -> None:
        with queue.turn() as turn:
            assert turn
            inside.wait(timeout=5)
            leave.wait(timeout=5)

    holders = [threading.Thread(target=hold) for _ in range(2)]
    for each in holders:
        each.start()
    inside.wait(timeout=5)
    waiting = [threading.Thread(target=lambda: queue.turn().__enter__()) for _ in range(12)]
    for each in waiting:
        each.start()
    while queue._places._value:
        pass
    with queue.turn() as turn:
        assert not turn, "the fifteenth is told at once"
    leave.set()
    for each in holders:
        each.join(timeout=5)


def test_five_wrong_tries_of_a_stranger_do_not_lock_a_known_browser_out(app_client: TestClient) -> None:
    ines = another(app_client)
    assert ines.sign_in("ines") == 303
    ines.client.post("/sign-out", data={"csrf": ines.token("/runs")})
    stranger = another(app_client)
    assert [stranger.sign_in("ines", "wrong password") for _ in range(7)] == [401] * 5 + [429] * 2
    assert ines.sign_in("ines") == 303


def test_signing_out_everywhere_ends_the_other_browsers(app_client: TestClient) -> None:
    one, other, odile = another(app_client), another(app_client), Person(app_client)
    assert (one.sign_in("ines"), other.sign_in("ines"), odile.sign_in("odile")) == (303, 303, 303)
    answer = one.client.post("/sign-out-everywhere", data={"csrf": one.token("/runs")}, follow_redirects=False)
    assert answer.status_code == 303
    assert [p.client.get("/runs", follow_redirects=False).status_code for p in (one, other, odile)] == [303, 303, 200]


def test_memory_stays_flat_over_many_guesses(app_client: TestClient) -> None:
    person = another(app_client)
    person.sign_in("ines", "wrong password")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for n in range(12):
        person.sign_in(f"nobody-{n}", "wrong password")
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000, "kilobytes"
