"""Broken documents: file, line, key path and what would be right, all at once."""

from __future__ import annotations

from pathlib import Path

import jsonschema
import pytest
from ruamel.yaml import YAML

from lumenstat.cli import document_schema
from lumenstat.documents.bundles import SHIPPED, Bundle, Library
from lumenstat.documents.loading import load_text
from lumenstat.errors import DocumentError

ROWAN = (SHIPPED / "airframes" / "rowan-r2.yaml").read_text()
CHECKLIST = (SHIPPED / "checklists" / "rowan-r2-frost.yaml").read_text()
EXERCISE = (SHIPPED / "exercises" / "frost-on-the-ramp.yaml").read_text()


def checked(tmp_path: Path, text: str, name: str = "it.yaml") -> list[tuple[int, str, str]]:
    path = tmp_path / name
    path.write_text(text)
    return [(p.line, p.path, p.says) for p in Library([tmp_path]).check(path)]


def line_of(text: str, part: str) -> int:
    return next(n for n, line in enumerate(text.splitlines(), start=1) if part in line)


@pytest.mark.parametrize(
    ("text", "says", "line"),
    [
        ("", "begins with a `format:`", 1),
        ("format: lumenstat/airplane/1\n", "must be one of lumenstat/airframe/1", 1),
        ("- a\n- b\n", "is a mapping", 1),
        ("format: lumenstat/checklist/1\nid: a\nid: b\n", "stands here twice", 3),
        ("format: &x lumenstat/checklist/1\nid: *x\n", "anchors and aliases", 1),
        ("format: lumenstat/checklist/1\n\tid: a\n", "tab|cannot be read", 2),
        ("format: [" * 30, "nested deeper|cannot be read", 1),
        ("format: 'open\n", "cannot be read as YAML", 2),
    ],
)
def test_what_is_no_document_says_why(text: str, says: str, line: int) -> None:
    problem = load_text(text, "it.yaml").problems[0]
    assert problem.file == "it.yaml"
    import re

    assert re.search(says, problem.says), problem.says
    assert abs(problem.line - line) <= 1


def test_yaml_words_stay_text() -> None:
    source = load_text("format: lumenstat/exercise/1\na: ON\nb: 12:40\nc: no\n", "x.yaml").source
    assert source.data == {"format": "lumenstat/exercise/1", "a": "ON", "b": "12:40", "c": "no"}


def test_bytes_that_are_not_utf8_are_named_with_their_line(tmp_path: Path) -> None:
    path = tmp_path / "latin.yaml"
    path.write_bytes("format: lumenstat/checklist/1\nname: Fl\xfcgel\n".encode("latin-1"))
    (problem,) = Library([tmp_path]).check(path)
    assert problem.line == 2
    assert "UTF-8" in problem.says


def test_a_json_document_is_read_like_yaml(tmp_path: Path) -> None:
    import json

    data = YAML(typ="safe").load(EXERCISE)
    assert checked(tmp_path, json.dumps(data, indent="\t"), "it.json") == []
    broken = json.dumps(data, indent=2).replace('"pass_mark": 75', '"pass_mark": 175')
    ((line, path, _),) = checked(tmp_path, broken, "broken.json")
    assert path == "pass_mark"
    assert line == line_of(broken, "pass_mark")


