"""Every kind of fault, flown: what it does to the aircraft."""

from __future__ import annotations

from typing import Any, get_args

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Fault, FaultKind, Start
from lumenstat.simulation.actions import press, request, set_control
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.apu.part import Apu, ApuSection
from lumenstat.systems.electrical.ac_sources import AcSection


def aircraft(bundle: Bundle, *faults: dict[str, Any], **start: Any) -> Aircraft:
    usual: dict[str, Any] = {
        "battery_charge": {"main": 0.8, "start": 0.8},
        "outside_celsius": 8.0,
        "controls": {},
        "carts": {"ground": ({"name": "Cart", "volts": 115, "hertz": 400},)},
    }
    changed = Start.model_validate(bundle.exercise.start.model_dump() | usual | start)
    made = tuple(Fault.model_validate({"id": f"f{n}", "at": 0, **fault}) for n, fault in enumerate(faults))
    return Aircraft(bundle.airframe, changed, made)


def on_battery(a: Aircraft) -> Aircraft:
    set_control(a, "battery_main", "ON")
    set_control(a, "battery_start", "AUTO")
    a.arrive(a.tick + 700)
    return a


def on_ground_power(a: Aircraft) -> Aircraft:
    on_battery(a)
    request(a, "ground_power", "connect")
    a.arrive(a.tick + 7800)
    set_control(a, "ground_power", "FEED")
    a.arrive(a.tick + 100)
    return a


def apu_start(a: Aircraft, seconds: float = 60) -> dict[str, Any]:
    """Start the APU; gives the state afterwards with its peak temperature and lowest starter volts."""
    for name in ("apu_boost", "apu_master", "apu_generator"):
        set_control(a, name, "ON")
    a.arrive(a.tick + 900)
    press(a, "apu_start", True)
    press(a, "apu_start", False)
    peak, low = 0.0, 99.0
    end = a.tick + round(seconds * 100)
    while a.tick < end:
        a.arrive(a.tick + 20)
        slots = a.plan.a.numbers
        peak = max(peak, a.a[slots["apu.exhaust"]])
        low = min(low, a.a[slots["bus.start_hot.volts"]])
    return a.state() | {"peak": peak, "low": low}


def test_a_good_start(frost: Bundle) -> None:
    state = apu_start(on_battery(aircraft(frost)))
    assert state["apu.phase"] == "running"
    assert state["bus.ac_left.fed_by"] == state["bus.ac_right.fed_by"] == "apu_generator"
    assert 400 < state["peak"] < 620


def test_a_weak_battery_makes_a_slower_and_hotter_start_and_a_very_weak_one_none(frost: Bundle) -> None:
    weak = [{"kind": "battery_weak", "target": "start", "amount": amount} for amount in (1.0, 2.0, 2.8)]
    starts = [apu_start(on_battery(aircraft(frost, fault))) for fault in weak]
    assert [s["apu.phase"] for s in starts] == ["running"] * 3
    assert starts[0]["peak"] < starts[1]["peak"] < starts[2]["peak"]
    assert starts[0]["low"] > starts[1]["low"] > starts[2]["low"]
    dead = apu_start(on_battery(aircraft(frost, {"kind": "battery_weak", "target": "start", "amount": 5.0})), 10)
    assert dead["apu.trouble"] == "low volts"


def test_a_battery_with_shorted_cells_takes_ever_more_and_gets_hot_until_it_is_off_line(frost: Bundle) -> None:
    def on_charge(*faults: dict[str, Any]) -> Any:
        a = on_ground_power(aircraft(frost, *faults, battery_charge={"main": 0.8, "start": 0.75}))
        set_control(a, "battery_start", "AUTO")
        return a

    bad, good = on_charge({"kind": "battery_hot", "target": "start"}), on_charge()
    early, late = [], []
    for a in (bad, good):
        a.arrive(a.tick + 6000)
        early.append(a.state()["battery.start.amps"])
        a.arrive(a.tick + 60_000)
        late.append(a.state()["battery.start.amps"])
    assert late[0] > early[0], "it rises where a good one tapers"
    assert late[1] < early[1]
    assert late[1] < 0.5 * late[0]
    assert bad.state()["lamp.start_hot"] is True
    assert good.state()["lamp.start_hot"] is False
    hottest = bad.state()["battery.start.celsius"]
    set_control(bad, "battery_start", "OFF")
    bad.arrive(bad.tick + 60_000)
    assert bad.state()["battery.start.celsius"] < hottest


