"""One name for one idea: no class name and no module name stands for two things."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "lumenstat"
SAME_IDEA = {
    # Each folder of a system has its documents, its states and what joins them; two lists of rooms, each found by name.
    "part", "unit", "system", "registry",
    # What the model finds out, and the desk that has it find out.
    "model_facts",
}  # fmt: skip
"""Module names that repeat on purpose, with the reason. A page is named after what it shows."""


def test_no_class_name_stands_for_two_things() -> None:
    homes = defaultdict(set)
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef):
                homes[node.name].add(str(path.relative_to(SOURCE)))
    assert {name: where for name, where in homes.items() if len(where) > 1} == {}


def test_no_module_name_stands_for_two_things() -> None:
    homes = defaultdict(set)
    for path in SOURCE.rglob("*.py"):
        if path.stem != "__init__" and path.relative_to(SOURCE).parts[0] != "web":
            homes[path.stem].add(str(path.relative_to(SOURCE)))
    assert {stem for stem, where in homes.items() if len(where) > 1} == SAME_IDEA


def test_names_of_quantities_are_put_together_in_one_place() -> None:
    """Outside the rooms of the systems nobody writes `control.x` or `bus.x.volts` by hand."""
    by_hand = re.compile(r'f"(control|guard|lamp|service|instrument|bus|battery)\.\{')
    found = {
        str(path.relative_to(SOURCE))
        for path in SOURCE.rglob("*.py")
        if path.relative_to(SOURCE).parts[0] != "systems" and by_hand.search(path.read_text())
    }
    assert found == {"language/naming.py"}
