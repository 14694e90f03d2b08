"""Shipped exercises, flown by hand without a slip, earn everything; some slips that the model makes matter.

What its own perfect flights earn is asked in `tests/kept`.
"""

from __future__ import annotations

import pytest

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from tests.flights import HAND_FLOWN, PERFECT, about, inserted, log_of, without

EXERCISES = {path.stem: path for path in shipped_exercises()}


def judged(library: Library, name: str, events: list[LogEvent]) -> Ledger:
    bundle = library.bundle(EXERCISES[name])
    return score(bundle, log_of(bundle, sorted(events, key=lambda e: e.tick))).ledger


def at(each: LogEvent, seconds: float) -> LogEvent:
    return LogEvent(round(seconds * 100), each.by, each.verb, each.args)


@pytest.mark.parametrize("name", HAND_FLOWN)
def test_a_flight_by_hand_without_a_slip_scores_100(name: str, library: Library) -> None:
    ledger = judged(library, name, HAND_FLOWN[name]())
    slips = {row.item: row.says for row in ledger.items if row.verdict not in ("done", "not-applicable")}
    assert (ledger.outcome, ledger.percent, slips, ledger.limits) == ("pass", 100.0, {}, ())
    assert all(extra.effect in ("harmless", "undone") for extra in ledger.extras), ledger.extras


def test_with_an_open_loop_the_apu_items_do_not_apply_and_starting_it_holds(library: Library) -> None:
    ledger = judged(library, "apu-loop-open", PERFECT["apu-loop-open"]())
    left_out = {row.item for row in ledger.items if row.verdict == "not-applicable"}
    assert {"boost", "start", "ground-off"} <= left_out
    ledger = judged(library, "apu-loop-open", PERFECT["apu-and-ground-power-away"]())
    assert ledger.outcome in ("held", "fail")
    assert [(gate.kind, gate.id) for gate in ledger.gates] == [("item", "loops"), ("aim", "apu-off")]


def test_start_pressed_in_the_self_test_is_lost(library: Library) -> None:
    events = PERFECT["battery-and-apu"]()
    early = [at(e, e.tick / 100 - 9.5) if e.args.get("control") == "apu_start" else e for e in events]
    rows = {row.item: row for row in judged(library, "battery-and-apu", early).items}
    verdicts = {name: row.verdict for name, row in rows.items()}
    assert (verdicts["start"], rows["start"].earned) == ("wrong", 0)
    assert rows["start"].says.startswith("Start was pressed and nothing came of it: that press was lost.")
    assert rows["start"].says.endswith("after 'APU master'; at least 8 s have to pass.")
    assert verdicts["available"] == "wrong", "it was said to be available and was not going to be"


def test_batteries_before_the_door_leave_it_open(library: Library) -> None:
    events = PERFECT["shutdown-to-dark"]()
    main_off = next(e for e in events if e.args.get("control") == "battery_main")
    rest = without(events, about("set", control="battery_main"))
    ledger = judged(library, "shutdown-to-dark", inserted(rest, at(main_off, 100)))
    assert "door_left_open" in [limit.id for limit in ledger.limits]
    assert ledger.outcome in ("held", "fail")


def test_a_plug_pulled_under_load_is_a_hazard(library: Library) -> None:
    events = without(PERFECT["apu-and-ground-power-away"](), about("set", control="ground_power", to="OFF"))
    late = [at(e, 210) if e.verb == "finish" else e for e in events]
    ledger = judged(library, "apu-and-ground-power-away", late)
    assert "plug_out_under_load" in [gate.id for gate in ledger.gates]