def test_a_failed_limiter_lets_the_battery_take_more_than_its_limit(frost: Bundle) -> None:
    charge = {"battery_charge": {"main": 0.8, "start": 0.1}}
    good = on_ground_power(aircraft(frost, **charge)).state()["contactor.start_battery.amps"]
    failed = {"kind": "limiter_failed", "target": "start_battery"}
    bad: dict[str, Any] = dict(on_ground_power(aircraft(frost, failed, **charge)).state())
    assert good == pytest.approx(60.0)
    assert bad["contactor.start_battery.amps"] > 90


def test_a_limiter_that_fails_while_it_limits_lets_go_and_holds_again_once_it_is_mended(frost: Bundle) -> None:
    failed = {"kind": "limiter_failed", "target": "start_battery", "at": 100}
    a = on_ground_power(aircraft(frost, failed, battery_charge={"main": 0.8, "start": 0.1}))
    amps = []
    for seconds in (99, 101, 102):
        a.arrive(100 * seconds)
        amps.append(a.a[a.plan.a["contactor.start_battery.amps"]])
        if seconds == 101:
            a.faults.clear(0)
            a.touched()
    assert amps == [pytest.approx(60.0), pytest.approx(104.6, abs=15), pytest.approx(60.0)]


def test_a_leaking_diode_feeds_back(frost: Bundle) -> None:
    def service_only(*faults: dict[str, Any]) -> Any:
        a = aircraft(frost, *faults)
        request(a, "ground_power", "connect")
        a.arrive(7800)
        set_control(a, "ground_service", "ON")
        a.arrive(8000)
        return a.state()["diode.service_diode.amps"]

    assert service_only() == 0.0
    assert service_only({"kind": "diode_leaks", "target": "service_diode"}) < -0.5


def test_a_contactor_that_stays_open(frost: Bundle) -> None:
    a = on_battery(aircraft(frost, {"kind": "contactor_stuck_open", "target": "main_battery"}))
    assert a.state()["bus.dc_essential.alive"] is False


def test_a_supply_that_drifts_lets_go_and_one_that_comes_back_is_ready_again(frost: Bundle) -> None:
    fault = {"kind": "supply_out_of_tolerance", "target": "ground", "at": 120, "clear_at": 150}
    a = on_ground_power(aircraft(frost, fault))
    assert a.state()["bus.ac_left.alive"] is True
    a.arrive(12_100)
    assert a.state()["lamp.ground_ready"] is False
    assert a.state()["bus.ac_left.alive"] is False
    a.arrive(15_600)
    assert a.state()["bus.ac_left.alive"] is True


def test_a_supply_that_drops_out_leaves_the_plug_dead(frost: Bundle) -> None:
    a = on_ground_power(aircraft(frost, {"kind": "supply_lost", "target": "ground", "at": 120}))
    a.arrive(12_100)
    assert a.state()["bus.plug.alive"] is False
    assert a.state()["bus.dc_essential.alive"] is True, "the main battery carries it"


def test_a_failed_rectifier_leaves_its_bus_to_the_tie_or_dark(frost: Bundle) -> None:
    state = on_ground_power(aircraft(frost, {"kind": "rectifier_failed", "target": "rectifier_right"})).state()
    assert state["bus.ac_right.alive"] is True
    assert state["rectifier.rectifier_right.amps"] == 0.0


def test_a_failed_generator_is_not_taken(frost: Bundle) -> None:
    state = apu_start(on_battery(aircraft(frost, {"kind": "generator_failed", "target": "apu_generator"})))
    assert state["apu.available"] is True
    assert state["bus.ac_right.alive"] is False


@pytest.mark.parametrize(
    ("kind", "trouble"),
    [("apu_no_light", "hung"), ("apu_hung", "hot"), ("apu_fire", "fire"), ("apu_no_oil", "low oil pressure")],
)
def test_an_apu_that_shuts_itself_down(frost: Bundle, kind: str, trouble: str) -> None:
    state = apu_start(on_battery(aircraft(frost, {"kind": kind, "target": "apu"})), 75)
    assert state["apu.trouble"] == trouble
    assert state["lamp.apu_trouble"] is True
    assert state["apu.available"] is False


