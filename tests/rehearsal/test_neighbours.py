"""Different starts for neighbours, and flights with slips: seeded, flyable, and judged as what they are."""

from __future__ import annotations

from itertools import pairwise

import pytest

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.exercise import Fault
from lumenstat.documents.runlog import RunLog, parse_log
from lumenstat.errors import ModelError
from lumenstat.rehearsal.neighbours import Range, neighbour
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.rehearsal.slips import flight_with_slips

FAULTS = tuple(
    Fault(id=f"n-{n}", kind=kind, target=target, at=60)
    for n, (kind, target) in enumerate(
        (("bulb_dead", "apu_available"), ("battery_weak", "start"), ("loop_open", "apu"))
    )
)
WIDE = Range(charge=(0.5, 0.9), celsius=(-20, 35), faults=FAULTS)


def test_neighbours_differ_within_the_range_and_the_model_can_fly_each(frost: Bundle) -> None:
    drawn = [neighbour(frost, WIDE, "seed", n) for n in range(6)]
    assert len({each.says for each in drawn}) > 4
    for each in drawn:
        start = each.bundle.exercise.start
        assert -20 <= start.outside_celsius <= 35
        assert all(0.5 <= charge <= 0.9 for charge in start.battery_charge.values())  # type: ignore[attr-defined]
        assert len(each.bundle.exercise.faults) == len(frost.exercise.faults) + 1
        assert each.bundle.exercise.faults[-1] in FAULTS
        assert each.bundle.digest != frost.digest and each.bundle.exercise.id == frost.exercise.id
        assert rehearse(neighbour(frost, Range(WIDE.charge, WIDE.celsius), "seed", 0).bundle).ok


def test_neighbours_have_different_starts_where_the_range_has_room_for_them(frost: Bundle) -> None:
    one_of_four, taken = Range(celsius=(-3, 0)), frozenset[str]()
    for number in range(4):
        digest = neighbour(frost, one_of_four, "seed", number, taken).bundle.digest
        assert digest not in taken, "four places and four temperatures: nobody sits beside a copy"
        taken |= {digest}
    assert neighbour(frost, one_of_four, "seed", 4, taken).bundle.digest in taken, "a fifth has to share"


def test_the_same_seed_draws_the_same_start(frost: Bundle) -> None:
    one, other = (neighbour(frost, WIDE, "seed", 3) for _ in range(2))
    assert one.bundle.digest == other.bundle.digest
    assert neighbour(frost, WIDE, "another", 3).bundle.digest != one.bundle.digest


def shipped(name: str) -> Bundle:
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


def test_a_weather_paper_follows_the_temperature() -> None:
    drawn = neighbour(shipped("full-cold-start"), Range(celsius=(-12, -8)), "seed", 0).bundle
    assert drawn.exercise.paper_values["weather.temperature"] == drawn.exercise.start.outside_celsius


def test_a_range_in_which_nothing_flies_is_told(frost: Bundle, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lumenstat.rehearsal.neighbours.flyable", lambda bundle: False)
    with pytest.raises(ModelError, match="choose a narrower range"):
        neighbour(frost, WIDE, "seed", 0)


def test_a_slower_hand_without_slips_makes_none(frost: Bundle) -> None:
    events = flight_with_slips(frost, "seed", 0, 0.4)
    log = parse_log(RunLog(frost.exercise.id, frost.digest, "test", events).text())
    ledger = score(frost, log).ledger
    assert [row.item for row in ledger.items if row.verdict not in ("done", "not-applicable")] == []
    assert ledger.time is not None and ledger.time.used > ledger.time.needed


@pytest.mark.parametrize("seed", range(6))
def test_slips_are_found_by_the_judge_and_are_the_same_for_the_same_seed(frost: Bundle, seed: int) -> None:
    events = flight_with_slips(frost, f"seed-{seed}", 4, 0.5)
    assert events == flight_with_slips(frost, f"seed-{seed}", 4, 0.5)
    assert all(one.tick <= other.tick for one, other in pairwise(events))
    ledger = score(frost, RunLog(frost.exercise.id, frost.digest, "test", events)).ledger
    assert ledger.percent < 100
