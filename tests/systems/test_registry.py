"""What the registry tells of all systems together."""

from __future__ import annotations

import pytest

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Library
from lumenstat.language.wording import catalogue_of, told
from lumenstat.systems.registry import fault_kinds, fault_named, fault_targets, fault_words


@pytest.fixture(scope="module")
def rowan(library: Library) -> Airframe:
    found = library.find(Airframe, "rowan-r2")
    assert found is not None and isinstance(found.document, Airframe)
    return found.document


def test_no_two_kinds_of_fault_are_called_the_same() -> None:
    words = [fault.words for fault in fault_kinds().values()]
    assert len(set(words)) == len(words)


def test_a_short_name_of_a_part_is_not_taken_for_a_piece_of_a_word() -> None:
    assert fault_named("fuel_pump_failed", "L") == "Fuel pump failed: L"
    assert fault_named("fuel_pump_failed", "Fuel pump") == "Fuel pump failed"


def test_no_two_faults_of_an_airframe_are_called_the_same(rowan: Airframe) -> None:
    called = [fault_words(rowan, kind, each) for kind, targets in fault_targets(rowan).items() for each in targets]
    assert len(set(called)) == len(called) > 100


@pytest.mark.parametrize(
    ("kind", "target", "english", "german"),
    [
        ("bulb_dead", "apu_available", "Dead bulb: APU, Available", "Lampe defekt: APU, Available"),
        ("apu_fire", "apu", "APU fire", "Feuer in der APU"),
        ("gone_since", "somewhere", "Gone_since: somewhere", "Gone_since: somewhere"),
    ],
)
def test_a_fault_is_called_by_what_is_wrong_and_the_name_of_its_part(
    rowan: Airframe, kind: str, target: str, english: str, german: str
) -> None:
    words = fault_words(rowan, kind, target)
    assert (str(words), told(words, catalogue_of("de"))) == (english, german)
