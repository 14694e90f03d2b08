"""Runs that wait for a verdict: judged in turn, taken up after a restart, tried again when a judge dies."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.people import find_person
from lumenstat.records.runs import NewEvents, add_events, awaiting_verdict, create_run, find_run
from lumenstat.runs import judging
from lumenstat.runs.judging import JudgeDesk
from tests.flights import perfect_frost
from tests.runs import jobs


def flown(database: Database, finished: bool = True) -> str:
    def make(session: object) -> str:
        ines, odile = find_person(session, "ines"), find_person(session, "odile")  # type: ignore[arg-type]
        assert ines and odile
        digest = current_exercise(session, "frost-on-the-ramp").digest  # type: ignore[arg-type]
        run = create_run(session, digest, ines.id, odile.id, ENGINE_VERSION)  # type: ignore[arg-type]
        events = perfect_frost() if finished else perfect_frost()[:-1]
        add_events(session, [NewEvents(run.id, 0, [(event, None) for event in events])])  # type: ignore[arg-type]
        return run.id

    return database.write(make)


def wait(desk: JudgeDesk, seconds: float = 60) -> None:
    until = time.monotonic() + seconds
    while desk.waiting and time.monotonic() < until:
        time.sleep(0.02)
    assert not desk.waiting


def test_what_waited_when_the_server_stopped_is_judged_when_it_starts(database: Database) -> None:
    runs, flying = [flown(database), flown(database)], flown(database, finished=False)
    assert database.read(awaiting_verdict) == runs
    told: list[tuple[str, str]] = []
    desk = JudgeDesk(database)
    desk.on_judged = lambda run_id, says: told.append((run_id, says))
    desk.start()
    wait(desk)
    desk.stop()
    assert told == [(run, "") for run in runs]
    states = database.read(lambda s: [find_run(s, run).state for run in (*runs, flying)])
    assert states == ["ended", "ended", "running"]
    assert database.read(awaiting_verdict) == []


def test_a_run_whose_judge_dies_is_judged_again(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = flown(database)
    monkeypatch.setattr(judging, "judge", _dying_once(tmp_path / "mark"))
    desk = JudgeDesk(database)
    desk.start()
    wait(desk)
    desk.stop()
    assert desk.worker.replaced == 1
    assert '"percent":100.0' in (database.read(lambda s: find_run(s, run)).ledger or "")


class _dying_once:
    """A judge that dies at its first run."""

    def __init__(self, mark: Path) -> None:
        self.mark = mark

    def __call__(self, progress: object, *asked: object) -> object:
        return jobs.die_once(progress, self.mark, *asked)


def test_a_run_that_no_judge_gets_through_says_so_and_can_be_tried_again(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    run, other = flown(database), flown(database)
    real, told = judging.judge, []
    monkeypatch.setattr(judging, "judge", _always_dying())
    desk = JudgeDesk(database)
    desk.on_judged = lambda run_id, says: told.append((run_id, says))
    desk.start()
    wait(desk)
    assert told == [
        (each, "This run could not be judged: The process that was at it ended unexpectedly.") for each in (run, other)
    ]
    assert desk.worker.replaced == 4, "each was tried twice"
    assert database.read(awaiting_verdict) == [], "neither is tried for ever"
    monkeypatch.setattr(judging, "judge", real)
    desk.again(run)
    wait(desk)
    desk.stop()
    assert told[-1] == (run, "")
    assert database.read(lambda s: find_run(s, run)).not_judged is None


class _always_dying:
    """A judge that always dies."""

    def __call__(self, progress: object, *_: object) -> None:
        jobs.die(progress)


def test_how_far_the_judging_is(database: Database, frost: Bundle) -> None:
    runs = [flown(database) for _ in range(3)]
    desk = JudgeDesk(database)
    for run in runs:
        desk.add(run)
        desk.add(run)
    assert desk.waiting == 3
    assert [desk.standing(run).before for run in runs] == [0, 1, 2]  # type: ignore[union-attr]
    assert desk.standing("nobody") is None
    desk._note(runs[0], "flying again", 3, 9)
    found = desk.standing(runs[0])
    assert found is not None
    assert (found.doing, found.done, found.of) == ("flying again", 3, 9)
