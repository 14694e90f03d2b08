"""The middle of the builder: what stands there for an item, a section, the exercise or its texts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.draft import Draft, Read
from lumenstat.drafting.trees import find_item, plain_of
from lumenstat.errors import NoSuchRecord
from lumenstat.language.wording import phrase
from lumenstat.simulation.actions import ready
from lumenstat.systems.registry import preview
from lumenstat.web.pages.builder_forms import (
    Field,
    Form,
    exercise_forms,
    expression,
    figure,
    flag,
    item_fields,
    section_fields,
    shared_fields,
    words,
)
from lumenstat.web.pages.builder_lists import ListForm, lists_of
from lumenstat.web.pages.builder_proof import ProofView
from lumenstat.web.pages.builder_script import ScriptSection
from lumenstat.web.rendering import Context


class BranchForm(Context):
    """One way on from a decision, or what follows a bad reading."""

    id: str
    fields: tuple[Field, ...]


class Inspected(Context):
    """The middle: an item, a section, the exercise or its texts."""

    what: str
    id: str = ""
    number: int = 0
    heading: str = ""
    note: str = ""
    kind: str = ""
    challenge: str = ""
    response: str = ""
    own: tuple[Field, ...] = ()
    forms: tuple[Form, ...] = ()
    branches: tuple[BranchForm, ...] = ()
    may_branch: bool = False
    shared: tuple[Field, ...] = ()
    says: tuple[str, ...] = ()
    out_of_place: tuple[tuple[str, str], ...] = ()
    preview: tuple[tuple[str, str], ...] = ()
    texts: tuple[tuple[str, str, str], ...] = ()
    lists: tuple[ListForm, ...] = ()
    controls: tuple[tuple[str, str], ...] = ()


def inspected(
    draft: Draft, read: Read, selected: str, sections: tuple[ScriptSection, ...], view: ProofView
) -> Inspected:
    """What stands in the middle for a selection."""
    if selected == "texts":
        checklists = [
            (str(n), phrase("Checklist {number}", number=n + 1), text) for n, text in enumerate(draft.checklists)
        ]
        return Inspected(
            what="texts",
            heading=phrase("As text"),
            texts=(("exercise", phrase("Exercise"), draft.exercise), *checklists),
        )
    # Without an airframe there are no controls to choose from, and the first thing to mend is the exercise.
    if selected == "exercise" or read.airframe is None:
        return _exercise(draft, read, view)
    rows = {row.id: row for section in sections for row in section.rows}
    names = tuple((row.id, f"{row.number} {row.challenge}") for row in rows.values())
    if selected.startswith("section:"):
        return _section(draft, selected.removeprefix("section:"), names)
    row = rows[selected]
    section = next(s for s in sections if row in s.rows)
    content = _item(draft, selected)
    others = tuple(pair for pair in names if pair[0] != selected)
    return Inspected(
        what="item",
        id=selected,
        number=row.number,
        heading=row.challenge,
        note=phrase("{section}, any order", section=section.title)
        if section.order == "any"
        else phrase("{section}, strict order", section=section.title),
        kind=row.kind,
        challenge=row.challenge,
        response=row.response,
        own=tuple(item_fields(content, read.airframe)),
        branches=tuple(_branches(content)),
        # A check without a way out can be given one; a second one would never be taken.
        may_branch=row.kind == "decide" or (row.kind == "check" and not content.get("if_not")),
        shared=shared_fields(content, others),
        says=tuple(finding.says for finding in view.findings if finding.item == selected),
    )


def _branches(content: Mapping[str, Any]) -> Iterator[BranchForm]:
    for n, branch in enumerate(content.get("branches") or ()):
        fields = (
            expression(content, f"branches.{n}.when", phrase("Right when")),
            words(content, f"branches.{n}.says", phrase("Says"), wide=True),
            figure(content, f"branches.{n}.within_seconds", phrase("Decided at most"), phrase("s after it came true")),
            flag(content, f"branches.{n}.stop", phrase("The exercise stops here"), usual=False),
        )
        yield BranchForm(id=str(branch.get("id", "")), fields=fields)
    if content.get("if_not"):
        says = words(content, "if_not.says", phrase("If it is not within limits"), wide=True)
        stop = flag(content, "if_not.stop", phrase("The exercise stops here"), usual=False)
        yield BranchForm(id=str(content["if_not"].get("id", "")), fields=(says, stop))


def _item(draft: Draft, name: str) -> dict[str, Any]:
    for text in draft.checklists:
        if (found := find_item(plain_of(text), name)) is not None:
            return dict(found[0][found[1]])
    raise NoSuchRecord(phrase("There is no item {name}.", name=repr(name)))


def _section(draft: Draft, name: str, items: tuple[tuple[str, str], ...]) -> Inspected:
    for text in draft.checklists:
        for section in plain_of(text).get("sections") or ():
            if str(section.get("id", "")) == name:
                heading = str(section.get("title", ""))
                return Inspected(what="section", id=name, heading=heading, own=section_fields(section, items))
    raise NoSuchRecord(phrase("There is no section {name}.", name=repr(name)))


def _exercise(draft: Draft, read: Read, view: ProofView) -> Inspected:
    content = plain_of(draft.exercise)
    airframe: Airframe | None = read.airframe
    start = content.get("start") or {}
    return Inspected(
        what="exercise",
        heading=phrase("The exercise"),
        forms=tuple(exercise_forms(content, airframe)) if airframe else (),
        out_of_place=tuple((str(name), str(to)) for name, to in (start.get("controls") or {}).items()),
        preview=tuple(_preview(read, view)),
        lists=tuple(lists_of(content, airframe)) if airframe else (),
        controls=tuple((c.id, c.name) for c in airframe.controls.values()) if airframe else (),
    )


def _preview(read: Read, view: ProofView) -> list[tuple[str, str]]:
    """What a start means, out of the model."""
    if read.bundle is None:
        # Asked of the model and not computed here, so that it is what the exercise will begin with.
        return []
    aircraft = ready(read.bundle.airframe, read.bundle.exercise.start, ())
    reads = aircraft.state()
    lines = [
        (phrase("{name}, at rest", name=name), f"{reads[quantity]:.1f} V")
        for name, quantity in aircraft.plan.rest_volts
    ]
    lines += preview(read.bundle.exercise.start, read.bundle.airframe)
    unknown = [(phrase("Time on battery, time to charge"), phrase("prove it to know"))] if not view.proven else []
    lines += view.standing or unknown
    lines.append((phrase("Shortest time to ready"), view.ready if view.proven else phrase("prove it to know")))
    return lines
