"""What the documents say is what the code has: kinds, verdicts, verbs, commands, dependencies, pictures."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import get_args

import pytest

from lumenstat.assessment.ledger import Effect, Outcome, Verdict
from lumenstat.cli import app
from lumenstat.documents.airframe import Airframe, Electrical
from lumenstat.documents.design_rules import FOUND_BY_THE_MODEL, RULES
from lumenstat.documents.exercise import Exercise, FaultKind
from lumenstat.documents.loading import FORMATS
from lumenstat.errors import LumenstatError
from lumenstat.items.item import ItemBase
from lumenstat.language.expressions import PLAIN_FUNCTIONS, TIME_FUNCTIONS
from lumenstat.proving.proof import KINDS, Consequence, Severity
from lumenstat.systems.panel.part import Control, Instrument

ROOT = Path(__file__).parents[1]
DOCS = {path.stem: path.read_text() for path in (ROOT / "docs").glob("*.md")}
README = (ROOT / "README.md").read_text()


def named(words: list[str], text: str) -> list[str]:
    return [word for word in words if not re.search(rf"`[^`]*\b{re.escape(word)}\b[^`]*`", text)]


def test_every_kind_of_fault_is_explained() -> None:
    assert named(list(get_args(FaultKind)), DOCS["model"]) == []


def test_every_key_of_every_item_is_named() -> None:
    missing = set(named(list(ItemBase.model_fields), DOCS["authoring"]))
    for kind in ItemBase.__subclasses__():
        missing |= set(named([key for key in kind.model_fields if key not in ItemBase.model_fields], DOCS["authoring"]))
    assert missing == set()


@pytest.mark.parametrize("model", [Airframe, Electrical, Exercise], ids=lambda m: m.__name__)
def test_every_part_of_a_document_is_named(model: type[Airframe] | type[Electrical] | type[Exercise]) -> None:
    known = {"format", "id", "name", "family", "summary", "cautions", "title", "brief", "transfer_seconds", "seed"}
    assert named([key for key in model.model_fields if key not in known], DOCS["authoring"]) == []


def test_every_kind_of_control_and_special_instrument_is_named() -> None:
    kinds = list(get_args(Control.model_fields["kind"].annotation))
    assert named(kinds, DOCS["authoring"]) == []
    special = [
        "selector",
        "by_position",
        "dimmer",
        "visible_at",
        "boot_seconds",
        "test_control",
        "permitted",
        "mechanical",
    ]
    assert set(special) <= set(Instrument.model_fields)
    assert named(special, DOCS["authoring"]) == []


def test_every_verdict_effect_and_outcome_is_explained() -> None:
    words = [*get_args(Verdict), *get_args(Effect)]
    assert named(words, DOCS["authoring"]) == []
    assert named([word for word in get_args(Outcome) if word in ("held", "pass")], DOCS["authoring"]) == []


def test_every_finding_and_every_rule_of_design_is_explained() -> None:
    assert (
        named(
            [*KINDS, *RULES, *get_args(Severity), *get_args(Consequence.model_fields["effect"].annotation)],
            DOCS["authoring"],
        )
        == []
    )
    assert set(FOUND_BY_THE_MODEL) < set(KINDS)


def test_every_function_of_the_expression_language_is_named() -> None:
    assert named([*PLAIN_FUNCTIONS, *TIME_FUNCTIONS, "alive"], DOCS["authoring"]) == []


def test_every_document_format_has_its_chapter_and_schema() -> None:
    for name in FORMATS:
        assert f"`{name}`" in DOCS["authoring"]
        assert (ROOT / "docs" / "schemas" / f"{name.split('/')[1]}.json").exists()


def test_every_command_is_in_the_readme() -> None:
    names = [
        command.name or (command.callback.__name__ if command.callback else "") for command in app.registered_commands
    ]
    assert [name for name in names if f"lumenstat {name}" not in README] == []


def test_every_dependency_has_its_reason_and_is_pinned() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    locked = (ROOT / "requirements.lock").read_text()
    for name in project["dependencies"]:
        assert f"| {name} |" in DOCS["dependencies"], name
        assert f"{name.replace('.', '-')}==" in locked, name
    for name in project["optional-dependencies"]["test"]:
        assert name in DOCS["dependencies"], name


def test_every_picture_that_is_shown_is_there_and_every_picture_is_shown() -> None:
    shown = set(re.findall(r"screenshots/([a-z-]+\.png)", README + DOCS["model"]))
    there = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert shown == there
    assert len(there) < 20


def test_all_errors_stand_in_one_tree_and_in_its_picture() -> None:
    import lumenstat.errors as module

    made = [e for e in vars(module).values() if isinstance(e, type) and issubclass(e, LumenstatError)]
    assert module.__doc__ is not None
    assert [e.__name__ for e in made if e.__name__ not in module.__doc__] == []


def test_no_module_outgrows_its_reader() -> None:
    long = {p.name: n for p in (ROOT / "src").rglob("*.py") if (n := len(p.read_text().splitlines())) > 400}
    assert long == {}


def test_no_line_of_a_template_is_too_long_to_read() -> None:
    templates = ROOT / "src" / "lumenstat" / "web" / "templates"
    long = {
        str(path.relative_to(templates)): len(line)
        for path in templates.rglob("*.html")
        for line in path.read_text().splitlines()
        if len(line) > 160
    }
    assert long == {}
