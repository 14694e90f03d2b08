"""What is sent adds up to what is there, and looking less often where nothing can change hides nothing."""

from __future__ import annotations

import contextlib
import json
from typing import Any

import pytest

from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.errors import ActionRefused, LogError
from lumenstat.runs.clock import Clock
from lumenstat.runs.live import LiveRun
from lumenstat.runs.seats import Seat
from lumenstat.runs.view import View, Views
from lumenstat.systems.registry import fault_targets
from lumenstat.web.pages.station import shown_quantities
from tests.flights import PERFECT
from tests.procedures import shipped
from tests.runs.conftest import Wall

FLOWN = ("frost-on-the-ramp", "apu-and-ground-power-away", "shutdown-to-dark")


def bundle(name: str) -> Bundle:
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


@pytest.mark.parametrize("name", FLOWN)
def test_deltas_add_up_and_a_quiet_run_hides_nothing(name: str) -> None:
    """One view is asked at every beat, the other only when it says; after every beat both know the same."""
    of, wall = bundle(name), Wall()
    live = LiveRun("r", of)
    live.clock = Clock(wall=wall)
    names = shown_quantities(of)
    always, seldom = View(live, names), View(live, names)
    known: list[dict[str, Any]] = [{"quantities": {}}, {"quantities": {}}]

    def look(number: int, frame: dict[str, Any] | None) -> None:
        if frame is not None:
            known[number]["quantities"] |= frame.pop("quantities", {})
            known[number] |= {key: value for key, value in frame.items() if key in ("clock", "card")}

    skipped = looked = 0
    events = PERFECT[name]()
    origin = wall.seconds
    look(0, always.changes())
    look(1, seldom.changes())
    for event in events[:-1]:
        while wall.seconds < origin + event.tick / 100 - 0.1:
            wall.seconds += 0.1
            if live.clock.now() < seldom.quiet_until:
                skipped += 1
                quiet = seldom.passing()
                assert quiet is None or set(quiet) == {"type", "t"}
                # The aircraft itself is not touched while a run is quiet, so neither is it for the other view.
                look(0, always.changes())
            else:
                looked += 1
                live.advance()
                look(0, always.changes())
                look(1, seldom.changes())
            assert known[0] == known[1], f"at {live.clock.now() / 100:.1f} s"
        wall.seconds = max(wall.seconds, origin + event.tick / 100)
        live.advance()
        live.act("trainee", event.verb, dict(event.args))
        look(0, always.changes())
        look(1, seldom.changes())
        assert known[0] == known[1]
    assert always.whole()["quantities"] == known[0]["quantities"]
    assert seldom.whole()["card"] == known[1]["card"]
    if name == "frost-on-the-ramp":
        assert skipped > 0.05 * looked, "in a dark aircraft, and on ground power, little moves"


def test_a_wait_that_ends_within_a_step_is_not_slept_through(frost: Bundle) -> None:
    """Nothing that is shown moves in a dark aircraft, but a wait is over at 10 s: until then it is looked at."""
    content = json.loads(frost.canonical_json)
    items = [
        item for checklist in content["checklists"] for section in checklist["sections"] for item in section["items"]
    ]
    wait = next(item for item in items if item["kind"] == "wait")
    quiet: dict[str, int] = {}
    for until in ("time > 10", "time > 100000"):
        wait["until"] = until
        of, wall = Bundle.from_canonical_json(json.dumps(content)), Wall()
        live = LiveRun("r", of)
        live.clock = Clock(wall=wall)
        live.act("trainee", "confirm", {"item": "log"})
        view = View(live, shown_quantities(of))
        for _ in range(60):
            wall.seconds += 0.1
            live.advance()
            view.changes()
        quiet[until] = view.quiet_until
    assert quiet["time > 100000"] > 1100
    assert quiet["time > 10"] <= 1001


def test_only_what_stands_on_the_page_is_sent() -> None:
    of = bundle("frost-on-the-ramp")
    names = shown_quantities(of)
    live = LiveRun("r", of)
    everything = set(live.aircraft.state())
    assert set(names) <= everything
    assert len(names) < 0.6 * len(everything)
    for hidden in ("battery.main.charge", "apu.phase", "inertial.left.position_error", "comparator.weak"):
        assert hidden not in names


