"""How a perfect trainee does each kind of item, with hands that write down what they do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import pytest

from lumenstat.systems.panel.part import Control, Instrument
from lumenstat.systems.terms import ticks
from tests.items.test_kinds import item, judge


@dataclass
class Hands:
    """Hands on an aircraft in which expressions come true at ticks of their own."""

    comes: Mapping[str, int] = field(default_factory=dict)
    shown: float | None = 24.0
    possible: bool = True
    tick: int = 0
    stood: dict[str, str] = field(default_factory=dict)
    done: list[tuple[int, str, dict[str, Any]]] = field(default_factory=list)
    controls: Mapping[str, Control] = field(default_factory=lambda: judge().controls)
    instruments: Mapping[str, Instrument] = field(default_factory=lambda: judge().instruments)
    papers: Mapping[str, float | str] = field(default_factory=dict)

    def flag(self, text: str, sight: Any = None) -> bool:
        return self.tick >= self.comes.get(text, 1 << 60)

    def reads(self, instrument: str, sight: Any = None) -> float | None:
        return self.shown

    def can(self, verb: str, **args: Any) -> bool:
        return self.possible

    def stands(self, control: str) -> str:
        return self.stood.get(control, "OFF")

    def untouched(self, control: str) -> str | None:
        return None

    def pass_time(self, seconds: float) -> None:
        self.tick += ticks(seconds)

    def event(self, verb: str, pace: float | None = None, **args: Any) -> None:
        self.pass_time(0.5 if pace is None else pace)
        self.done.append((self.tick, verb, args))

    def move(self, control: str, to: str) -> None:
        self.stood[control] = to
        self.event("set", control=control, to=to)

    @property
    def verbs(self) -> list[str]:
        return [verb for _, verb, _ in self.done]


def held(hands: Hands) -> float:
    (pressed, _, _), (released, _, _) = hands.done
    return (released - pressed) / 100


def test_a_hold_is_a_little_longer_than_due() -> None:
    hands = Hands(comes={"lamp.fire": 0})
    assert item("hold").redo(hands) is True
    assert 2.0 < held(hands) <= 2.3


def test_a_hold_waits_for_its_indication() -> None:
    hands = Hands(comes={"lamp.fire": 50 + 310})
    assert item("hold").redo(hands) is True
    assert 3.1 <= held(hands) <= 3.4


def test_a_hold_lets_go_in_time_though_nothing_comes() -> None:
    hands = Hands()
    assert item("hold").redo(hands) is False
    assert 3.6 <= held(hands) <= 4.0
    endless = Hands()
    assert item("hold", at_most=None).redo(endless) is False
    assert 59 <= held(endless) <= 60


def test_a_hold_that_may_be_no_longer_than_due_is_just_that() -> None:
    hands = Hands(comes={"lamp.fire": 0})
    item("hold", at_most=2).redo(hands)
    assert held(hands) == 2.0


def test_only_a_hold_is_done_anew() -> None:
    for kind in ("set", "verify", "cycle", "sweep", "check", "wait", "request", "decide", "confirm"):
        assert item(kind).redo(Hands()) is None


def test_looking_puts_right_what_is_out_of_place_first() -> None:
    hands = Hands(stood={"pump": "ON"})
    item("verify").perform(hands)
    assert [(verb, args["control"]) for _, verb, args in hands.done] == [
        ("set", "pump"),
        ("see", "pump"),
        ("see", "valve"),
    ]


def test_moves_go_through_their_positions_and_back() -> None:
    hands = Hands(stood={"lever": "2"})
    item("cycle").perform(hands)
    assert [args["to"] for _, _, args in hands.done] == ["1", "2"]
    hands = Hands(stood={"lever": "2"})
    item("sweep").perform(hands)
    assert [args["to"] for _, _, args in hands.done] == ["1", "3", "2"]
    hands = Hands(stood={"lever": "1"})
    item("sweep").perform(hands)
    assert [args["to"] for _, _, args in hands.done] == ["3", "1"]


@pytest.mark.parametrize(("shown", "means"), [(24.0, "within"), (23.9, "below"), (None, "dead")])
def test_a_reading_is_called_as_it_stands_when_the_words_are_out(shown: float | None, means: str) -> None:
    hands = Hands(shown=shown)
    check = item("check", if_not={"id": "stop", "says": "Stop"})
    assert check.perform(hands) == ("" if means == "within" else "stop")
    ((tick, verb, args),) = hands.done
    assert (tick, verb, args["judgement"]) == (250, "call", means)
    assert args.get("reading") == shown


def test_a_reading_without_ways_takes_none() -> None:
    assert item("check").perform(Hands(shown=None)) == ""


def test_a_reading_is_there_in_its_moment_and_with_its_meaning() -> None:
    moment = {"when": "control.meter", "says": "meter on"}
    check = item("check", moment=moment)
    assert not check.there(Hands())
    assert check.means(Hands()) == ""
    there = Hands(comes={"control.meter": 0})
    assert check.there(there)
    assert check.means(there) == "within"
    assert check.there(Hands(comes={"control.meter": 0}, shown=23.0), "below")


def test_the_first_true_branch_is_chosen() -> None:
    hands = Hands(comes={"true": 0})
    assert item("decide").perform(hands) == "stay"
    assert item("decide").perform(Hands(comes={"true": 0, "lamp.ready": 0})) == "go"
    assert not item("decide").there(Hands())


def test_what_is_said_is_said_of_the_item() -> None:
    for kind, verb in (("wait", "respond"), ("confirm", "confirm"), ("request", "request")):
        hands = Hands()
        assert item(kind).perform(hands) is None
        assert hands.verbs == [verb]
    assert not item("wait").there(Hands())
    assert item("wait").there(Hands(comes={"lamp.ready": 0}))
    assert not item("request").there(Hands(possible=False))


def test_what_is_missing_is_said_in_words() -> None:
    assert item("check").missing(Hands(shown=None)).says == "at 'Challenge' Volts is dark"
    assert item("check").missing(Hands(shown=21.0)).says == "at 'Challenge' Volts reads 21.0 V"
    assert item("request").missing(Hands()).kind == "request"
    assert item("wait").missing(Hands()).says == "'Challenge: Response' never comes"
