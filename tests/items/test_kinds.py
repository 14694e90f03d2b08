"""What each kind of item answers by itself, told by the smallest stand-ins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import pytest
from pydantic import TypeAdapter

from lumenstat.items.item import ItemBase
from lumenstat.items.registry import KINDS, Item
from lumenstat.systems.panel.part import Control, Instrument

ITEMS: TypeAdapter[Any] = TypeAdapter(Item)
OWN: dict[str, dict[str, Any]] = {
    "set": {"control": "pump", "to": "ON"},
    "verify": {"controls": ["pump", "valve"], "to": "OFF"},
    "cycle": {"control": "lever", "through": ["1", "2"]},
    "sweep": {"control": "lever", "watch": "lamp.moving"},
    "check": {"instrument": "volts", "expect": {"min": 24}, "read_tolerance": 0.1},
    "hold": {"control": "test", "seconds": 2, "at_most": 4, "watch": "lamp.fire"},
    "wait": {"until": "lamp.ready", "left": "unit.seconds_left", "at_most": 5},
    "request": {"service": "cart", "action": "connect"},
    "decide": {"branches": [{"id": "go", "when": "lamp.ready", "says": "Go"}, {"id": "stay", "when": "true", "says": "Stay"}]},
    "confirm": {"statement": "The log is on board."},
}  # fmt: skip


def item(kind: str, **more: Any) -> ItemBase:
    written = {"id": "it", "kind": kind, "challenge": "Challenge", "response": "Response", **OWN[kind], **more}
    found: ItemBase = ITEMS.validate_python(written)
    return found


@dataclass(frozen=True)
class Done:
    verb: str
    args: Mapping[str, Any]
    tick: int = 0
    by: str = "trainee"


@dataclass(frozen=True)
class At:
    index: int
    event: Done
    state: Mapping[str, Any] = field(default_factory=dict)
    accepted: bool = True
    refusal: str | None = None
    took: bool = True
    true: frozenset[str] = frozenset()


@dataclass
class Judge:
    """A judge's view, and a card's."""

    controls: Mapping[str, Control] = field(default_factory=dict)
    instruments: Mapping[str, Instrument] = field(default_factory=dict)
    papers: Mapping[str, float | str] = field(default_factory=dict)
    flow: bool = False
    moves: list[str] = field(default_factory=list)
    dealt: set[str] = field(default_factory=set)
    taken: dict[str, str] = field(default_factory=dict)
    selectors: frozenset[str] = frozenset()
    asked: frozenset[tuple[str, str]] = frozenset()

    def asked_for(self, control: str, position: str) -> bool:
        return (control, position) in self.asked

    def stood_first(self, control: str) -> str:
        return ""

    def untouched(self, control: str) -> str | None:
        return None

    def flag(self, moment: At, text: str) -> bool:
        return text in moment.true

    def in_flow(self, item: Any) -> bool:
        return self.flow

    def moves_of(self, item: str) -> Sequence[str]:
        return self.moves

    def moved(self, item: str, to: str) -> Sequence[str]:
        self.moves.append(to)
        return self.moves

    def done(self, item: str, control: str) -> int:
        self.dealt.add(control)
        return len(self.dealt)

    def take(self, item: str, branch: str) -> None:
        self.taken[item] = branch


def judge(**more: Any) -> Judge:
    part = {"kind": "toggle", "positions": ("ON", "OFF"), "usual": "OFF"}
    lever = {"kind": "lever", "positions": ("1", "2", "3"), "usual": "1"}
    controls = {name: Control.model_validate({"id": name, "name": name.title(), **part}) for name in ("pump", "valve")}
    controls["lever"] = Control.model_validate({"id": "lever", "name": "Lever", **lever})
    controls["test"] = Control.model_validate({"id": "test", "name": "Test", **part, "kind": "momentary"})
    scale = {"min": 0, "max": 32}
    volts = Instrument.model_validate(
        {"id": "volts", "name": "Volts", "unit": "V", "decimals": 1, "scale": scale, "shows": "x"}
    )
    return Judge(controls, {"volts": volts}, **more)


def set_to(index: int, control: str, to: str, tick: int = 0, **state: str) -> At:
    stood = {f"control.{name}": value for name, value in {control: "OFF", **state}.items()}
    return At(index, Done("set", {"control": control, "to": to}, tick), stood)


# ---- a run that is judged --------------------------------------------------------------------------------


def test_a_set_that_only_passes_a_position_is_no_slip() -> None:
    crew = [set_to(0, "pump", "OFF", 0), set_to(1, "pump", "ON", 150)]
    passing, right = item("set").attempts(crew, judge())
    assert (passing.right, passing.slip, right.right) == (False, False, True)
    late = item("set").attempts([crew[0], set_to(1, "pump", "ON", 151)], judge())
    assert late[0].slip


def test_several_controls_are_one_attempt_once_all_are_seen() -> None:
    seen = [At(n, Done("see", {"control": name, "position": "OFF"}), {f"control.{name}": "OFF"}) for n, name in enumerate(("pump", "valve"))]  # fmt: skip
    (found,) = item("verify").attempts(seen, judge())
    assert (found.right, found.parts, found.says) == (True, (0, 1), "Pump, Valve seen at OFF.")


def test_a_true_remark_is_no_slip_and_a_false_one_is() -> None:
    true = At(0, Done("see", {"control": "pump", "position": "ON"}), {"control.pump": "ON"})
    false = At(1, Done("see", {"control": "pump", "position": "OFF"}), {"control.pump": "ON"})
    found = item("verify").attempts([true, false], judge())
    assert [(each.right, each.slip) for each in found] == [(False, False), (False, True)]


def test_a_cycle_begins_anew_with_its_first_position() -> None:
    crew = [set_to(n, "lever", to) for n, to in enumerate(("1", "3", "1", "2"))]
    wrong, right = item("cycle").attempts(crew, judge())
    assert (wrong.says, wrong.parts) == ("Lever went to 3; 2 was next.", (0, 1))
    assert (right.right, right.parts) == (True, (2, 3))


def test_a_sweep_counts_with_both_ends_and_its_indication() -> None:
    def swept(*to: str, true: frozenset[str] = frozenset()) -> list[bool]:
        crew = [At(n, Done("set", {"control": "lever", "to": each}), {"control.lever": "2"}, true=true) for n, each in enumerate(to)]  # fmt: skip
        return [each.right for each in item("sweep").attempts(crew, judge())]

    there = frozenset({"lamp.moving"})
    assert swept("1", "3", "2", true=there) == [True]
    assert swept("1", "3", "2") == [False]
    assert swept("1", "2", true=there) == [False]


@pytest.mark.parametrize(
    ("ticks", "true", "right", "says"),
    [
        (200, True, True, "Test held for 2.0 s."),
        (199, True, False, "held for 1.99 s; it needs 2 s"),
        (400, True, True, "Test held for 4.0 s."),
        (401, True, False, "held for 4.01 s; at most 4 s are allowed"),
        (300, False, False, "its indication did not come"),
    ],
)
def test_a_hold_on_its_very_bounds(ticks: int, true: bool, right: bool, says: str) -> None:
    press = At(0, Done("press", {"control": "test"}, 1000))
    release = At(1, Done("release", {"control": "test"}, 1000 + ticks), true=frozenset({"lamp.fire"} if true else ()))
    (found,) = item("hold").attempts([press, release], judge())
    assert (found.right, found.parts) == (right, (0, 1))
    assert (found.index, found.tick, found.over) == (0, 1000, 1000 + ticks), "it counts from its press"
    assert says in found.says


@pytest.mark.parametrize(
    ("call", "shown", "right"),
    [
        ({"reading": 24.0, "judgement": "within"}, 24.0, True),
        ({"reading": 24.1, "judgement": "within"}, 24.0, True),
        ({"reading": 24.2, "judgement": "within"}, 24.0, False),
        ({"reading": 23.9, "judgement": "below"}, 23.94, True),
        ({"reading": 23.9, "judgement": "within"}, 23.94, False),
        ({"judgement": "dead"}, None, True),
        ({"reading": 24.0, "judgement": "within"}, None, False),
        ({"judgement": "dead"}, 24.0, False),
    ],
)
def test_a_call_is_what_was_shown_and_what_it_means(call: dict[str, Any], shown: float | None, right: bool) -> None:
    moment = At(0, Done("call", {"instrument": "volts", **call}), {"instrument.volts.reads": shown})
    (found,) = item("check").attempts([moment], judge())
    assert found.right is right


def test_a_wait_is_said_when_it_is_there() -> None:
    said = [
        At(n, Done("respond", {"item": "it"}), true=true)
        for n, true in enumerate((frozenset[str](), frozenset({"lamp.ready"})))
    ]
    assert [each.right for each in item("wait").attempts(said, judge())] == [False, True]
    assert item("wait").due(None) == ("lamp.ready", 5)
    assert item("wait", at_most=None).due(None) is None
    assert item("wait").waits_for == "lamp.ready"
    assert item("confirm").waits_for is None


def test_a_request_counts_where_the_crew_set_off() -> None:
    asked = [At(n, Done("request", {"service": "cart", "action": "connect"}), {"service.cart": "away"}, accepted) for n, accepted in enumerate((False, True))]  # fmt: skip
    found = item("request").attempts(asked, judge())
    assert [each.right for each in found] == [False, True]
    assert found[0].evidence == (("cart", "away"),)


def test_a_decision_is_right_where_the_first_true_branch_was_chosen() -> None:
    made = At(0, Done("decide", {"item": "it", "branch": "stay"}), true=frozenset({"lamp.ready", "true"}))
    (wrong,) = item("decide").attempts([made], judge())
    assert (wrong.right, wrong.says) == (False, "'Stay' was decided, where 'Go' was right.")
    (right,) = item("decide").attempts([At(0, made.event, true=frozenset({"true"}))], judge())
    assert right.right


def test_what_follows_a_bad_reading_is_taken_where_it_is_bad_or_dark() -> None:
    check = item("check", if_not={"id": "stop", "says": "Stop"})
    ways = {
        shown: check.taken_way(At(0, Done("call", {}), {"instrument.volts.reads": shown}), judge(), bool)
        for shown in (24.0, 23.9, None)
    }
    assert ways == {24.0: None, 23.9: "stop", None: "stop"}
    assert check.taken_way(None, judge(), bool) is None
    assert [(way.id, way.says) for way in check.ways()] == [("stop", "If not: Stop")]


# ---- a card ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("kind", "verb", "args"),
    [
        ("hold", "release", {"control": "test"}),
        ("check", "call", {"instrument": "volts", "judgement": "within"}),
        ("wait", "respond", {"item": "it"}),
        ("confirm", "confirm", {"item": "it"}),
        ("request", "request", {"service": "cart", "action": "connect"}),
        ("decide", "decide", {"item": "it", "branch": "go"}),
    ],
)
def test_each_kind_is_answered_by_its_own_act_and_no_other(kind: str, verb: str, args: dict[str, Any]) -> None:
    card = judge()
    assert item(kind).answered_by(Done(verb, args), card)
    assert not item(kind).answered_by(Done("finish", {}), card)
    other = {key: "another" for key in args if key not in ("judgement", "branch")}
    assert not item(kind).answered_by(Done(verb, args | other), card)


def test_a_line_of_several_controls_is_answered_by_all_of_them() -> None:
    card, verify = judge(), item("verify")
    assert not verify.answered_by(Done("see", {"control": "pump", "position": "ON"}), card)
    assert verify.answered_by(Done("see", {"control": "valve", "position": "OFF"}), card)
    assert not verify.answered_by(Done("see", {"control": "lever", "position": "1"}), card)


def test_what_is_set_in_a_flow_is_answered_by_saying_so() -> None:
    card = judge(flow=True)
    assert not item("set").answered_by(Done("set", {"control": "pump", "to": "ON"}), card)
    assert item("set").answered_by(Done("respond", {"item": "it"}), card)
    assert item("set").answered_by(Done("set", {"control": "pump", "to": "ON"}), judge())
    assert not item("set").answered_by(Done("set", {"control": "pump", "to": "OFF"}), judge())


def test_moves_answer_once_they_are_those_asked_for() -> None:
    card = judge()
    answers = [
        item("cycle").answered_by(Done("set", {"control": "lever", "to": to}), card) for to in ("1", "3", "1", "2")
    ]
    assert answers == [False, False, False, True]
    card = judge()
    assert [item("sweep").answered_by(Done("set", {"control": "lever", "to": to}), card) for to in ("1", "3", "2")] == [False, False, True]  # fmt: skip


def test_an_examined_card_ticks_a_cycle_once_its_own_control_was_moved_often_enough() -> None:
    card, cycle = judge(), item("cycle")
    once, again = (Done("set", {"control": "lever", "to": to}) for to in ("3", "1"))
    assert not cycle.answered_by(once, card) and not cycle.touched_by(once, card)
    assert not cycle.answered_by(again, card) and cycle.touched_by(again, card), "wrong, and not told so"
    assert not cycle.touched_by(Done("set", {"control": "pump", "to": "ON"}), card)
    assert not cycle.touched_by(Done("press", {"control": "lever"}), card)


def test_a_bad_reading_and_a_decision_bring_their_items() -> None:
    card, check = judge(), item("check", if_not={"id": "stop", "says": "Stop"})
    assert check.answered_by(Done("call", {"instrument": "volts", "judgement": "within"}), card)
    assert card.taken == {}
    assert check.answered_by(Done("call", {"instrument": "volts", "judgement": "below"}), card)
    assert card.taken == {"it": "stop"}
    assert item("decide").answered_by(Done("decide", {"item": "it", "branch": "go"}), card)
    assert card.taken == {"it": "go"}


# ---- what is asked of every kind -------------------------------------------------------------------------


@pytest.mark.parametrize("kind", KINDS)
def test_what_is_never_done_is_said_of_every_kind(kind: str) -> None:
    says = item(kind).never({"service.cart": "away"})
    assert says.kind
    assert says.says


def test_which_touch_the_aircraft_and_which_only_speak() -> None:
    assert {kind for kind, model in KINDS.items() if not model.TOUCHES} == {"decide", "confirm"}
    assert {kind for kind, model in KINDS.items() if model.SILENT} == {"verify", "confirm"}
    assert {kind for kind, model in KINDS.items() if model.SAID} == {"wait", "confirm"}


def test_parts_papers_and_watched_expressions() -> None:
    assert item("verify").parts() == (("control", "pump"), ("control", "valve"))
    assert item("check").parts() == (("instrument", "volts"),)
    assert item("request").parts() == (("service", "cart"),)
    assert item("confirm").parts() == (("item", "it"),)
    assert list(item("set", to={"paper": "weather.qnh"}).papers()) == ["weather.qnh"]
    assert list(item("check", expect={"paper": "weather.qnh"}).papers()) == ["weather.qnh"]
    watched = {kind: list(item(kind).watched()) for kind in KINDS}
    assert {kind: texts for kind, texts in watched.items() if texts} == {
        "sweep": ["lamp.moving"], "hold": ["lamp.fire"], "wait": ["lamp.ready"], "decide": ["lamp.ready", "true"],
    }  # fmt: skip


def test_what_an_act_must_be_like_to_answer() -> None:
    answers = {kind: list(item(kind).answers()) for kind in KINDS}
    assert answers == {
        "set": [("set", "pump", "ON")], "verify": [("see", "pump"), ("see", "valve")],
        "cycle": [("cycle", "lever")], "sweep": [("sweep", "lever")], "check": [("call", "volts", "")],
        "hold": [("hold", "test")], "wait": [], "request": [("request", "cart", "connect")], "decide": [], "confirm": [],
    }  # fmt: skip
