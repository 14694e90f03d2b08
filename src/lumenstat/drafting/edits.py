"""Changes to a draft. Each gives a new draft, or raises EditRefused that says what would be right."""

from __future__ import annotations

import math
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ruamel.yaml.comments import CommentedMap, CommentedSeq

from lumenstat.drafting.draft import EARLIER_OPEN, Draft
from lumenstat.drafting.trees import find_item, ids_of, plain_of, text_of, tree_of, written
from lumenstat.errors import EditRefused
from lumenstat.items.registry import KINDS, own_keys
from lumenstat.language.wording import phrase

FIGURES = {
    "weight", "expect.min", "expect.max", "expect.equals", "read_tolerance", "seconds", "at_most",
    "not_before.seconds", "within.seconds",
}  # fmt: skip
BRANCH_FIGURES = {"within_seconds"}
LEAST_BRANCHES = 2
FLAGS = {"critical", "stop"}
LISTS = {"hints": "\n", "controls": ",", "through": ",", "after": ","}


def set_fields(draft: Draft, item: str, fields: Mapping[str, str | None]) -> Draft:
    """Set fields of an item, written as in a form; an empty one is taken away. `expect.min` reaches inside."""
    number, tree, items, at = _find(draft, item)
    for name, value in fields.items():
        if name == "id" and value and value != item and value in _all_ids(draft):
            raise EditRefused(phrase("there is an item {value} already; give another id", value=repr(value)))
        _put(items[at], name, _typed(name, value))
    renamed = fields.get("id") or item
    taken_in = tuple(renamed if name == item else name for name in draft.taken_in)
    return replace(_with(draft, number, tree), taken_in=taken_in)


def leave_to_say_so(draft: Draft, item: str) -> Draft:
    """Settle that an open item is only to be said."""
    number, tree, items, at = _find(draft, item)
    statement = str(items[at].get("statement") or "")
    if statement.startswith(EARLIER_OPEN):
        items[at]["statement"] = statement.removeprefix(EARLIER_OPEN)
        draft = _with(draft, number, tree)
    return replace(draft, taken_in=tuple(name for name in draft.taken_in if name != item))


def change_kind(draft: Draft, item: str, kind: str) -> Draft:
    """Make an item one of another kind: what both have is kept, what the new one needs is asked for by the check."""
    if kind not in KINDS:
        raise EditRefused(phrase("there is no kind {kind}; there is {kinds}", kind=repr(kind), kinds=", ".join(KINDS)))
    number, tree, items, at = _find(draft, item)
    entry = items[at]
    # Keys of other kinds would be refused where they stand; those of all kinds stay.
    for key in {key for other in KINDS for key in own_keys(other)} - set(own_keys(kind)):
        if key in entry:
            del entry[key]
    entry["kind"] = kind
    # What the new kind cannot do without, so that the item can still be read.
    for key, value in KINDS[kind].filled_in(entry).items():
        entry.setdefault(key, written(value))
    return _with(draft, number, tree)


def add_item(draft: Draft, item: Mapping[str, Any], after: str | None = None) -> tuple[Draft, str]:
    """Put an item after another one, or at the very end; gives the id it has now."""
    fresh = dict(item)
    fresh["id"] = fresh_id(draft, str(fresh.get("id") or fresh.get("challenge") or "item"))
    if after is not None:
        number, tree, items, at = _find(draft, after)
        items.insert(at + 1, written(fresh))
    else:
        number = len(draft.checklists) - 1
        tree = tree_of(draft.checklists[number])
        tree["sections"][-1]["items"].append(written(fresh))
    return _with(draft, number, tree), fresh["id"]


