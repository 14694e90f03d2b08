"""What runs come to over time, held against an independent reader: correlations against scipy."""

from __future__ import annotations

import random
from datetime import timedelta

import pytest
from scipy import stats

from lumenstat.assessment.ledger import ItemRow, Ledger, Verdict
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.lessons import void_run
from lumenstat.records.people import now, trainees
from lumenstat.records.runs import create_run, find_run
from lumenstat.records.statistics import (
    LEAST_RUNS,
    ItemLine,
    class_of,
    correlation,
    items_of,
    missed_by,
    missed_in,
    slips_by,
    slips_in,
    trend_of,
)
from lumenstat.records.tallies import count_as
from tests.flights import EMPTY_LEDGER

ITEMS = ("log", "outside", "wipers", "gear")


def row(item: str, verdict: Verdict, earned: float, possible: float = 1.0, reached: bool = True) -> ItemRow:
    return ItemRow(item=item, verdict=verdict, at=1.0, earned=earned, possible=possible, says="", reached=reached)


def ledger(rows: list[ItemRow]) -> Ledger:
    earned, possible = sum(each.earned for each in rows), sum(each.possible for each in rows)
    percent = round(100 * earned / possible, 1)
    changes = {"items": tuple(rows), "percent": percent, "outcome": "pass" if percent >= 75 else "fail"}
    return Ledger.model_validate_json(EMPTY_LEDGER).model_copy(update=changes)


def flown(database: Database, trainee: int, rows: list[ItemRow], days_ago: int = 0, mode: str = "assessed") -> str:
    def write(session: object) -> str:
        digest = current_exercise(session, "frost-on-the-ramp").digest  # type: ignore[arg-type]
        run = create_run(session, digest, trainee, 2, "e")  # type: ignore[arg-type]
        run.state, run.mode, run.created = "ended", mode, now() - timedelta(days=days_ago)
        run.finished = run.created
        count_as(session, run, ledger(rows))  # type: ignore[arg-type]
        return run.id

    return database.write(write)


@pytest.fixture
def group(database: Database) -> list[int]:
    """The trainees of the first group, by number."""
    from lumenstat.records.groups import members_of

    return [person.id for person in database.read(lambda s: members_of(s, 1))]


def test_a_correlation_is_pearsons(database: Database) -> None:
    del database
    rng = random.Random(3)
    for n in (LEAST_RUNS, 9, 60):
        one = [float(rng.random() > 0.4) for _ in range(n)]
        other = [0.4 * each + rng.random() for each in one]
        if len(set(one)) > 1:
            assert correlation(one, other) == pytest.approx(stats.pointbiserialr(one, other).statistic, abs=1e-9)
    assert correlation([1.0] * 9, [0.1 * n for n in range(9)]) is None, "an item that nobody misses tells nothing"
    assert correlation([1.0, 0.0], [1.0, 0.0]) is None


def test_items_tell_strong_from_weak_as_an_independent_reader_says(database: Database, group: list[int]) -> None:
    rng, shares = random.Random(5), []
    for n in range(24):
        strength = rng.random()
        own = [float(rng.random() < strength) for _ in ITEMS[:3]] + [float(rng.random() < 0.5)]
        shares.append(own)
        rows = [row(item, "done" if each else "wrong", each) for item, each in zip(ITEMS, own, strict=True)]
        flown(database, group[n % len(group)], rows, days_ago=n)
    found = {line.item: line for line in database.read(lambda s: items_of(s, 1, "frost-on-the-ramp"))}
    for n, item in enumerate(ITEMS):
        rest = [(sum(own) - own[n]) / 3 for own in shares]
        expected = stats.pearsonr([own[n] for own in shares], rest).statistic
        assert found[item].tells == pytest.approx(expected, abs=1e-9)
        assert (found[item].times, found[item].missed) == (24, sum(own[n] < 1 for own in shares))
    shown = database.read(lambda s: items_of(s, 1, "frost-on-the-ramp"))
    assert [line.share for line in shown] == sorted((line.share for line in shown), reverse=True)


def test_a_person_misses_what_costs_them_most_often(database: Database, group: list[int]) -> None:
    person, other = group[0], group[1]
    flown(database, person, [row("log", "omitted", 0), row("wipers", "done", 1)], 3)
    flown(database, person, [row("log", "omitted", 0), row("wipers", "late", 0.5)], 2)
    flown(database, person, [row("log", "wrong", 0), row("gear", "omitted", 0, reached=False)], 1)
    voided = flown(database, person, [row("wipers", "omitted", 0)])
    database.write(lambda s: void_run(s, voided, "Odile", "Fire alarm in the building."))
    flown(database, other, [row("gear", "omitted", 0)])
    mine = database.read(lambda s: missed_by(s, person))
    assert [(each.item, each.missed, each.times, each.worst) for each in mine] == [
        ("log", 3, 3, "omitted"), ("wipers", 1, 2, "late"),
    ]  # fmt: skip
    assert {each.item for each in database.read(lambda s: missed_in(s, 1))} == {"log", "wipers", "gear"}
    assert [point.percent for point in database.read(lambda s: trend_of(s, person))] == [50.0, 25.0, 0.0]


def test_a_class_is_told_by_what_was_assessed(database: Database, group: list[int]) -> None:
    flown(database, group[0], [row("log", "done", 1)], 2)
    flown(database, group[0], [row("log", "wrong", 0)], 1)
    flown(database, group[0], [row("log", "wrong", 0)], 0, mode="practice")
    lines = {line.person_id: line for line in database.read(lambda s: class_of(s, 1))}
    assert len(lines) == 6
    mine = lines[group[0]]
    assert (mine.runs, mine.passed, mine.mean, mine.practice) == (2, 1, 50.0, 1)
    assert (lines[group[1]].runs, lines[group[1]].mean, lines[group[1]].last) == (0, None, None)
    assert {p.id for p in database.read(trainees)} > set(lines)


def test_an_override_counts_in_statistics_too(database: Database, group: list[int]) -> None:
    run = flown(database, group[0], [row("log", "omitted", 0), row("gear", "done", 1)])
    assert [each.item for each in database.read(lambda s: missed_by(s, group[0]))] == ["log"]
    counted = ledger([row("log", "done", 1), row("gear", "done", 1)])
    database.write(lambda s: count_as(s, find_run(s, run), counted))
    assert database.read(lambda s: missed_by(s, group[0])) == []


def test_kinds_of_slip_are_counted_over_everything_that_cost_points(database: Database, group: list[int]) -> None:
    one, two = group[:2]
    flown(database, one, [row("log", "omitted", 0.0), row("outside", "done", 1.0), row("wipers", "late", 0.5)])
    flown(database, one, [row("log", "omitted", 0.0), row("outside", "wrong", 0.0), row("wipers", "done", 1.0)])
    run = flown(database, two, [row("log", "late", 0.5), row("outside", "late", 0.5)])
    assert database.read(lambda s: slips_by(s, one)) == [("omitted", 2), ("late", 1), ("wrong", 1)]
    assert database.read(lambda s: slips_in(s, 1)) == [("late", 3), ("omitted", 2), ("wrong", 1)]
    database.write(lambda s: void_run(s, run, "x", "It did not count."))
    assert database.read(lambda s: slips_in(s, 1)) == database.read(lambda s: slips_by(s, one))


def test_an_item_that_nobody_came_to_was_missed_by_nobody() -> None:
    assert ItemLine("lights", times=0, missed=0, tells=None).share == 0.0
    assert ItemLine("lights", times=4, missed=1, tells=None).share == 0.25
