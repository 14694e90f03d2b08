"""Edits of a draft: comments stay, nothing else moves, and what cannot be done is refused with a remedy."""

from __future__ import annotations

from typing import Any

import pytest

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Bundle, Library, shipped_exercises
from lumenstat.drafting.beginnings import copy_of, from_nothing, from_texts
from lumenstat.drafting.draft import Draft, read_draft
from lumenstat.drafting.edits import (
    add_branch,
    add_into_branch,
    add_item,
    add_section,
    append_to_exercise,
    change_kind,
    drop_branch,
    drop_from_exercise,
    move_item,
    remove_item,
    set_exercise,
    set_fields,
    set_section,
    shift_item,
)
from lumenstat.errors import DocumentError, EditRefused
from tests.procedures import shipped


def rowan() -> Airframe:
    found = Library().find(Airframe, "rowan-r2")
    assert found and isinstance(found.document, Airframe)
    return found.document


def order(draft: Draft) -> list[str]:
    read = read_draft(draft)
    assert read.bundle is not None, [problem.says for problem in read.problems]
    return [item.id for c in read.bundle.checklists for section in c.sections for item in section.items]


@pytest.fixture
def draft() -> Draft:
    return copy_of(shipped("guided-power-up"), "A copy")


@pytest.mark.parametrize("name", [path.stem for path in shipped_exercises()])
def test_a_copy_is_the_exercise_under_another_name(name: str) -> None:
    bundle = shipped(name)
    copied = read_draft(copy_of(bundle, "Another name")).bundle
    assert copied is not None and copied.exercise.id == "another-name"
    renamed = {"id": bundle.exercise.id, "title": bundle.exercise.title, "checklists": bundle.exercise.checklists}
    assert copied.exercise.model_copy(update=renamed) == bundle.exercise
    for one, other in zip(copied.checklists, bundle.checklists, strict=True):
        assert one.model_copy(update={"id": other.id}) == other


def test_an_edit_leaves_every_other_line_and_every_comment_alone(draft: Draft) -> None:
    files = [SHIPPED / "checklists" / f"{each.id}.yaml" for each in shipped("guided-power-up").checklists]
    first, *others = [file.read_text() for file in files]
    commented = Draft(draft.exercise, ("# Written in the rain.\n" + first, *others))
    changed = set_fields(commented, "wipers", {"weight": "4", "critical": "true", "why": "So that nothing sweeps."})
    before, after = commented.checklists[0].splitlines(), changed.checklists[0].splitlines()
    assert after[0] == "# Written in the rain."
    assert [n for n, (a, b) in enumerate(zip(before, after, strict=True)) if a != b] == [
        next(n for n, line in enumerate(before) if "id: wipers" in line)
    ]
    assert changed.checklists[1:] == commented.checklists[1:]


def test_yaml_out_and_in_again_loses_nothing(draft: Draft) -> None:
    texts = [("exercise.yaml", draft.exercise), *((f"c{n}.yaml", text) for n, text in enumerate(draft.checklists))]
    assert from_texts(texts[::-1]) == draft


def test_items_are_added_moved_shifted_and_taken_out(draft: Draft) -> None:
    names = order(draft)
    changed, name = add_item(
        draft, {"kind": "set", "challenge": "Beacon", "response": "ON", "control": "beacon", "to": "ON"}, "wipers"
    )
    assert (name, order(changed)[order(changed).index("wipers") + 1]) == ("beacon", "beacon")
    again, second = add_item(changed, {"kind": "confirm", "challenge": "Beacon", "response": "So", "statement": "So."})
    assert second == "beacon-2" and order(again)[-1] == "beacon-2"
    up = shift_item(changed, "beacon", -1)
    assert order(up).index("beacon") == order(changed).index("beacon") - 1
    first = move_item(changed, "beacon", None)
    assert order(first)[0] == "beacon"
    assert order(remove_item(changed, "beacon")) == names


def test_an_item_goes_over_the_edge_of_its_section(draft: Draft) -> None:
    split = add_section(draft, "Second part", "wipers")
    sections = read_draft(split).checklists[0].sections
    assert [section.title for section in sections][-1] == "Second part" and sections[-1].items[0].id == "wipers"
    back = shift_item(split, "wipers", -1)
    assert read_draft(back).checklists[0].sections[-2].items[-1].id == "wipers"
    assert order(back) == order(draft)
    titled = set_section(split, sections[-1].id, {"order": "any", "title": "Looked at"})
    assert read_draft(titled).checklists[0].sections[-1].order == "any"


def test_kinds_change_and_fields_are_typed(draft: Draft) -> None:
    looked = change_kind(draft, "wipers", "set")
    assert "{id: wipers, kind: set" in looked.checklists[0]
    held = set_fields(draft, "wipers", {"hints": "One\nTwo", "not_before.item": "log", "not_before.seconds": "3"})
    item = next(i for c in read_draft(held).checklists for s in c.sections for i in s.items if i.id == "wipers")
    assert item.hints == ("One", "Two") and item.not_before is not None and item.not_before.seconds == 3
    gone = set_fields(held, "wipers", {"not_before.item": "", "not_before.seconds": ""})
    assert "not_before" not in gone.checklists[0]