def append_section(draft: Draft, title: str, items: Sequence[Mapping[str, Any]]) -> Draft:
    """Put a section of these items, in strict order, behind everything."""
    taken, entries = set(_all_ids(draft)), CommentedSeq()
    for item in items:
        name = free_name(slug(str(item.get("id") or item["challenge"])), taken)
        taken.add(name)
        entries.append(written({"id": name, **{key: value for key, value in item.items() if key != "id"}}))
    number = len(draft.checklists) - 1
    tree = tree_of(draft.checklists[number])
    names = {str(section.get("id")) for section in tree["sections"]}
    tree["sections"].append(CommentedMap({"id": free_name(slug(title), names), "title": title, "items": entries}))
    return _with(draft, number, tree)


def remove_item(draft: Draft, item: str) -> Draft:
    """Take an item out; a section without items goes with its last one."""
    number, tree, items, at = _find(draft, item)
    if len(_all_ids(draft)) == 1:
        raise EditRefused(phrase("a checklist has at least one item; change this one instead"))
    del items[at]
    sections = tree["sections"]
    # From behind: what is deleted must not move what is still to be looked at.
    for place in reversed(range(len(sections))):
        if sections[place].get("items") is items and not items and len(sections) > 1:
            del sections[place]
    return _with(draft, number, tree)


def move_item(draft: Draft, item: str, after: str | None) -> Draft:
    """Move an item behind another one, or, with none, to the beginning of its own list."""
    number, tree, items, at = _find(draft, item)
    # Behind itself is where it is.
    if after == item:
        return draft
    entry = items.pop(at)
    if after is None:
        items.insert(0, entry)
        return _with(draft, number, tree)
    found = find_item(tree, after)
    if found is None:
        raise EditRefused(phrase("{after} stands in another checklist; items move within their own", after=repr(after)))
    target, place = found
    target.insert(place + 1, entry)
    _drop_empty_sections(tree)
    return _with(draft, number, tree)


def add_branch(draft: Draft, item: str) -> Draft:
    """Give a decision one more branch, or a reading something to do when it is out of limits."""
    number, tree, items, at = _find(draft, item)
    entry = items[at]
    if entry.get("kind") == "check":
        entry.setdefault("if_not", written({"id": f"{item[:56]}-not", "says": "Stop and call maintenance"}))
        return _with(draft, number, tree)
    branches = entry.get("branches")
    if branches is None:
        raise EditRefused(phrase("only a decision or a reading branches"))
    # A condition that never holds: the author fills it in, and until then nothing takes this way.
    taken = {str(branch.get("id")) for branch in branches}
    branches.append(written({"id": free_name("way", taken), "when": "time < 0", "says": "Another way"}))
    return _with(draft, number, tree)


def drop_branch(draft: Draft, item: str, branch: str) -> Draft:
    """Take a branch away, with its items."""
    number, tree, items, at = _find(draft, item)
    entry = items[at]
    if entry.get("if_not") and entry["if_not"].get("id") == branch:
        del entry["if_not"]
        return _with(draft, number, tree)
    branches = entry.get("branches") or []
    place = next((n for n, each in enumerate(branches) if each.get("id") == branch), None)
    if place is None or len(branches) <= LEAST_BRANCHES:
        raise EditRefused(phrase("a decision has at least two branches; change this one instead"))
    del branches[place]
    return _with(draft, number, tree)


def add_into_branch(draft: Draft, item: str, branch: str, entry: Mapping[str, Any]) -> tuple[Draft, str]:
    """Put an item at the end of a branch; gives its id."""
    fresh = {**entry, "id": fresh_id(draft, str(entry["challenge"]))}
    number, tree, items, at = _find(draft, item)
    ways = [*(items[at].get("branches") or ()), *([items[at]["if_not"]] if items[at].get("if_not") else [])]
    way = next((each for each in ways if each.get("id") == branch), None)
    if way is None:
        raise EditRefused(phrase("{item} has no branch {branch}", item=repr(item), branch=repr(branch)))
    # An empty list stands on one line; items need lines of their own.
    if not way.get("items"):
        way.fa.set_block_style()
        way["items"] = CommentedSeq()
        _open_up(items[at])
    way["items"].append(written(fresh))
    return _with(draft, number, tree), str(fresh["id"])