def test_all_problems_come_in_one_pass_with_their_lines(tmp_path: Path) -> None:
    text = (
        ROWAN.replace("watts: 55}", "wats: 55}")
        .replace('closes_when: control.battery_main == "ON"', 'closes_when: control.battery_main == "UP"')
        .replace("sytem", "system")
        .replace("shows: bus.dc_right.volts", "shows: bus.dc_rihgt.volts")
    )
    found = checked(tmp_path, text)
    assert [line for line, _, _ in found] == sorted(line for line, _, _ in found)
    said = " | ".join(says for _, _, says in found)
    assert "has no key 'wats'; did you mean 'watts'?" in said
    assert "needs the key 'watts'" in said
    assert "control.battery_main is never 'UP'; it can be ON, OFF" in said
    assert "did you mean 'bus.dc_right.volts'" in said
    lines = {line for line, _, _ in found}
    assert {line_of(text, "wats: 55"), line_of(text, '"UP"'), line_of(text, "dc_rihgt")} <= lines


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("shows: hydraulic.aft.psi, decimals", "decimals", "needs either `shows`"),
        ("bus: dc_right, shows: hydraulic", "shows: hydraulic", "hangs on no bus"),
        ("on_above: 0.98, off_below: 0.9", "on_above: 0.9, off_below: 0.98", "switches without end"),
        ("ac_essential: [ac_left, ac_right, inverter]", "ac_left2: [inverter]", "no AC bus 'ac_left2'|nothing can feed"),
        ("      - ac_left\n      - {source: ground, when: control.ground_service", "      - ac_service\n      - {source: ground, when: control.ground_service", "in a circle"),
        ('when: control.inverter == "ON"}', 'when: bus.dc_left.volts > 20}', "logic reads states, not figures|has no key"),
        ('when: control.inverter == "ON"}', 'when: lamp.apu_available}', "read what lamp.apu_available shows|has no key"),
        ("lever: flap_lever", "lever: flap_leaver", "did you mean 'flap_lever'"),
        ("anode: dc_left", "anode: ac_left", "no DC bus 'ac_left'"),
        ("possible_when: [away]", "possible_when: [gone]", "no state 'gone'"),
        ("    air_starter: {duct: left, full_psi: 36, percent_per_second: 3.3, stalls_percent: 46, takes_psi: 4, cuts_out_percent: 44}\n", "", "a turbofan engine needs `air_starter`"),
        ("air_starter: {duct: left,", "air_starter: {duct: lift,", "no duct 'lift'; did you mean 'left'"),
        ("kind: turbofan", "kind: piston", "a piston engine needs `starter`"),
        ("kind: turbofan", "kind: piston", "a piston engine has no `air_starter`"),
        ("seconds: 70, best_degrees: 0.6}", "best_degrees: 0.6}", "mode 'rapid' has no duration or accuracy"),
        ("levelling_seconds: 150, best_degrees: 0.12,", "levelling_seconds: 150,", "mode 'full' has no duration or accuracy"),
        ("gyro: compass,", "gyro: sextant,", "no gyro 'sextant'"),
        ("idle_percent: 52", "idle_percent: 72", "the governor holds 58 %, so it never reaches 72 %"),
        ("latitude_entry: latitude", "latitude_entry: align_mode", "align_mode is a rotary; a position needs an `entry`"),
        ("backup_seconds: 300", "backup_seconds: 0", "for how many seconds its backup bus"),
        ("meanwhile: moving", "meanwhile: rolling", "no state of the service 'rolling'"),
        ("system: fore, when: engine.1.running}", "system: fore, watts: 20, when: engine.1.running}", "one that an engine drives has neither"),
        ('needs: control.beacon == "ON"', 'needs: control.bacon == "ON"', "did you mean 'control.beacon'"),
    ],
)  # fmt: skip
def test_an_airframe_that_cannot_work_is_refused_with_line_and_remedy(
    tmp_path: Path, old: str, new: str, says: str
) -> None:
    import re

    assert old in ROWAN, "the test's own premise"
    found = checked(tmp_path, ROWAN.replace(old, new))
    assert any(re.search(says, each) for _, _, each in found), found


def test_a_bus_that_nobody_can_feed_is_refused(tmp_path: Path) -> None:
    lonely = "    - {id: lonely, name: Lonely, kind: dc, nominal_volts: 28, permitted: {min: 22, max: 29}, alive_above: 18, dead_below: 15}\n"
    text = ROWAN.replace("  batteries:\n", lonely + "  batteries:\n", 1)
    assert any("nothing can feed lonely" in says for _, _, says in checked(tmp_path, text))


def test_a_comparator_that_its_own_load_would_make_chatter_is_refused(tmp_path: Path) -> None:
    def with_hysteresis(volts: float) -> list[str]:
        text = ROWAN.replace(
            "comparators:\n",
            f"comparators:\n  - {{id: heavy, quantity: bus.dc_essential.volts, on_above: 24, off_below: {24 - volts}}}\n",
            1,
        ).replace(
            "  loads:\n",
            "  loads:\n    - {id: heater, name: Heater, bus: dc_essential, watts: 900, when: comparator.heavy}\n",
            1,
        )
        return [says for _, _, says in checked(tmp_path, text)]

    assert any("it would chatter" in says for says in with_hysteresis(0.1))
    assert with_hysteresis(3) == []


