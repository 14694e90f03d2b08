"""Changes that the builder sends: each named verb makes a new draft out of the old one and says what it did."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting import edits
from lumenstat.drafting.draft import Draft
from lumenstat.drafting.placeholders import STATEMENT, TO_BE_SAID, new
from lumenstat.drafting.pointing import item_for
from lumenstat.drafting.trees import find_item, plain_of, text_of, tree_of, written
from lumenstat.errors import EditRefused
from lumenstat.language.wording import phrase
from lumenstat.web.pages.builder_forms import figures_of_exercise
from lumenstat.web.pages.builder_lists import fresh_line, value_in_list

Args = Mapping[str, Any]

LARGEST_TEXT = 60_000
"""Four times the longest checklist that ships; every change reads it anew."""


@dataclass(frozen=True)
class Edited:
    """The draft after a change, what was done in words, and the item to show then."""

    draft: Draft
    says: str
    selected: str | None = None


def edit(draft: Draft, airframe: Airframe | None, verb: str, args: Args) -> Edited:
    """Carry out one change. Raises EditRefused or DocumentError where it cannot be made or leaves no draft behind."""
    if "fields" in args and not isinstance(args["fields"], Mapping):
        raise EditRefused(phrase("`fields` is a mapping of names to texts; load the page again"))
    if verb not in VERBS:
        raise EditRefused(phrase("there is no change called {verb}", verb=repr(verb)))
    try:
        edited = VERBS[verb](draft, airframe, args)
    # What a page sends is nobody's promise: a key that is missing is a refusal, not a fault of the server.
    except (LookupError, TypeError, ValueError) as error:
        raise EditRefused(phrase("this change lacks something: {error}", error=error)) from None
    for text in (edited.draft.exercise, *edited.draft.checklists):
        if len(text) > LARGEST_TEXT:
            raise EditRefused(
                phrase(
                    "a text of a draft has at most {largest_text:,} characters; this makes {count:,}",
                    largest_text=LARGEST_TEXT,
                    count=len(text),
                )
            )
        # Read again, so that no edit can leave a text behind that no later edit can read.
        plain_of(text)
    return edited


def _fields(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, fields = str(args["item"]), _texts(args["fields"])
    changed = edits.set_fields(draft, item, fields)
    says = phrase("{fields} of {item}", fields=", ".join(fields), item=item)
    return Edited(changed, says, fields.get("id") or item)


def _kind(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, kind = str(args["item"]), str(args["kind"])
    return Edited(edits.change_kind(draft, item, kind), phrase("{item} is a {kind} now", item=item, kind=kind), item)


def _pick(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    """Add an item about what was pointed at on the deck, or fill in the one that is open."""
    if airframe is None:
        raise EditRefused(phrase("the exercise names no airframe that there is; mend that first"))
    picked = item_for(airframe, str(args["part"]), str(args["name"]), args.get("stands"))
    if args.get("into"):
        item = str(args["into"])
        return Edited(_become(draft, item, picked), phrase("{item} from the panel", item=item), item)
    changed, name = edits.add_item(draft, picked, _after(args))
    return Edited(changed, phrase("added {name} from the panel", name=name), name)


def _add(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    """Add an empty item of a kind, filled in so far that it can be looked at."""
    kind = str(args["kind"])
    item: dict[str, Any] = {"kind": kind, "challenge": new(kind), "response": TO_BE_SAID, "who": "either"}
    if airframe is not None:
        item |= _sensible(airframe, kind)
    changed, name = edits.add_item(draft, item, _after(args))
    return Edited(changed, phrase("added {name}", name=name), name)


def _branch(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    """Add a branch, take one away, or put an item into one."""
    item, branch = str(args["item"]), str(args.get("branch") or "")
    match str(args["do"]):
        case "add":
            return Edited(edits.add_branch(draft, item), phrase("a branch of {item}", item=item), item)
        case "drop":
            return Edited(
                edits.drop_branch(draft, item, branch),
                phrase("took branch {branch} of {item} away", branch=branch, item=item),
                item,
            )
        case _:
            entry = {"kind": "confirm", "challenge": new("step"), "response": TO_BE_SAID, "who": "either"}
            entry["statement"] = STATEMENT
            changed, name = edits.add_into_branch(draft, item, branch, entry)
            return Edited(changed, phrase("added {name} to branch {branch}", name=name, branch=branch), name)


def _sensible(airframe: Airframe, kind: str) -> dict[str, Any]:
    """Something of its kind that the airframe has, so that the new item can be read at once."""
    # A position to be in is needed; a button has none of its own, and an entry any number.
    controls = [c for c in airframe.controls.values() if c.kind not in ("momentary", "entry")]
    buttons = [c for c in airframe.controls.values() if c.kind == "momentary"]
    match kind:
        case "set" | "verify":
            return item_for(airframe, "control", controls[0].id) | {"kind": kind}
        case "cycle":
            return {"control": controls[0].id, "through": [controls[0].positions[0], controls[0].positions[-1]]}
        case "sweep":
            return {"control": controls[0].id}
        case "hold" if buttons:
            return item_for(airframe, "control", buttons[0].id)
        case "check":
            return item_for(airframe, "instrument", next(iter(airframe.instruments)))
        case "wait":
            return {"until": "time > 0"}
        case "request" if airframe.services:
            service = airframe.services[0]
            return item_for(airframe, "service", f"{service.id}.{service.actions[0].id}")
        case "decide":
            branches = [{"id": "go-on", "when": "time >= 0", "says": "Go on"}]
            return {"branches": [*branches, {"id": "stop", "when": "time < 0", "says": "Stop"}]}
        case _:
            return {"statement": STATEMENT}


def _remove(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item = str(args["item"])
    return Edited(edits.remove_item(draft, item), phrase("took {item} out", item=item), None)


def _move(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, after = str(args["item"]), args.get("after")
    changed = edits.move_item(draft, item, str(after) if after else None)
    return Edited(changed, phrase("moved {item}", item=item), item)


def _shift(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, by = str(args["item"]), -1 if int(args["by"]) < 0 else 1
    says = phrase("moved {item} up", item=item) if by < 0 else phrase("moved {item} down", item=item)
    return Edited(edits.shift_item(draft, item, by), says, item)


def _new_section(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item = str(args["item"])
    return Edited(
        edits.add_section(draft, new("section"), item), phrase("a section begins with {item}", item=item), item
    )


def _section(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    section, fields = str(args["section"]), _texts(args["fields"])
    return Edited(
        edits.set_section(draft, section, fields),
        phrase("{fields} of section {section}", fields=", ".join(fields), section=section),
    )


def _exercise(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    figures = figures_of_exercise(airframe) if airframe else frozenset()
    fields = {name: _value(name, text, figures) for name, text in _texts(args["fields"]).items()}
    whole = _place_remembered(draft, fields)
    return Edited(edits.set_exercise(draft, whole), phrase("{fields} of the exercise", fields=", ".join(fields)))


def _place_remembered(draft: Draft, fields: dict[str, Any]) -> dict[str, Any]:
    """A place that the units remember has a name and both figures or is not there; what is left open is as here."""
    remembered = {name: value for name, value in fields.items() if name.startswith("start.remembered.")}
    if not remembered:
        return fields
    # One of the three emptied: the units remember the place that they stand at, and nothing need be written.
    if None in remembered.values():
        return {name: value for name, value in fields.items() if name not in remembered} | {"start.remembered": None}
    content = plain_of(draft.exercise)
    written = dict(edits.value_at(content, "start.remembered") or edits.value_at(content, "start.place") or {})
    # What is not typed here is filled from what is written or from the place itself, for a place needs all three.
    return {f"start.remembered.{name}": value for name, value in written.items()} | fields


def _value(name: str, text: str | None, figures: frozenset[str]) -> Any:
    # A box that is not ticked sends nothing, and there is no other way to say no.
    if name == "start.first_flight_of_day" or re.fullmatch(r"aims\.\d+\.gating", name):
        return text == "true"
    # Written only where it is so, as an author would.
    if name == "start.moved_since_shutdown":
        return True if text == "true" else None
    if text is None or not text.strip():
        return None
    if re.search(r"\.\d+\.", name):
        return value_in_list(name, text.strip())
    if name not in figures:
        return text.strip()
    number = edits.figure_of(text)
    if number is None:
        raise EditRefused(
            phrase(
                "{field} takes a figure, not {text}",
                field=name.rsplit(".", 1)[-1].replace("_", " "),
                text=repr(text.strip()),
            )
        )
    return number


def _append(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    """Add a line to a list of the exercise, filled in so far that it can be read."""
    if airframe is None:
        raise EditRefused(phrase("the exercise names no airframe that there is; mend that first"))
    name = str(args["list"])
    lines = edits.list_at(plain_of(draft.exercise), name)
    taken = frozenset(str(line.get("id")) for line in lines if isinstance(line, Mapping))
    return Edited(
        edits.append_to_exercise(draft, name, fresh_line(name, airframe, taken)), phrase("a line of {name}", name=name)
    )


def _drop(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    name, number = str(args["list"]), int(args["number"])
    return Edited(edits.drop_from_exercise(draft, name, number), phrase("took a line out of {name}", name=name))


def _out_of_place(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    control, to = str(args["control"]), str(args.get("to") or "").strip() or None
    return Edited(
        edits.set_exercise(draft, {f"start.controls.{control}": to}), phrase("{control} at the start", control=control)
    )


def _text(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    """Take a text as it was written; it must be readable, what it means is checked afterwards."""
    which, text = str(args["which"]), str(args["text"])
    if len(text) > LARGEST_TEXT:
        raise EditRefused(
            phrase(
                "a text of a draft has at most {largest_text:,} characters; this has {count:,}",
                largest_text=LARGEST_TEXT,
                count=len(text),
            )
        )
    # Raises where it cannot be read: a text that is kept is one that the builder can show again.
    tree_of(text)
    if which == "exercise":
        return Edited(replace(draft, exercise=text), phrase("wrote the exercise's text"))
    texts = list(draft.checklists)
    if which not in map(str, range(len(texts))):
        raise EditRefused(phrase("the draft has no text {which}; load the page again", which=repr(which[:20])))
    number = int(which)
    texts[number] = text
    return Edited(
        replace(draft, checklists=tuple(texts)), phrase("wrote the text of checklist {number}", number=number + 1)
    )


def _remedy(draft: Draft, airframe: Airframe | None, args: Args) -> Edited:
    """Take a remedy over: fields to set, or a move, another kind, something to become."""
    item, fields = str(args["item"]), dict(args["fields"])
    # Each remedy takes what is its own out of the fields; what is left over are plain fields to set.
    if (after := fields.pop("move_after", None)) is not None:
        draft = edits.move_item(draft, item, str(after))
    if (kind := fields.pop("kind", None)) is not None:
        draft = edits.change_kind(draft, item, str(kind))
    if (become := fields.pop("become", None)) is not None:
        draft = _become(draft, item, json.loads(str(become)), keep_words=True)
    if fields.pop("say_so", None) is not None:
        draft = edits.leave_to_say_so(draft, item)
    if fields.pop("if_not", None) is not None:
        draft = _entry(draft, item, "if_not", {"id": f"{item}-not"[:60], "says": "Stop and call maintenance"})
    if fields:
        draft = edits.set_fields(draft, item, _texts(fields))
    return Edited(draft, phrase("took a remedy for {item}", item=item), item)


def _waive(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, rule, reason = str(args["item"]), str(args["rule"]), str(args["reason"]).strip()
    # The reason is read by whoever approves the exercise.
    if len(reason) < 8:
        raise EditRefused(phrase("say in a sentence why this may stand"))
    number, tree = _tree_with(draft, item)
    items, at = find_item(tree, item) or ([], 0)
    kept = list(items[at].get("waives") or ())
    items[at]["waives"] = written([*kept, {"rule": rule, "reason": reason}])
    return Edited(
        _replaced(draft, number, text_of(tree)), phrase("waived {rule} for {item}", rule=rule, item=item), item
    )


def _weigh(draft: Draft, _: Airframe | None, args: Args) -> Edited:
    item, critical = str(args["item"]), bool(args.get("critical"))
    fields = {"weight": f"{float(args['weight']):g}", "critical": "true" if critical else None}
    return Edited(edits.set_fields(draft, item, fields), phrase("weight of {item} by its consequence", item=item), item)


VERBS: dict[str, Callable[[Draft, Airframe | None, Args], Edited]] = {
    "fields": _fields, "kind": _kind, "pick": _pick, "add": _add, "remove": _remove, "move": _move, "shift": _shift,
    "new-section": _new_section, "section": _section, "exercise": _exercise, "append": _append, "drop": _drop,
    "out-of-place": _out_of_place, "text": _text, "remedy": _remedy, "waive": _waive, "weigh": _weigh,
    "branch": _branch,
}  # fmt: skip


def _become(draft: Draft, item: str, picked: Mapping[str, Any], keep_words: bool = False) -> Draft:
    """Make an item what was pointed at: its kind and keys, and its words too unless they are to stay."""
    draft = edits.change_kind(draft, item, str(picked["kind"]))
    for key, value in picked.items():
        if key in ("kind", "id") or (keep_words and key in ("challenge", "response", "who")):
            continue
        draft = _entry(draft, item, key, value)
    return draft


def _entry(draft: Draft, item: str, key: str, value: Any) -> Draft:
    number, tree = _tree_with(draft, item)
    items, at = find_item(tree, item) or ([], 0)
    items[at][key] = written(value)
    return _replaced(draft, number, text_of(tree))


def _tree_with(draft: Draft, item: str) -> tuple[int, Any]:
    for number, text in enumerate(draft.checklists):
        tree = tree_of(text)
        if find_item(tree, item) is not None:
            return number, tree
    raise EditRefused(phrase("there is no item {item} any more; load the page again", item=repr(item)))


def _replaced(draft: Draft, number: int, text: str) -> Draft:
    texts = list(draft.checklists)
    texts[number] = text
    return replace(draft, checklists=tuple(texts))


def _texts(fields: Mapping[str, Any]) -> dict[str, str | None]:
    return {str(name): None if value is None else str(value) for name, value in fields.items()}


def _after(args: Args) -> str | None:
    return str(args["after"]) if args.get("after") else None