def _open_up(entry: CommentedMap) -> None:
    """Write an item over several lines, so that the items inside it can be read."""
    entry.fa.set_block_style()
    if entry.get("branches") is not None:
        entry["branches"].fa.set_block_style()
        for branch in entry["branches"]:
            branch.fa.set_block_style()


def shift_item(draft: Draft, item: str, by: int) -> Draft:
    """Move an item up (-1) or down (+1), over the edge of its section into the next one."""
    number, tree, items, at = _find(draft, item)
    to = at + by
    if 0 <= to < len(items):
        items.insert(to, items.pop(at))
        return _with(draft, number, tree)
    sections = tree["sections"]
    own = next((n for n, section in enumerate(sections) if section["items"] is items), None)
    # At the very edge, or the last of its section: moving it would leave an empty one behind.
    if own is None or not 0 <= own + by < len(sections) or len(items) == 1:
        return draft
    entry = items.pop(at)
    others = sections[own + by]["items"]
    others.insert(0 if by > 0 else len(others), entry)
    return _with(draft, number, tree)


def add_section(draft: Draft, title: str, after: str) -> Draft:
    """Begin a new section with the item `after` and those behind it in its section."""
    number, tree, items, at = _find(draft, after)
    sections = tree["sections"]
    own = next((n for n, section in enumerate(sections) if section["items"] is items), None)
    if own is None:
        raise EditRefused(phrase("a section begins with an item of a section, not with one of a branch"))
    if at == 0:
        raise EditRefused(phrase("the section would leave nothing in the one before it; choose a later item"))
    # Popped from the end and turned round, since taking from the front renumbers what is left.
    moved = [items.pop() for _ in range(len(items) - at)][::-1]
    taken = {str(section.get("id")) for section in sections}
    section = CommentedMap({"id": free_name(slug(title), taken), "title": title, "items": CommentedSeq(moved)})
    sections.insert(own + 1, section)
    return _with(draft, number, tree)


def set_section(draft: Draft, section: str, fields: Mapping[str, str | None]) -> Draft:
    """Set fields of a section: title, style, order, line_after, floats_until."""
    for number, text in enumerate(draft.checklists):
        tree = tree_of(text)
        for each in tree["sections"]:
            if each.get("id") == section:
                for name, value in fields.items():
                    _put(each, name, _typed(name, value))
                return _with(draft, number, tree)
    raise EditRefused(phrase("there is no section {section}", section=repr(section)))


def set_exercise(draft: Draft, fields: Mapping[str, Any]) -> Draft:
    """Set fields of the exercise by their dotted path; plain values, None takes one away."""
    tree = tree_of(draft.exercise)
    for name, value in fields.items():
        _put(tree, name, value)
    return replace(draft, exercise=text_of(tree))


def append_to_exercise(draft: Draft, name: str, entry: Mapping[str, Any]) -> Draft:
    """Add a line to one of the exercise's lists, by its dotted path (`faults`, `papers.0.lines`, ...)."""
    tree = tree_of(draft.exercise)
    lines = list_at(tree, name)
    if lines:
        lines.append(written(dict(entry)))
    else:
        _put(tree, name, [dict(entry)])
    return replace(draft, exercise=text_of(tree))


def drop_from_exercise(draft: Draft, name: str, number: int) -> Draft:
    """Take a line out of one of the exercise's lists; an empty list goes with its last line."""
    tree = tree_of(draft.exercise)
    lines = list_at(tree, name)
    if not 0 <= number < len(lines):
        raise EditRefused(phrase("there is no line {number} in {name}", number=number + 1, name=name))
    del lines[number]
    if not lines:
        _put(tree, name, None)
    return replace(draft, exercise=text_of(tree))


def value_at(tree: Any, name: str) -> Any:
    """What stands at a dotted path, None where nothing does."""
    here = tree
    for part in name.split("."):
        if isinstance(here, list):
            here = here[int(part)] if part.isdigit() and int(part) < len(here) else None
        else:
            here = here.get(part) if isinstance(here, Mapping) else None
    return here


