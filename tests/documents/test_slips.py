"""Slips that authors made and were told nothing, or too much, about: one slip is one problem that says what would be right."""

from __future__ import annotations

from pathlib import Path

import pytest

from lumenstat.documents.bundles import SHIPPED, Library
from lumenstat.documents.exercise import Exercise
from lumenstat.errors import Problem, StartRefused
from lumenstat.language.values import nearest
from lumenstat.simulation.actions import ready, start_problems

ROWAN = (SHIPPED / "airframes" / "rowan-r2.yaml").read_text()
FROST_CARD = (SHIPPED / "checklists" / "rowan-r2-frost.yaml").read_text()
FROST = (SHIPPED / "exercises" / "frost-on-the-ramp.yaml").read_text()


def problems(folder: Path, text: str, old: str, new: str) -> list[Problem]:
    assert old in text
    path = folder / "it.yaml"
    path.write_text(text.replace(old, new, 1))
    return Library([folder]).check(path)


SLIPS = [
    (ROWAN, "chemistry: lead-acid", "chemistry: lithium-ion", "should be 'lead-acid' or 'nickel-cadmium'"),
    (ROWAN, "anode: dc_left, cathode: dc_service", "anode: dc_service, cathode: dc_service", "both ends are dc_service; a diode stands between two buses"),
    (ROWAN, "between: [main_hot, dc_essential]", "between: [main_hot, main_hot]", "both ends are main_hot; a contactor stands between two buses"),
    (ROWAN, "place: [8, 0, 4]", "place: [8, 0, 5]", "reaches from column 8 to 13; there are 12, from 0"),
    (ROWAN, "place: [8, 0, 4]", "place: [6, 0, 4]", "in row 0"),
    (FROST_CARD, "expect: {min: 24.2, max: 25.7}", "expect: {min: 30, max: 20}", "`min` 30 is above `max` 20, so nothing is within limits"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "old", "new", "says"), SLIPS, ids=[slip[3][:24] for slip in SLIPS])
def test_one_slip_is_one_problem(tmp_path: Path, text: str, old: str, new: str, says: str) -> None:
    found = problems(tmp_path, text, old, new)
    assert len(found) == 1, found
    assert says in found[0].says


def test_a_zone_may_be_one_column_wide(tmp_path: Path) -> None:
    assert problems(tmp_path, ROWAN, "place: [8, 0, 4]", "place: [8, 0, 1]") == []
    (none,) = problems(tmp_path, ROWAN, "place: [8, 0, 4]", "place: [8, 0, 0]")
    assert "reaches from column 8 to 8" in none.says


def test_a_missing_file_is_no_such_file(tmp_path: Path) -> None:
    (problem,) = Library([tmp_path]).check(tmp_path / "nothing.yaml")
    assert problem.says == "no such file"


@pytest.mark.parametrize(
    ("word", "known", "said"),
    [
        ("battery.mian.volts", ["battery.main.volts", "battery.start.volts"], "; did you mean 'battery.main.volts'?"),
        ("battery.main.volts", ["battery.start.volts"], "; there is battery.start.volts"),
        ("lamp.apu_avail", ["lamp.apu_available"], "; did you mean 'lamp.apu_available'?"),
        ("hydraulik_pump", ["hydraulic_pump", "wipers"], "; did you mean 'hydraulic_pump'?"),
    ],
)
def test_did_you_mean_is_asked_only_where_it_is_meant(word: str, known: list[str], said: str) -> None:
    assert nearest(word, known) == said


@pytest.mark.parametrize(
    ("before", "says"),
    [
        ("{after: 1, set: {dc_tie: OPEN}}", "dc_tie is guarded and nobody lifts its guard here"),
        ("{after: 1, hold: beacon}", "beacon stays where it is put; use `set`"),
    ],
)
def test_what_cannot_be_done_before_the_start_is_told_with_its_line(tmp_path: Path, before: str, says: str) -> None:
    (problem,) = problems(tmp_path, FROST, "hours_unpowered: 50\n", f"hours_unpowered: 50\n  before:\n    - {before}\n")
    assert problem.line == 14
    assert says in problem.says


def test_a_request_that_is_refused_before_the_start_is_a_problem_too(tmp_path: Path) -> None:
    line = "    - {after: 1, request: [ground_power, remove]}\n"
    assert problems(tmp_path, FROST, "hours_unpowered: 50\n", f"hours_unpowered: 50\n  before:\n{line}") == []
    library = Library([tmp_path])
    loaded = library.load(tmp_path / "it.yaml")
    exercise = loaded.usable()
    assert isinstance(exercise, Exercise)
    airframe = library.bundle(tmp_path / "it.yaml").airframe
    (problem,) = start_problems(airframe, exercise, loaded.source)
    assert (problem.line, problem.path) == (14, "start.before[0]")
    assert problem.says.startswith("cannot be done then: ground_power remove: ")
    with pytest.raises(StartRefused, match=r"start\.before"):
        ready(airframe, exercise.start)