def test_a_comparator_is_not_found_inside_anothers_name(tmp_path: Path) -> None:
    """A heavy load that `weak_cabin` switches says nothing about `weak`."""
    comparators = (
        "comparators:\n  - {id: weak, quantity: bus.dc_service.volts, on_above: 24.1, off_below: 24}\n"
        "  - {id: weak_cabin, quantity: bus.dc_service.volts, on_above: 27, off_below: 20}\n"
    )
    text = ROWAN.replace("comparators:\n", comparators)
    heavy = "  loads:\n    - {id: heavy, name: Heavy, bus: dc_service, watts: 4000, when: comparator.weak_cabin}\n"
    assert "  loads:\n" in text
    found = [says for _, _, says in checked(tmp_path, text.replace("  loads:\n", heavy)) if "chatter" in says]
    assert found == []
    itself = heavy.replace("comparator.weak_cabin", "comparator.weak")
    found = [says for _, _, says in checked(tmp_path, text.replace("  loads:\n", itself)) if "chatter" in says]
    assert len(found) == 1


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("control: flap_lever", "control: flap_leaver", "did you mean 'flap_lever'"),
        ("to: DOWN", "to: ASIDE", "gear_lever has no position 'ASIDE'; it has UP, DOWN"),
        ("kind: wait", "kind: weight", "no kind of item"),
        ("id: outside", "id: log", "given 2 times"),
        ("action: change", "action: paint", "no action of ground_power 'paint'"),
        ("until: lamp.ground_ready", "until: lamp.ground_redy", "did you mean 'lamp.ground_ready'"),
        ("read_tolerance: 2\n", "read_tolerance: -2\n", "greater than 0"),
    ],
)
def test_a_checklist_that_cannot_work_is_refused_with_line_and_remedy(
    tmp_path: Path, old: str, new: str, says: str
) -> None:
    assert old in CHECKLIST
    found = checked(tmp_path, CHECKLIST.replace(old, new, 1))
    assert any(says in each for _, _, each in found), found


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("airframe: rowan-r2", "airframe: rowan-r9", "did you mean 'rowan-r2'"),
        ("checklists: [rowan-r2-frost]", "checklists: [rowan-frost]", "no checklist 'rowan-frost'"),
        ("{main: 0.72, start: 0.08}", "{main: 0.72}", "needs a charge for battery 'start'"),
        ('hydraulic_pump: "ON"', 'hydraulic_pump: "MAYBE"', "has no position 'MAYBE'"),
        ("id: altimeter_setting", "id: altimeter", "no paper value (needed by item 'altimeter')"),
        ("latitude_degrees: 58.4", "latitude_degrees: 158.4", "less than or equal to 90"),
        ("pass_mark: 75", "pass_mark: seventy", "should be a number"),
        ("minutes_at_most: 60", "minutes_at_most: .inf", "finite"),
    ],
)
def test_an_exercise_that_cannot_work_is_refused_with_line_and_remedy(
    tmp_path: Path, old: str, new: str, says: str
) -> None:
    assert old in EXERCISE
    found = checked(tmp_path, EXERCISE.replace(old, new, 1))
    assert any(says in each for _, _, each in found), found


def test_a_broken_exercise_gives_no_bundle(tmp_path: Path) -> None:
    path = tmp_path / "it.yaml"
    path.write_text(EXERCISE.replace("pass_mark: 75", "pass_mark: 175"))
    with pytest.raises(DocumentError) as caught:
        Library([tmp_path]).bundle(path)
    assert "pass_mark" in str(caught.value)


def test_the_bundle_survives_its_canonical_json(frost: Bundle) -> None:
    again = Bundle.from_canonical_json(frost.canonical_json)
    assert again == frost
    assert again.digest == frost.digest


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("entry: latitude}", "entry: lattitude}", "no entry 'lattitude'; did you mean 'latitude'"),
        ("value: 1009,", "value: 1909,", "takes 940 to 1060, so not 1909"),
        ("value: 118,", 'value: "fast",', "takes 80 to 180, so not 'fast'"),
    ],
)
def test_papers_that_name_no_entry_are_refused(tmp_path: Path, old: str, new: str, says: str) -> None:
    text = (SHIPPED / "exercises" / "full-cold-start.yaml").read_text()
    assert old in text, "the test's own premise"
    assert any(says in each for _, _, each in checked(tmp_path, text.replace(old, new)))


@pytest.mark.parametrize(
    ("document", "old", "new", "says"),
    [
        ("before-power", "id: wipers,", "id: brake-again, kind: verify, challenge: Brake, response: SET, control: parking_brake, to: SET}\n      - {id: wipers,", "'brake-again' and 'brake' ask for the same action and are in no order"),
        ("start", "control: beacon, to: \"ON\",", "control: beacon, to: \"ON\", after: [duct],", "the order goes in a circle through .*beacon"),
    ],
)  # fmt: skip
def test_an_order_that_nobody_could_keep_or_judge_is_refused(
    tmp_path: Path, document: str, old: str, new: str, says: str
) -> None:
    import re

    text = (SHIPPED / "checklists" / f"rowan-r2-{document}.yaml").read_text()
    assert old in text, "the test's own premise"
    assert checked(tmp_path, text) == []
    found = checked(tmp_path, text.replace(old, new, 1))
    assert any(re.search(says, each) for _, _, each in found), found


def test_item_ids_are_told_apart_across_the_checklists_of_an_exercise(tmp_path: Path) -> None:
    text = (SHIPPED / "exercises" / "full-cold-start.yaml").read_text()
    twice = text.replace("rowan-r2-apu-late,", "rowan-r2-apu-late, rowan-r2-apu,")
    assert any("the item id 'boost' is given 2 times" in each for _, _, each in checked(tmp_path, twice))


@pytest.mark.parametrize("name", ["airframe", "checklist", "exercise"])
def test_shipped_documents_meet_the_published_schema(name: str) -> None:
    """Source: JSON Schema draft 2020-12, read by `jsonschema` as an independent reader."""
    schema = document_schema(name)
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    for path in sorted((SHIPPED / f"{name}s").glob("*.yaml")):
        data = YAML(typ="safe").load(path.read_text())
        assert list(validator.iter_errors(data)) == []
    data["unheard_of"] = 1
    assert list(validator.iter_errors(data))


def test_the_schemas_in_docs_are_the_ones_the_code_publishes() -> None:
    import json

    folder = Path(__file__).parents[2] / "docs" / "schemas"
    for name in ("airframe", "checklist", "exercise"):
        assert json.loads((folder / f"{name}.json").read_text()) == document_schema(name), name