def list_at(tree: Any, name: str) -> Any:
    """The list at a dotted path, an empty one where there is none."""
    here = value_at(tree, name)
    return here if isinstance(here, list) else []


def figure_of(text: str) -> int | float | None:
    """The figure that a text stands for, a decimal comma allowed; None where it is none, or not a finite one."""
    try:
        figure = float(text.replace(",", "."))
    except ValueError:
        return None
    if not math.isfinite(figure):
        return None
    return int(figure) if figure.is_integer() else figure


def fresh_id(draft: Draft, name: str) -> str:
    """An id made of a name that no item of the draft has yet."""
    return free_name(slug(name), set(_all_ids(draft)))


def slug(name: str) -> str:
    """A name as an id: small letters, figures and hyphens."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:48].strip("-")
    return plain or "item"


def free_name(name: str, taken: Collection[str], joint: str = "-") -> str:
    """The name, with the first number behind it that makes it one which is not taken."""
    number, found = 2, name
    while found in taken:
        found, number = f"{name}{joint}{number}", number + 1
    return found


def _all_ids(draft: Draft) -> list[str]:
    return [name for text in draft.checklists for name in ids_of(plain_of(text))]


def _find(draft: Draft, item: str) -> tuple[int, CommentedMap, list[Any], int]:
    for number, text in enumerate(draft.checklists):
        if find_item(plain_of(text), item) is not None:
            tree = tree_of(text)
            if (found := find_item(tree, item)) is not None:
                return number, tree, *found
    raise EditRefused(phrase("there is no item {item} any more; load the page again", item=repr(item)))


def _with(draft: Draft, number: int, tree: CommentedMap) -> Draft:
    texts = list(draft.checklists)
    texts[number] = text_of(tree)
    return replace(draft, checklists=tuple(texts))


def _drop_empty_sections(tree: CommentedMap) -> None:
    sections = tree["sections"]
    for place in reversed(range(len(sections))):
        if not sections[place].get("items") and len(sections) > 1:
            del sections[place]


def _put(tree: Any, name: str, value: Any) -> None:
    """Set a dotted path to a value, or take it away; what is left empty around it goes too."""
    first, _, rest = name.partition(".")
    if not isinstance(tree, CommentedMap | CommentedSeq):
        raise EditRefused(
            phrase("there is no {first} in {tree}; mend it as text", first=repr(first), tree=repr(str(tree)))
        )
    if isinstance(tree, CommentedSeq):
        if not (first.isdigit() and int(first) < len(tree) and rest):
            raise EditRefused(phrase("there is no line {first} there", first=first))
        _put(tree[int(first)], rest, value)
        return
    if not rest:
        if value is None:
            tree.pop(first, None)
        else:
            tree[first] = written(value)
        return
    if tree.get(first) is None:
        # Nothing to take away, and nothing to make for it.
        if value is None:
            return
        tree[first] = written({})
    _put(tree[first], rest, value)
    # A mapping that lost its last key says nothing, and may not be allowed empty.
    if not tree[first]:
        del tree[first]


def _typed(name: str, value: str | None) -> Any:
    """What a form's text stands for in this field."""
    if value is None or not value.strip():
        return None
    text = value.strip()
    if name in FIGURES or name.rsplit(".", 1)[-1] in BRANCH_FIGURES:
        figure = figure_of(text)
        if figure is None:
            raise EditRefused(
                phrase("{replace} takes a figure, not {text}", replace=name.replace(".", " "), text=repr(text))
            )
        return figure
    if name.rsplit(".", 1)[-1] in FLAGS:
        # Written only where it is so, as an author would.
        return True if text in ("true", "on", "yes") else None
    if name in LISTS:
        return [part.strip() for part in text.split(LISTS[name]) if part.strip()]
    if name == "to" and text.startswith("paper:"):
        return {"paper": text.removeprefix("paper:").strip()}
    return text
