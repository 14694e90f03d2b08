"""What an action left behind is told by what it means, not by the name of a quantity."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lumenstat.assessment.left_behind import changed_state, left_words
from lumenstat.language.wording import catalogue_of, told
from lumenstat.systems.terms import Discrete
from tests.procedures import shipped

STANDS: dict[str, Discrete | None] = {
    "lamp.apu_available": True,
    "latch.fed_from_plug": True,
    "control.beacon": "ON",
    "bus.dc_left.volts": 28.0,
    "apu.starter": True,
}


@pytest.mark.parametrize(
    ("would", "name"),
    [
        ({}, None),
        ({"lamp.apu_available": False, "bus.dc_left.volts": 24.0}, None),
        ({"control.beacon": "OFF"}, None),
        ({"latch.fed_from_plug": False}, "latch.fed_from_plug"),
        ({"latch.fed_from_plug": False, "apu.starter": False}, "apu.starter"),
    ],
)
def test_a_state_of_the_logic_is_told_only_where_nothing_else_changed(
    would: dict[str, Discrete | None], name: str | None
) -> None:
    assert changed_state(STANDS, STANDS | would, own={"control.beacon"}) == name


@pytest.mark.parametrize(
    ("name", "stands", "would", "says", "german"),
    [
        ("bus.main_hot.alive", False, True, "'Main hot is alive' is not so at the end, and would be without it", "Main hot"),
        ("apu.starter", True, False, "'the APU's starter is engaged' is so at the end, and would not be without it", "wäre"),
        ("apu.phase", "cooling", "off", "what the APU is doing: 'cooling' at the end, and 'off' without it", "'aus'"),
        ("bus.ac_essential.fed_by", "ac_left", "", "what feeds Essential AC, or nothing: 'Left AC' at the end, and 'nothing' without it", "'nichts'"),
        ("latch.fed_from_plug", True, False, "'latch fed from plug' is so at the end, and would not be without it", "wäre"),
    ],
)  # fmt: skip
def test_it_is_told_in_words(name: str, stands: Discrete, would: Discrete, says: str, german: str) -> None:
    words = left_words(shipped("full-cold-start"), name, stands, would, "it")
    assert words == says
    in_german = told(words, catalogue_of("de"))
    assert german in in_german and in_german != says


def test_a_word_is_not_taken_for_a_part_of_the_same_letters() -> None:
    """An airframe may call a bus `hot`; an APU that was too hot was shut down by heat all the same."""
    heavy = shipped("full-cold-start")
    buses = heavy.airframe.electrical.buses
    electrical = heavy.airframe.electrical.model_copy(
        update={"buses": (*buses, buses[0].model_copy(update={"id": "hot", "name": "Battery bus"}))}
    )
    of = replace(heavy, airframe=heavy.airframe.model_copy(update={"electrical": electrical}))
    assert left_words(of, "apu.trouble", "hot", "", "it").endswith("'hot' at the end, and 'nothing' without it")
