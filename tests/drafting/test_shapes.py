"""Texts that are YAML but not shaped like a draft: refused with line and remedy, or shown; never a page that breaks."""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator
from typing import Any

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.drafting.beginnings import copy_of
from lumenstat.drafting.draft import Draft, read_draft
from lumenstat.drafting.edits import set_exercise, set_fields
from lumenstat.drafting.trees import text_of, tree_of
from lumenstat.errors import DocumentError, EditRefused
from lumenstat.web.pages.builder_edits import edit
from lumenstat.web.pages.builder_inspector import inspected
from lumenstat.web.pages.builder_proof import proof_view
from lumenstat.web.pages.builder_script import sections_of

CHECKLIST = """format: lumenstat/checklist/1
id: x
sections:
  - id: a
    title: A
    items:
      - {id: one, kind: check, instrument: battery_volts, expect: {min: 24}}
"""


@pytest.mark.parametrize(
    ("was", "now", "line", "says"),
    [
        ("sections:\n", "sections: none\nrest:\n", 3, "sections is a list, with a hyphen before each entry"),
        ("expect: {min: 24}", "expect: 24", 7, r"sections\[0\].items\[0\].expect is a mapping"),
        ("expect: {min: 24}", "if_not: stop", 7, r"if_not is a mapping, with a name"),
        ("expect: {min: 24}", "branches: {id: b}", 7, "branches is a list"),
        ("expect: {min: 24}", "hints: [{a: b}]", 7, r"hints\[0\] is one plain value"),
        ("      - {id: one", "      -\n      - {id: one", 7, r"items\[0\] is a mapping"),
        ("    items:\n      - {id: one", "    items:\n    more:\n      - {id: one", 6, "items is a list"),
    ],
)
def test_a_text_of_another_shape_is_refused_with_its_line(was: str, now: str, line: int, says: str) -> None:
    tree_of(CHECKLIST)
    with pytest.raises(DocumentError, match=says) as refused:
        tree_of(CHECKLIST.replace(was, now))
    assert refused.value.problems[0].line == line


def test_a_field_inside_something_plain_is_refused(frost: Bundle) -> None:
    draft = copy_of(frost, "Frost, copied")
    with pytest.raises(EditRefused, match="there is no 'min' in 'x'; mend it as text"):
        set_fields(draft, "main-at-rest", {"expect": "x", "expect.min": "24"})
    with pytest.raises(EditRefused, match="there is no 'beacon' in 'x'"):
        set_exercise(draft, {"start.controls": "x", "start.controls.beacon": "ON"})
    with pytest.raises(DocumentError, match="expect is a mapping"):
        edit(draft, frost.airframe, "fields", {"item": "main-at-rest", "fields": {"expect": "x"}})


def places(tree: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    for key, part in tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ():
        yield (*path, key)
        yield from places(part, (*path, key))


@pytest.mark.parametrize("seed", range(40))
def test_whatever_a_text_holds_the_builder_shows_it_or_says_why_not(frost: Bundle, seed: int) -> None:
    """One place of a draft's texts becomes something else; the page with all its parts is made of what is left."""
    chance = random.Random(seed)
    draft = copy_of(frost, "Frost, copied")
    texts = [draft.exercise, *draft.checklists]
    number = chance.randrange(len(texts))
    tree = copy.deepcopy(tree_of(texts[number]))
    *around, last = chance.choice(list(places(tree)))
    here: Any = tree
    for key in around:
        here = here[key]
    here[last] = chance.choice([None, "x", 3, True, [], {}, ["x"], [None], {"x": "y"}, [{"x": "y"}]])
    try:
        texts[number] = text_of(tree)
        tree_of(texts[number])
    except DocumentError as error:
        assert all(problem.line > 0 and problem.says for problem in error.problems)
        return
    changed = Draft(texts[0], tuple(texts[1:]))
    read, sections = read_draft(changed), sections_of(changed, {}, {})
    view = proof_view(changed, read, None, (), {})
    rows = [row.id for section in sections for row in section.rows]
    for selected in ("exercise", "texts", *rows[:8], *(f"section:{section.id}" for section in sections)):
        assert inspected(changed, read, selected, sections, view).what
