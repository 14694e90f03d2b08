"""A drill: the model flies to just before an item, the trainee flies it, and that alone is judged."""

from __future__ import annotations

import pytest
from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.moment import NOT_DONE, of_moment
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, RunLog
from lumenstat.errors import ModelError
from lumenstat.records.database import Database
from lumenstat.records.drills import Ready, drill_run_again, drills_of, keep_drill, next_moment, runs_of_drill
from lumenstat.records.exercises import keep_version
from lumenstat.records.runs import NewEvents, add_events, end_run, find_run, log_of
from lumenstat.records.statistics import missed_by, trend_of
from lumenstat.rehearsal.approach import Approach, approach
from lumenstat.runs.clock import Clock
from lumenstat.runs.judging import judge
from lumenstat.runs.live import DRILL_TICKS, DrillMoment, LiveRun
from lumenstat.runs.store import load
from tests.procedures import shipped
from tests.runs.conftest import Wall
from tests.school import flown, person

READ = {"instrument": "essential_volts", "judgement": "within"}


def begun(made: Approach, wall: Wall, events: tuple[LogEvent, ...] = ()) -> LiveRun:
    live = LiveRun("r", made.bundle, (*made.events, *events), made.tick, DrillMoment(made.item, made.tick))
    live.clock = Clock(wall=wall, tick=live.clock.tick)
    return live


