"""The demo school's past: the same each time, judged by the real judge, made once."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta

import pytest

from lumenstat.demo import DEMO_GROUPS
from lumenstat.records.database import Database
from lumenstat.records.lists import RunFilter, find_runs
from lumenstat.records.people import now
from lumenstat.records.sealing import signed_runs, verify
from lumenstat.runs.judging import JudgeDesk
from lumenstat.standins import history
from lumenstat.standins.history import DAYS, History, planned


def test_everybody_of_every_group_has_a_past_and_practises_too() -> None:
    runs = planned()
    assert runs == planned()
    assert {run.trainee for run in runs} == {name for _, _, members in DEMO_GROUPS for name in members}
    assert len(runs) > 60 and {run.days_ago for run in runs} == set(DAYS)
    assert 0.1 < Counter(run.practice for run in runs)[True] / len(runs) < 0.4
    early, late = ([run.slips for run in runs if run.days_ago == days] for days in (DAYS[0], DAYS[-1]))
    assert sum(early) / len(early) > sum(late) / len(late), "people get better"


def test_runs_are_flown_judged_signed_and_made_once(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    wanted = [
        next(run for run in planned() if run.days_ago == days and not run.practice) for days in (DAYS[0], DAYS[-1])
    ]
    monkeypatch.setattr(history, "planned", lambda: wanted)
    judges = JudgeDesk(database)
    judges.start()
    made = History(database, judges)
    try:
        made._run()
        made._run()
    finally:
        made.stop()
        judges.stop()
    found = database.read(lambda s: find_runs(s, RunFilter(sort="oldest")))
    assert found.total == 2
    for line, run in zip(found.rows, wanted, strict=True):
        assert line.exercise_id == run.exercise and line.outcome is not None and line.mode == "assessed"
        assert timedelta(days=run.days_ago - 1) < now() - line.created < timedelta(days=run.days_ago + 1)
    assert database.read(signed_runs) == [found.rows[0].id], "only what is some days old is signed"
    assert database.read(lambda s: verify(s, found.rows[0].id)).ok
