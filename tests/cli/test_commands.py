"""The command line: what it prints, its JSON, and its exit codes."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import pytest
from typer.testing import CliRunner, Result

from lumenstat.cli import app
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Library, shipped_exercises
from lumenstat.documents.runlog import RunLog

EXERCISE = str(next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp"))
runner = CliRunner()


@pytest.fixture
def log_file(tmp_path: Path, perfect_log: RunLog) -> str:
    path = tmp_path / "run.jsonl"
    path.write_text(perfect_log.text())
    return str(path)


def test_check_is_silent_about_good_documents_and_finds_bad_ones(tmp_path: Path) -> None:
    good = runner.invoke(app, ["check", *(str(p) for p in SHIPPED.glob("*/*.yaml")), "--json"])
    assert good.exit_code == 0
    assert all(each["ok"] for each in json.loads(good.stdout)["files"])
    bad = tmp_path / "bad.yaml"
    bad.write_text(Path(EXERCISE).read_text().replace("pass_mark: 75", "pass_mark: 500"))
    found = runner.invoke(app, ["check", str(bad), "--json"])
    assert found.exit_code == 1
    (problem,) = json.loads(found.stdout)["files"][0]["problems"]
    assert problem["path"] == "pass_mark"
    assert problem["line"] > 1
    assert "line" in runner.invoke(app, ["check", str(bad)]).stdout


def test_run_gives_the_state_at_the_end_and_a_trace(log_file: str, tmp_path: Path) -> None:
    trace = tmp_path / "trace.csv"
    result = runner.invoke(app, ["run", EXERCISE, "--log", log_file, "--trace", str(trace), "--every", "10", "--json"])
    assert result.exit_code == 0
    said = json.loads(result.stdout)
    assert said["ended_at"] == 1050.0
    assert said["state"]["bus.ac_left.alive"] is True
    with trace.open() as file:
        rows = list(csv.DictReader(file))
    assert [float(row["time"]) for row in rows[:3]] == [0.0, 10.0, 20.0]
    assert len(rows) == 106
    assert float(rows[-1]["bus.dc_left.volts"]) > 27


def test_prove_prints_what_the_contract_says(tmp_path: Path) -> None:
    exercise = str(next(p for p in shipped_exercises() if p.stem == "battery-and-apu"))
    result = runner.invoke(app, ["prove", exercise, "--leave-out", "--json"])
    assert result.exit_code == 0
    said = json.loads(result.stdout)
    assert said["ok"] is True and said["ready_at"] == pytest.approx(66.6, abs=3)
    assert set(said["items"][0]) == {"item", "starts", "ends", "slack"}
    assert set(said["critical_path"]) <= {item["item"] for item in said["items"]}
    assert {"item", "change", "effect", "says", "seconds"} <= set(said["consequences"][0])
    assert {each["change"] for each in said["consequences"]} == {"left-out", "swapped"}
    assert [each["item"] for each in said["at_limits"]] == ["main-at-rest", "start-at-rest"]
    assert "critical path" in runner.invoke(app, ["prove", exercise]).stdout


def test_prove_finds_what_is_wrong_and_refuses_what_is_no_exercise(tmp_path: Path) -> None:
    checklist = (SHIPPED / "checklists" / "rowan-r2-battery.yaml").read_text()
    assert "kind: wait" in checklist
    broken = checklist.replace("until: lamp.apu_available", "until: lamp.ground_ready")
    assert broken != checklist
    (tmp_path / "rowan-r2-battery.yaml").write_text(broken)
    exercise = tmp_path / "battery-and-apu.yaml"
    exercise.write_text((SHIPPED / "exercises" / "battery-and-apu.yaml").read_text())
    result = runner.invoke(app, ["prove", str(exercise), "--json"])
    assert result.exit_code == 1
    kinds = {finding["kind"] for finding in json.loads(result.stdout)["findings"]}
    assert "wait-never-ends" in kinds
    (tmp_path / "rowan-r2-battery.yaml").write_text(
        checklist.replace("    items:\n      - id:", "    items:\n      - after: [load]\n        id:", 1)
    )
    assert runner.invoke(app, ["prove", str(tmp_path / "nothing.yaml")]).exit_code == 2


def test_score_prints_one_json_object(log_file: str) -> None:
    result = runner.invoke(app, ["score", EXERCISE, log_file, "--json"])
    assert result.exit_code == 0
    said = json.loads(result.stdout)
    assert (said["outcome"], said["percent"]) == ("pass", 100.0)
    assert said["points"]["earned"] == sum(item["earned"] for item in said["items"])
    assert "Passed: 100.0 %" in runner.invoke(app, ["score", EXERCISE, log_file]).stdout


def test_a_failed_exercise_is_a_result(tmp_path: Path, perfect_log: RunLog) -> None:
    path = tmp_path / "short.jsonl"
    path.write_text(RunLog(perfect_log.exercise, "other digest", "e", perfect_log.events[-1:]).text())
    result = runner.invoke(app, ["score", EXERCISE, str(path), "--json"])
    assert result.exit_code == 0
    assert '"fail"' in result.stdout
    assert json.loads(result.stdout)["note"] == "The documents have changed since this log was flown."
    assert "documents have changed" in runner.invoke(app, ["score", EXERCISE, str(path)]).stderr


def test_prove_says_in_words_whether_it_can_be_flown(tmp_path: Path) -> None:
    assert runner.invoke(app, ["prove", EXERCISE]).stdout.startswith("can be flown; ready at ")
    wrong = (
        (SHIPPED / "checklists" / "rowan-r2-battery.yaml")
        .read_text()
        .replace("lamp.apu_available", "lamp.ground_ready")
    )
    (tmp_path / "rowan-r2-battery.yaml").write_text(wrong)
    exercise = tmp_path / "battery-and-apu.yaml"
    exercise.write_text((SHIPPED / "exercises" / "battery-and-apu.yaml").read_text())
    said = runner.invoke(app, ["prove", str(exercise)])
    assert (said.exit_code, said.stdout.split(";")[0]) == (1, "cannot be flown as written")


@pytest.mark.parametrize("name", ["full-cold-start", "sides-moved-by-hand", "frost-on-the-ramp"])
def test_the_perfect_flight_as_a_log_is_judged_whole_without_an_extra(name: str, tmp_path: Path) -> None:
    """Two airframes; what the judge says of every perfect flight is kept in `tests/kept`."""
    path = SHIPPED / "exercises" / f"{name}.yaml"
    log = tmp_path / "perfect.jsonl"
    runner.invoke(app, ["prove", str(path), "--log", str(log)])
    said = json.loads(runner.invoke(app, ["score", str(path), str(log), "--json"]).stdout)
    assert (said["outcome"], said["percent"], said["extras"]) == ("pass", 100.0, [])
    assert {item["verdict"] for item in said["items"]} <= {"done", "not-applicable"}


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (["score", EXERCISE, "missing.jsonl"], "missing.jsonl: no such file"),
        (["run", "missing.yaml", "--log", "x"], "no such file"),
        (["schema", "aircraft"], "there is no schema"),
        (["quantities", "rowan-r3"], "did you mean 'rowan-r2'"),
        (["score", str(SHIPPED / "airframes" / "rowan-r2.yaml"), "x"], "is not an exercise"),
    ],
)
def test_unusable_input_exits_2_and_says_why(args: list[str], says: str) -> None:
    result = runner.invoke(app, args)
    assert result.exit_code == 2
    assert says in result.stderr


def test_a_cut_off_log_is_named_by_line(tmp_path: Path, perfect_log: RunLog) -> None:
    path = tmp_path / "cut.jsonl"
    path.write_text(perfect_log.text()[:-20])
    result = runner.invoke(app, ["score", EXERCISE, str(path)])
    assert result.exit_code == 2
    assert "line 39" in result.stderr


def test_quantities_and_schema() -> None:
    listed = json.loads(runner.invoke(app, ["quantities", "rowan-r2", "--json"]).stdout)["quantities"]
    by_name = {each["name"]: each for each in listed}
    assert by_name["battery.main.volts"]["unit"] == "V"
    assert all(each["meaning"] for each in listed)
    schema = json.loads(runner.invoke(app, ["schema", "checklist"]).stdout)
    assert schema["$schema"].endswith("2020-12/schema")


def test_explain_prints_the_code_that_runs_with_the_lines_it_is_written_in() -> None:
    from lumenstat.simulation.plan import plan_for

    result = runner.invoke(app, ["explain", "--code", "rowan-r2"])
    assert result.exit_code == 0
    printed = [line.strip() for line in result.stdout.splitlines()]
    loaded = Library().find(Airframe, "rowan-r2")
    assert loaded is not None
    assert isinstance(loaded.document, Airframe)
    runs = [line.strip() for line in plan_for(loaded.document).logic_source.splitlines()]
    assert [line for line in runs if not line.startswith("(")] == [
        line for line in printed[: printed.index("def flipped(d, a):")] if line in runs and not line.startswith("(")
    ]
    written = (SHIPPED / "airframes" / "rowan-r2.yaml").read_text().splitlines()
    named = [line for line in printed if line.startswith("# line ")]
    assert len(named) > 75
    for line in named:
        number, rest = line.removeprefix("# line ").split(",", 1)
        key = rest.split(":", 1)[0].rsplit(".", 1)[-1].split("[")[0].strip()
        assert key in written[int(number) - 1] or key in ("feeding",), line


def test_explain_of_an_airframe_that_there_is_not_says_which_there_are() -> None:
    result = runner.invoke(app, ["explain", "rowan-r3"])
    assert result.exit_code == 2
    assert "did you mean 'rowan-r2'?" in result.stderr


# ---- people ----------------------------------------------------------------------------------------------------------


def test_a_school_that_is_locked_out_gets_in_by_the_command_line(tmp_path: Path, quick_hashes: None) -> None:
    from lumenstat.records.database import Database
    from lumenstat.records.people import check_password, find_person

    path = str(tmp_path / "school.sqlite")

    def people(*args: str) -> Result:
        return CliRunner().invoke(app, ["people", *args, "--database", path])

    added = json.loads(people("add", "Hilde Orme", "--role", "head", "--json").stdout)
    assert (added["sign_in_name"], added["role"]) == ("hilde.orme", "head")
    classlist = tmp_path / "class.csv"
    classlist.write_text("Name,Class\nAda Quill,Autumn\nBo Ferris,\n")
    taken = json.loads(people("take-in", str(classlist), "--group", "Rest", "--json").stdout)["people"]
    assert [each["sign_in_name"] for each in taken] == ["ada.quill", "bo.ferris"]
    assert people("keep-out", "ada.quill").exit_code == 0
    assert "Ada Quill (kept out)" in people("list").stdout
    new = json.loads(people("password", "ada.quill", "--json").stdout)["password"]
    opened = Database(Path(path))
    ada = opened.read(lambda s: find_person(s, "ada.quill"))
    opened.close()
    assert ada is not None and ada.active and ada.must_change and check_password(ada, new)
    assert people("role", "bo.ferris", "instructor").exit_code == 0
    assert people("let-in", "ada.quill").exit_code == 0
    for wrong, says in (
        (("keep-out", "hilde.orme"), "only head of training"),
        (("role", "bo.ferris", "pilot"), "no role 'pilot'"),
        (("password", "nobody"), "nobody signs in as 'nobody'"),
        (("take-in", str(tmp_path / "none.csv")), "No such file"),
        (("add", " "), "name is needed"),
    ):
        answer = people(*wrong)
        assert answer.exit_code == 2 and says in answer.stderr, answer.stderr
    classlist.write_text("Name\n\n,\n")
    assert people("take-in", str(classlist)).exit_code == 2


def test_the_schemas_of_both_sockets_can_be_printed() -> None:
    for name in ("socket", "desk"):
        printed = json.loads(CliRunner().invoke(app, ["schema", name]).stdout)
        kept = json.loads((Path(__file__).parents[2] / "docs" / "schemas" / f"{name}.json").read_text())
        assert printed == kept


def test_texts_lists_what_has_no_words_yet(tmp_path: Path) -> None:
    path = str(SHIPPED / "checklists" / "rowan-r2-before-power.yaml")
    found = runner.invoke(app, ["texts", "de", path])
    assert (
        found.exit_code == 0
        and '    "Electric hydraulic pump": ""' in found.stdout
        and "Technical log" not in found.stdout
    )
    every = json.loads(runner.invoke(app, ["texts", "fr", path, "--json"]).stdout)
    assert "Technical log" in every["files"][path]
    wrong = runner.invoke(app, ["texts", "German", path])
    assert wrong.exit_code == 2 and "two letters" in wrong.output
    assert runner.invoke(app, ["texts", "de", str(tmp_path / "none.yaml")]).exit_code == 2