def test_an_apu_out_of_order_does_nothing_and_a_stuck_door_keeps_start_lost(frost: Bundle) -> None:
    assert (
        apu_start(on_battery(aircraft(frost, {"kind": "apu_out_of_order", "target": "apu"})), 5)["apu.phase"] == "off"
    )
    stuck = apu_start(on_battery(aircraft(frost, {"kind": "apu_door_stuck", "target": "apu"})), 5)
    assert (stuck["apu.phase"], stuck["apu.speed"]) == ("testing", 0.0)


def test_an_open_loop_shows_in_the_test_and_as_a_fault(frost: Bundle) -> None:
    a = on_battery(aircraft(frost, {"kind": "loop_open", "target": "apu_b"}))
    assert a.state()["lamp.loop_fault"] is False, "nothing tells before it is asked"
    press(a, "fire_test", True)
    assert a.state()["lamp.apu_fire"] is False
    press(a, "fire_test", False)
    assert a.state()["lamp.loop_fault"] is True


def test_a_dead_bulb_stays_dark_in_the_lamp_test(frost: Bundle) -> None:
    a = on_battery(aircraft(frost, {"kind": "bulb_dead", "target": "gear_left"}))
    press(a, "lamp_test", True)
    assert a.state()["lamp.gear_left"] is False
    assert a.state()["lamp.gear_right"] is True


def test_without_the_fuel_pump_the_apu_gives_up(frost: Bundle) -> None:
    fault = {"kind": "fuel_pump_failed", "target": "apu_boost", "at": None, "when": 'apu.phase == "starting"'}
    state = apu_start(on_battery(aircraft(frost, fault)), 70)
    assert state["apu.trouble"] == "no fuel pressure"


def test_a_dead_display_reads_nothing(frost: Bundle) -> None:
    a = on_battery(aircraft(frost, {"kind": "display_dead", "target": "essential_volts"}))
    assert a.state()["instrument.essential_volts.reads"] is None


def test_a_hydraulic_pump_that_runs_by_itself(frost: Bundle) -> None:
    a = on_ground_power(aircraft(frost, {"kind": "hydraulic_pump_runs", "target": "electric"}))
    a.arrive(a.tick + 2000)
    assert a.state()["hydraulic.aft.psi"] == pytest.approx(2950, abs=200)


def test_every_kind_of_fault_is_flown_here() -> None:
    from pathlib import Path

    folders = Path(__file__).parent, Path(__file__).parents[1] / "systems"
    text = "".join(path.read_text() for folder in folders for path in folder.glob("test_*.py"))
    missing = [kind for kind in get_args(FaultKind) if f'"{kind}"' not in text]
    assert missing == []


def test_start_in_the_self_test_is_lost_without_a_word(frost: Bundle) -> None:
    a = on_battery(aircraft(frost))
    set_control(a, "apu_boost", "ON")
    set_control(a, "apu_master", "ON")
    a.arrive(a.tick + 200)
    press(a, "apu_start", True)
    a.arrive(a.tick + 1000)
    assert a.state()["apu.phase"] == "ready", "held in through the self-test it is lost too"
    press(a, "apu_start", False)
    press(a, "apu_start", True)
    assert a.state()["apu.phase"] == "starting"


def test_off_cools_down_with_the_generator_on_line_and_the_door_needs_power(frost: Bundle) -> None:
    a = on_battery(aircraft(frost))
    apu_start(a)
    set_control(a, "apu_master", "OFF")
    a.arrive(a.tick + 4000)
    assert a.state()["apu.phase"] == "cooling"
    assert a.state()["bus.ac_right.fed_by"] == "apu_generator"
    a.arrive(a.tick + 1000)
    assert a.state()["apu.phase"] == "stopping"
    assert a.state()["bus.ac_right.alive"] is False
    set_control(a, "battery_main", "OFF")
    a.arrive(a.tick + 20_000)
    assert a.state()["apu.door"] != "closed"
    set_control(a, "battery_main", "ON")
    a.arrive(a.tick + 1500)
    assert a.state()["apu.door"] == "closed"