def test_readings_are_sent_with_the_decimals_that_stand_on_the_page() -> None:
    of = bundle("full-cold-start")
    live = LiveRun("r", of)
    live.act("trainee", "set", {"control": "meter_selector", "to": "MAIN"})
    frame = View(live, shown_quantities(of)).changes()
    assert frame is not None
    decimals = of.airframe.instruments["battery_volts"].decimals
    reads = frame["quantities"]["instrument.battery_volts.reads"]
    assert reads == round(reads, decimals)
    for name, value in frame["quantities"].items():
        if isinstance(value, float) and name.startswith(("bus.", "contactor.")):
            assert value == round(value, 2), name


# ---- nothing that gives the answer away ------------------------------------------------------------------------------


def in_sight(of: Bundle) -> set[str]:
    """What somebody in that cockpit can see: where controls stand, what instruments and lamps show, what the crew do."""
    airframe = of.airframe
    seen = {f"control.{name}" for name in airframe.controls} | {f"guard.{name}" for name in airframe.controls}
    seen |= {f"instrument.{name}.reads" for name in airframe.instruments} | {f"lamp.{name}" for name in airframe.lamps}
    seen |= {f"bus.{panel.bus}.alive" for panel in airframe.panels}
    return seen | {f"service.{each.id}{end}" for each in airframe.services for end in ("", ".busy")}


@pytest.mark.parametrize("name", ["frost-another-morning", "start-with-faults", "full-start-on-battery"])
def test_an_examined_station_is_told_only_what_is_in_sight_whatever_goes_wrong(name: str, wall: Wall) -> None:
    """Every fault that the airframe knows, one after another, in an examined exercise."""
    of = shipped(name)
    assert of.exercise.assist == "examined"
    trainee, onlooker = (shown_quantities(of, flies) for flies in (True, False))
    assert set(trainee) <= in_sight(of) < set(onlooker) | in_sight(of)
    live = LiveRun("r", of)
    live.clock = Clock(wall=wall)
    views = Views(live, trainee, onlooker)
    told = set(views.trainee.changes()["quantities"])  # type: ignore[index]
    live.act("trainee", "set", {"control": "battery_main", "to": "ON"})
    for kind, targets in fault_targets(of.airframe).items():
        for target in targets:
            made = {"fault": f"{kind}-{target}".replace("_", "-"), "kind": kind, "target": target}
            with contextlib.suppress(ActionRefused, LogError):
                live.act("instructor", "fault", made)
            wall.seconds += 1
            live.advance()
            frame = views.trainee.changes() or {}
            told |= set(frame.get("quantities", {}))
            assert not frame.get("words"), "an examined one is told nothing"
    assert told <= in_sight(of)
    assert "words" not in views.trainee.whole()


def test_a_riser_is_an_exercises_to_show(frost: Bundle) -> None:
    for riser, assist, shown, afterwards in (
        (None, "coached", True, True), (None, "examined", False, True), ("always", "examined", True, True),
        ("after", "guided", False, True), ("never", "coached", False, False),
    ):  # fmt: skip
        exercise = frost.exercise.model_copy(update={"riser": riser, "assist": assist})
        assert (exercise.riser_while_flown, exercise.riser_afterwards) == (shown, afterwards)
    assert frost.digest == Bundle.from_canonical_json(frost.canonical_json).digest


def test_a_view_that_nobody_has_before_them_neither_tells_nor_keeps_the_others_busy(wall: Wall) -> None:
    """An examined run that its trainee alone looks at is quiet as soon as what the trainee sees is."""
    of = shipped("frost-another-morning")
    live = LiveRun("r", of)
    live.clock = Clock(wall=wall)
    views, seat = Views(live, shown_quantities(of, True), shown_quantities(of)), Seat(flies=True)
    live.act("trainee", "confirm", {"item": "log"})
    for _ in range(20):
        views.send([seat], View.changes)
        wall.seconds += 0.1
        live.advance()
    assert seat.queue.qsize() >= 1 and not views.onlookers.whole()["quantities"]
    assert views.quiet_until([seat]) == views.trainee.quiet_until > live.clock.now()
    assert views.quiet_until([]) == 0 == views.quiet_until([seat, Seat()])