@pytest.mark.parametrize("name", ["frost-on-the-ramp", "full-cold-start", "guided-power-up", "full-start-by-flows"])
def test_the_model_comes_to_every_item_that_it_flies(name: str) -> None:
    """Each approach begins before the item, after all that was done before it, and the item is open there."""
    bundle = shipped(name)
    for step in bundle.procedure.steps[:: max(1, len(bundle.procedure.steps) // 6)]:
        if step.branch is not None:
            continue
        made = approach(bundle, step.item.id)
        assert all(event.tick < made.tick for event in made.events)
        assert made.bundle.exercise.assist == "coached"


def test_an_item_that_is_not_there_is_said(frost: Bundle) -> None:
    with pytest.raises(ModelError, match="does not come to 'nothing'"):
        approach(frost, "nothing")


def test_the_clock_stands_until_the_first_act_and_the_run_ends_with_the_item(frost: Bundle, wall: Wall) -> None:
    made = approach(frost, "essential-volts")
    live = begun(made, wall)
    assert live.card.current is not None and live.card.current.id == "essential-volts"
    assert not live.clock.running and live.words == []
    wall.seconds += 60
    assert live.clock.now() == made.tick
    reads = live.aircraft.state()["instrument.essential_volts.reads"]
    live.act("trainee", "call", {**READ, "reading": reads})
    assert live.finished and live.log[-1].verb == "finish"


def test_an_act_for_something_else_does_not_end_it_and_it_ends_by_itself(frost: Bundle, wall: Wall) -> None:
    live = begun(approach(frost, "essential-volts"), wall)
    live.act("trainee", "set", {"control": "wipers", "to": "SLOW"})
    assert not live.finished and live.clock.running
    wall.seconds += DRILL_TICKS / 100 + 1
    live.advance()
    assert live.finished


def test_a_drill_that_is_opened_again_goes_on_where_it_was(frost: Bundle, wall: Wall) -> None:
    made = approach(frost, "essential-volts")
    live = begun(made, wall)
    live.act("trainee", "set", {"control": "wipers", "to": "SLOW"})
    again = LiveRun("r", made.bundle, live.log, live.clock.now(), DrillMoment(made.item, made.tick))
    assert again.clock.running and again.aircraft.state() == live.aircraft.state()
    assert again.last_tick == live.last_tick


def judged(made: Approach, *own: LogEvent):  # type: ignore[no-untyped-def]
    log = RunLog(made.bundle.exercise.id, made.bundle.digest, ENGINE_VERSION, (*made.events, *own))
    whole = score(made.bundle, log).ledger
    return of_moment(made.bundle, whole, made.item, made.tick / 100)


def at(made: Approach, seconds: float, verb: str, **args: object) -> LogEvent:
    return LogEvent(made.tick + round(100 * seconds), "trainee", verb, args)


def test_only_the_item_is_judged(frost: Bundle) -> None:
    made = approach(frost, "essential-volts")
    reads = LiveRun("r", made.bundle, made.events, made.tick, DrillMoment(made.item, made.tick)).aircraft.state()
    volts = reads["instrument.essential_volts.reads"]
    ledger = judged(made, at(made, 3, "call", **READ, reading=volts), at(made, 3, "finish"))
    assert [row.item for row in ledger.items] == ["essential-volts"]
    assert (ledger.outcome, ledger.percent, ledger.aims, ledger.ending) == ("pass", 100.0, (), None)


def test_a_wrong_answer_fails_it_and_nothing_done_is_said(frost: Bundle) -> None:
    made = approach(frost, "essential-volts")
    wrong = judged(made, at(made, 3, "call", instrument="essential_volts", judgement="dead"), at(made, 3, "finish"))
    assert wrong.outcome == "fail" and wrong.items[0].verdict == "wrong" and wrong.percent == 0.0
    nothing = judged(made, at(made, 3, "finish"))
    assert nothing.items[0].verdict == "omitted" and nothing.items[0].says in (NOT_DONE, "Never called out.")
    assert nothing.outcome == "fail" and nothing.items[0].possible > 0


def test_what_was_brought_in_the_moment_counts_and_what_was_before_does_not(frost: Bundle) -> None:
    made = approach(frost, "essential-volts")
    ledger = judged(made, at(made, 3, "set", control="wipers", to="SLOW"), at(made, 9, "finish"))
    assert [row.control for row in ledger.extras] == ["wipers"] and ledger.points.earned < 0


def kept(database: Database, made: Approach) -> str:
    def write(session: Session) -> str:
        keep_version(session, made.bundle)
        session.flush()
        ready = [Ready(made.bundle.digest, made.item, made.events, made.tick)] * 2
        return keep_drill(session, ines, person(database, "odile"), "Odile Marrash", ready, ENGINE_VERSION)

    ines = person(database, "ines")
    return database.write(write)


def test_it_is_stored_flown_judged_and_kept_out_of_the_statistics(database: Database, frost: Bundle) -> None:
    flown(database)
    ines, made = person(database, "ines"), approach(frost, "essential-volts")
    before = database.read(lambda s: (missed_by(s, ines), trend_of(s, ines)))
    drill = kept(database, made)
    first, second = database.read(lambda s: runs_of_drill(s, drill))
    stored = load(database, first.id)
    assert stored.drill == DrillMoment("essential-volts", made.tick) and len(stored.events) == len(made.events)
    own = [(at(made, 3, "call", instrument="essential_volts", judgement="dead"), None), (at(made, 3, "finish"), None)]
    database.write(lambda s: add_events(s, [NewEvents(first.id, len(made.events), own)]))
    text = database.read(lambda s: log_of(s, find_run(s, first.id)).text())
    content = made.bundle.canonical_json
    ledger, trace = judge(lambda *_: None, content, text, ("essential-volts", made.tick / 100))
    database.write(lambda s: end_run(s, first.id, ledger, trace))
    found = database.read(lambda s: find_run(s, first.id))
    assert (found.outcome, found.percent) == ("fail", 0.0)
    assert database.read(lambda s: (missed_by(s, ines), trend_of(s, ines))) == before
    assert database.read(lambda s: next_moment(s, found)) == second.id
    again = database.write(lambda s: drill_run_again(s, drill, first.id))
    assert load(database, again).drill == stored.drill and len(load(database, again).events) == len(made.events)
    assert database.write(lambda s: drill_run_again(s, drill, first.id)) == again, "what waits is gone on with"
    database.write(lambda s: end_run(s, second.id, ledger, trace))
    again = database.write(lambda s: drill_run_again(s, drill, second.id))
    assert database.read(lambda s: find_run(s, again).station) == second.station == 2


def test_what_nobody_began_of_an_earlier_drill_falls_away(database: Database, frost: Bundle) -> None:
    made = approach(frost, "essential-volts")
    first, second = kept(database, made), kept(database, made)
    assert database.read(lambda s: runs_of_drill(s, first)) == []
    assert len(database.read(lambda s: runs_of_drill(s, second))) == 2
    assert [d.id for d in database.read(lambda s: drills_of(s, person(database, "ines")))] == [second, first]
