"""The soak in short: each part of it once, against a server of its own."""

from __future__ import annotations

import re
from pathlib import Path
from shutil import copy

import pytest
from soak.beside import kill_beside_commands
from soak.fuzz import fuzz
from soak.kills import kill_often
from soak.load import flight_of, fly_all
from soak.picture import draw
from soak.school import Server, make_school
from soak.storm import break_links

from tests.loops import to_its_end


@pytest.fixture
def path(tmp_path: Path, demo_database: Path) -> Path:
    """A database that has the library already, which takes a second to read."""
    return Path(copy(demo_database, tmp_path / "school.sqlite"))


def test_five_hundred_links_that_break_in_mid_store_disturb_nobody(path: Path) -> None:
    stations, _ = make_school(path, 51)
    with Server(path) as server:
        server.start()
        found = to_its_end(break_links(server, stations, 500))
        assert (found["lost"], found["twice"], found["holes"]) == (0, 0, 0)
        assert found["acts_of_the_other"] > 20, "whoever stays goes on all the while"
        assert found["writer_alive"]
        assert server.end() < 12, "and the server ends when it is asked to"


@pytest.mark.parametrize("workers", [1, 2])
def test_kills_lose_nothing_that_was_acknowledged(path: Path, workers: int) -> None:
    stations, _ = make_school(path, 6)
    with Server(path, "--workers", str(workers)) as server:
        found = to_its_end(kill_often(server, stations, 4, seed=workers))
    assert (found["lost"], found["twice"], found["holes"]) == (0, 0, 0)
    assert found["acknowledged"] > 10


def test_no_command_beside_a_server_takes_what_it_stores(path: Path) -> None:
    stations, _ = make_school(path, 3)
    with Server(path) as server:
        found = to_its_end(kill_beside_commands(server, stations, 1))
    assert (found["lost"], found["twice"], found["holes"]) == (0, 0, 0)
    assert found["commands"] == 14 and found["acknowledged"] > 40
    # A run that nobody signed is nothing to verify, and an archive goes into an empty school only: said, and no harm.
    assert found["refused"] == {"verify " + stations[0].run_id: 1, "import " + str(path.parent / "school.zip"): 2}


def test_stations_fly_and_see_what_they_do(path: Path) -> None:
    stations, _ = make_school(path, 12)
    with Server(path, "--log-json") as server:
        server.start()
        found = to_its_end(fly_all(server, stations, flight_of("full-cold-start"), 6, pace=2.0))
        assert found["acts"] >= 60
        assert (found["refused"], found["links_lost"]) == (0, 0)
        assert found["kilobytes_a_second"] < 10
        assert '"says": "GET /health 200' in server.log.read_text()


def test_a_second_server_on_the_same_database_says_so(path: Path, tmp_path: Path) -> None:
    make_school(path, 1)
    with Server(path) as first, Server(path, log=tmp_path / "second.log") as second:
        first.start()
        with pytest.raises(RuntimeError, match="Another Lumenstat server is using"):
            second.start()
        assert second.process is not None
        assert second.process.returncode == 2
        assert first.health()["ok"] is True


def test_the_fuzzer_finds_no_error_of_the_servers_own() -> None:
    found = fuzz(1500, seed=3)
    assert found["first_wrong"] == []
    assert found["wrong"] == 0
    assert sum(found["answers"].values()) > 1200
    assert found["answers"]["422"] > 50, "it does send what is refused"


def test_the_picture_is_drawn_from_the_figures() -> None:
    row = {"stations": 20, "acknowledged_p99_ms": 30.0, "cores": 0.1, "late_ms": {"late_p99_ms": 4.0}}
    results = {
        "load": [{**row, "workers": n, "stations": s} for n in (1, 2) for s in (20, 50)],
        "kills": [{"kills": 3, "acknowledged": 1234, "lost": 0, "twice": 0}],
        "storm": [{"links_broken": 500, "lost": 0}],
        "fuzz": {"tries": 1500, "wrong": 0, "megabytes_grown": 1.5},
    }
    picture = draw(results)
    assert picture.count("<circle") == 12
    assert "3 kills with 1,234 acknowledged acts: 0 lost, 0 twice." in picture
    assert not re.search(r"nan|None", picture)