def test_the_exercise_is_edited_by_path_and_by_line(draft: Draft) -> None:
    colder = set_exercise(draft, {"start.outside_celsius": -8, "start.controls.beacon": "ON", "pass_mark": 80})
    exercise = read_draft(colder).exercise
    assert exercise is not None
    assert (exercise.start.outside_celsius, exercise.start.controls["beacon"], exercise.pass_mark) == (-8, "ON", 80)
    faulty = append_to_exercise(draft, "faults", {"id": "f", "kind": "bulb_dead", "target": "ground_ready", "at": 5})
    read = read_draft(faulty)
    assert read.bundle is not None and read.bundle.exercise.faults[0].kind == "bulb_dead"
    assert drop_from_exercise(faulty, "faults", 0).exercise.count("bulb_dead") == 0


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: set_fields(d, "wipers", {"weight": "heavy"}), "weight takes a figure, not 'heavy'"),
        (lambda d: set_fields(d, "wipers", {"id": "gear-lever"}), "there is an item 'gear-lever' already"),
        (lambda d: set_fields(d, "sails", {"why": "So"}), "there is no item 'sails' any more"),
        (lambda d: change_kind(d, "wipers", "wish"), "there is no kind 'wish'"),
        (lambda d: drop_from_exercise(d, "faults", 3), "there is no line 4 in faults"),
        (lambda d: add_section(d, "Empty", order(d)[0]), "would leave nothing"),
        (lambda d: remove_item(from_nothing(rowan(), "One"), "technical-log"), "at least one item"),
    ],
)
def test_what_cannot_be_done_is_refused_with_a_remedy(draft: Draft, change: Any, says: str) -> None:
    with pytest.raises(EditRefused, match=says):
        change(draft)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a: &a [1]\nb: *a\n", "anchors and aliases"),
        ("a: 1\na: 2\n", "stands here twice"),
        ("a:\n\t- 1\n", "tab"),
        ("- 1\n", "a document is a mapping"),
    ],
)
def test_texts_that_cannot_be_read_are_refused_by_line(text: str, says: str) -> None:
    with pytest.raises(DocumentError, match=says):
        from_texts([("exercise.yaml", text)])


def test_a_broken_field_names_its_item(draft: Draft) -> None:
    read = read_draft(set_fields(draft, "wipers", {"to": "SIDEWAYS"}))
    assert read.bundle is None
    problem = next(p for p in read.problems if p.stops)
    assert problem.item == "wipers" and "wipers has no position 'SIDEWAYS'" in problem.says
    hollow = read_draft(set_fields(draft, "wipers", {"control": "", "why": ""}))
    assert {p.item for p in hollow.problems if p.stops} == {"wipers"}
    long = read_draft(set_fields(draft, "wipers", {"applies_when": " and ".join(["bus.no_such.alive"] * 3)}))
    assert any("there is no quantity" in p.says and p.item == "wipers" for p in long.problems)


def test_from_nothing_it_can_be_flown_at_once() -> None:
    read = read_draft(from_nothing(rowan(), "First steps"))
    assert read.bundle is not None and read.problems == ()


def test_branches_are_added_filled_and_taken_away() -> None:
    draft = copy_of(shipped("apu-loop-open"), "Branches")
    more = add_branch(draft, "loops")
    checklist = read_draft(more).checklists[-1]
    decide = next(i for section in checklist.sections for i in section.items if i.id == "loops")
    assert decide.kind == "decide" and len(decide.branches) == 3
    changed = set_fields(more, "loops", {"branches.2.when": "lamp.apu_fire", "branches.2.says": "It burns"})
    filled, name = add_into_branch(
        changed,
        "loops",
        decide.branches[2].id,
        {"kind": "confirm", "challenge": "Out", "response": "All", "statement": "All are out."},
    )
    assert read_draft(filled).bundle is not None
    assert f"id: {name}" in filled.checklists[-1] and "It burns" in filled.checklists[-1]
    assert len(drop_branch(more, "loops", decide.branches[2].id).checklists[-1]) < len(more.checklists[-1])
    with pytest.raises(EditRefused, match="at least two branches"):
        drop_branch(draft, "loops", "start")
    with pytest.raises(EditRefused, match="has no branch"):
        add_into_branch(draft, "loops", "none", {"challenge": "x"})
    low = add_branch(draft, "essential-volts")
    assert "if_not" in low.checklists[-1] or "if_not" in "".join(low.checklists)
    with pytest.raises(EditRefused, match="only a decision or a reading"):
        add_branch(draft, "feed")


def test_a_branch_takes_its_time_and_an_item_the_branch_it_hangs_on(frost: Bundle) -> None:
    draft = copy_of(frost, "Frost, copied")
    draft = set_fields(draft, "start-decision", {"branches.0.within_seconds": "20"})
    draft = set_fields(draft, "ac-hertz", {"of_branch.item": "start-decision", "of_branch.branch": "charge"})
    read = read_draft(draft)
    assert read.problems == ()
    assert read.bundle is not None
    by_id = read.bundle.procedure.by_id
    assert by_id["ac-hertz"].branch == ("start-decision", "charge")
    assert by_id["start-decision"].item.due("charge") == (
        "battery.start.volts >= 22.8 and battery.start.volts < 24.6",
        20.0,
    )
    with pytest.raises(EditRefused, match="takes a figure, not 'soon'"):
        set_fields(draft, "start-decision", {"branches.0.within_seconds": "soon"})
    broken = read_draft(set_fields(draft, "ac-hertz", {"of_branch.branch": "chargee"}))
    assert any("no branch 'chargee'; did you mean 'charge'?" in problem.says for problem in broken.problems)