def test_the_starter_rests_between_two_tries(frost: Bundle) -> None:
    """Ninety seconds by this airframe; a press before that is lost like one in the self-test."""

    def push(a: Aircraft) -> Any:
        press(a, "apu_start", True)
        press(a, "apu_start", False)
        return a.state()["apu.phase"]

    a = on_battery(aircraft(frost))
    set_control(a, "apu_boost", "ON")
    set_control(a, "apu_master", "ON")
    a.arrive(a.tick + 900)
    begun = a.tick
    assert push(a) == "starting"
    a.arrive(a.tick + 150)
    set_control(a, "apu_master", "OFF")
    a.arrive(a.tick + 4000)
    assert a.state()["apu.phase"] == "off"
    set_control(a, "apu_master", "ON")
    a.arrive(a.tick + 900)
    assert a.tick < begun + 9000
    assert push(a) == "ready"
    a.arrive(begun + 9010)
    assert push(a) == "starting"


def test_two_generators_are_never_parallel_and_an_overload_trips(frost: Bundle) -> None:
    small = frost.airframe.model_copy(
        update={
            "electrical": frost.airframe.electrical.model_copy(
                update={
                    "generators": tuple(
                        g.model_copy(update={"rated_va": 4000.0}) for g in frost.airframe.section(AcSection).generators
                    )
                }
            )
        }
    )
    a = on_battery(aircraft(Bundle(small, frost.checklists, frost.exercise)))
    apu_start(a, 22)
    a.arrive(a.tick + 2000)
    assert a.state()["source.apu_generator.tripped"] is True
    assert a.state()["bus.ac_right.alive"] is False
    set_control(a, "apu_generator", "OFF")
    a.arrive(a.tick + 10)
    assert a.state()["source.apu_generator.tripped"] is False


def changed_apu(bundle: Bundle, **changes: Any) -> Bundle:
    found = bundle.airframe.section(ApuSection).apu
    assert found is not None
    apu = Apu.model_validate(found.model_dump() | changes)
    return Bundle(bundle.airframe.model_copy(update={"apu": apu}), bundle.checklists, bundle.exercise)


def test_an_exhaust_over_its_limit_shuts_it_down(frost: Bundle) -> None:
    state = apu_start(on_battery(aircraft(changed_apu(frost, hottest_celsius=430))), 20)
    assert state["apu.trouble"] == "hot"
    assert 410 < state["peak"] < 440, "it is looked at every 0.2 s, in which it rises by up to 20 degrees"


def test_a_start_that_needs_an_accumulator_is_lost_without_its_charge(frost: Bundle) -> None:
    bundle = changed_apu(frost, accumulator={"system": "aft", "needs_psi": 2000, "uses_psi": 1200})
    empty = on_battery(aircraft(bundle))
    assert apu_start(empty, 3)["apu.phase"] == "ready"
    charged = on_ground_power(aircraft(bundle))
    set_control(charged, "hydraulic_pump", "ON")
    charged.arrive(charged.tick + 3000)
    before = charged.state()["hydraulic.aft.psi"]
    set_control(charged, "hydraulic_pump", "OFF")
    state = apu_start(charged, 0.2)
    assert state["apu.phase"] == "ready", "what leaks away with the pump off is no charge"
    set_control(charged, "hydraulic_pump", "ON")
    charged.arrive(charged.tick + 3000)
    press(charged, "apu_start", True)
    assert charged.state()["apu.phase"] == "starting"
    assert isinstance(before, float)
    after = charged.state()["hydraulic.aft.psi"]
    assert isinstance(after, float)
    assert after == pytest.approx(before - 1200, abs=60)


def test_the_generator_lamp_is_inhibited_while_the_apu_is_off(frost: Bundle) -> None:
    a = on_battery(aircraft(frost))
    assert a.state()["lamp.apu_gen_off"] is False
    apu_start(a, 25)
    assert a.state()["lamp.apu_gen_off"] is False
    set_control(a, "apu_generator", "OFF")
    a.arrive(a.tick + 10)
    assert a.state()["lamp.apu_gen_off"] is True
