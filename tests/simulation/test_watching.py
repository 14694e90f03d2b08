"""A watch goes back to what it had seen, whatever it has seen since."""

from __future__ import annotations

from lumenstat.simulation.actions import ready, set_control
from lumenstat.simulation.snapshot import Snapshot
from lumenstat.simulation.watching import Watch, WatchSnapshot
from tests.procedures import shipped


def test_going_back_and_forth_keeps_each_history() -> None:
    """An earlier moment, another past from there, and then the later moment again: its own flips and memory."""
    bundle = shipped("guided-power-up")
    aircraft = ready(bundle.airframe, bundle.exercise.start)
    watch = Watch(
        aircraft, ["bus.dc_essential.alive", "held(bus.dc_essential.alive, 5)", "peak(bus.dc_essential.volts) > 20"]
    )
    aircraft.watchers.append(watch)
    early = aircraft.snapshot(), watch.snapshot()
    aircraft.arrive(500)
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(2000)
    late = aircraft.snapshot(), watch.snapshot()
    seen, flags = [list(line.flips) for line in watch.timelines], watch.now()
    assert flags == (True, True, True)

    def back(to: tuple[Snapshot, WatchSnapshot]) -> None:
        aircraft.restore(to[0])
        watch.restore(to[1])

    back(early)
    assert [line.flips for line in watch.timelines] != seen
    for tick, position in ((100, "ON"), (700, "OFF"), (900, "ON"), (1200, "OFF")):
        aircraft.arrive(tick)
        set_control(aircraft, "battery_main", position)
    aircraft.arrive(3000)
    back(late)
    assert [line.flips for line in watch.timelines] == seen
    assert watch.now() == flags
    assert watch.timelines[0].first_true() == seen[0][-1][0]


def test_what_hangs_on_switches_alone_follows_them_at_once() -> None:
    """Such expressions are kept between switches; going back must not keep them."""
    bundle = shipped("guided-power-up")
    aircraft = ready(bundle.airframe, bundle.exercise.start)
    watch = Watch(aircraft, ['control.beacon == "ON"', "bus.dc_essential.volts > 20"])
    aircraft.watchers.append(watch)
    aircraft.arrive(100)
    kept, seen = aircraft.snapshot(), watch.snapshot()
    set_control(aircraft, "beacon", "ON")
    set_control(aircraft, "battery_main", "ON")
    aircraft.arrive(300)
    assert watch.now() == (True, True)
    aircraft.restore(kept)
    watch.restore(seen)
    assert watch.peek(aircraft.tick, aircraft.a) == (False, False)
    aircraft.arrive(400)
    assert watch.now() == (False, False)
    assert watch.timelines[0].flips == [(0, False)]
