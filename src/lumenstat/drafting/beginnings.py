"""Where a draft begins: from nothing, as a copy, or from a spreadsheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ruamel.yaml.comments import CommentedMap, CommentedSeq

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Bundle, Library
from lumenstat.documents.checklist import Checklist
from lumenstat.drafting.draft import Draft, shipped_library
from lumenstat.drafting.edits import slug
from lumenstat.drafting.placeholders import BRIEF
from lumenstat.drafting.sheet import SheetRow
from lumenstat.drafting.trees import text_of, tree_of, written
from lumenstat.errors import EditRefused
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.ac_sources import AcSection, GroundSupply
from lumenstat.systems.electrical.batteries import BatteriesSection

FIRST_ITEM = {
    "id": "technical-log", "kind": "confirm", "challenge": "Technical log", "response": "On board and clear",
    "statement": "The technical log is on board and no work is open.", "who": "captain",
    "why": "Open work can mean that somebody is still in the aircraft, or that a system is locked out.",
}  # fmt: skip
USUAL_CHARGE = 0.85
USUAL_BANDS = [
    {"at_least": 92, "words": "Strong"},
    {"at_least": 75, "words": "Safe"},
    {"at_least": 0, "words": "Not yet"},
]


def from_nothing(airframe: Airframe, title: str) -> Draft:
    """An exercise with one item, on an aircraft as it is usually left."""
    section = CommentedMap({"id": "first", "title": "Before power", "items": CommentedSeq([written(FIRST_ITEM)])})
    return _draft(airframe, title, CommentedSeq([section]))


def from_sheet(airframe: Airframe, title: str, rows: Sequence[SheetRow]) -> Draft:
    """An exercise whose checklist is what a spreadsheet holds; its sections are those the sheet names."""
    sections = CommentedSeq()
    taken: set[str] = set()
    left_open: list[str] = []
    for row in rows:
        name = row.section or "Checklist"
        # The sheet says where a section begins, not where it ends: another name begins the next.
        if not sections or sections[-1]["title"] != name:
            number = len(sections) + 1
            sections.append(CommentedMap({"id": f"part-{number}", "title": name, "items": CommentedSeq()}))
        item_id = slug(row.item["challenge"])
        # The same challenge twice is usual on paper, and ids are given once.
        while item_id in taken:
            item_id += "-again"
        taken.add(item_id)
        if row.open:
            left_open.append(item_id)
        sections[-1]["items"].append(written({"id": item_id, **row.item}))
    return replace(_draft(airframe, title, sections), taken_in=tuple(left_open))


def copy_of(bundle: Bundle, title: str) -> Draft:
    """A copy of an exercise under a name of its own; a shipped one with the comments of its files."""
    exercise, checklists = _texts(bundle)
    tree = tree_of(exercise)
    name = slug(title)
    tree["id"], tree["title"] = name, written(title)
    # Its checklists become copies as well, or a change to one would reach the exercise it came from.
    tree["checklists"] = written([f"{name}-{n + 1}" for n in range(len(checklists))])
    texts = []
    for number, text in enumerate(checklists):
        checklist = tree_of(text)
        checklist["id"] = f"{name}-{number + 1}"
        texts.append(text_of(checklist))
    return Draft(text_of(tree), tuple(texts))


def from_texts(texts: Sequence[tuple[str, str]]) -> Draft:
    """Documents that were brought along, by their names: one exercise, and the checklists it names."""
    trees = {name: tree_of(text) for name, text in texts}
    exercises = [name for name, tree in trees.items() if tree.get("format") == "lumenstat/exercise/1"]
    # By what they say they are, whatever their files are called.
    checklists = {str(tree.get("id")): name for name, tree in trees.items() if "checklist" in str(tree.get("format"))}
    if len(exercises) != 1:
        raise EditRefused(
            phrase(
                "give one exercise document and the checklists that it names; these hold {count}", count=len(exercises)
            )
        )
    # In the order that the exercise names them, which is the order of its items.
    wanted = [str(name) for name in trees[exercises[0]].get("checklists") or ()]
    lacking = [name for name in wanted if name not in checklists]
    if lacking or not wanted:
        raise EditRefused(
            phrase("the exercise names the checklist {lacking}; bring it along too", lacking=", ".join(lacking))
            if lacking
            else phrase("the exercise names no checklist")
        )
    given = dict(texts)
    return Draft(given[exercises[0]], tuple(given[checklists[name]] for name in wanted))


def _draft(airframe: Airframe, title: str, sections: CommentedSeq) -> Draft:
    name = slug(title)
    checklist = CommentedMap(
        {
            "format": "lumenstat/checklist/1",
            "id": f"{name}-1",
            "name": written(title),
            "airframe": airframe.id,
            "procedure_set": "House",
            "version": written("1"),
            "sections": sections,
        }
    )
    charges = {battery.id: USUAL_CHARGE for battery in airframe.section(BatteriesSection).batteries}
    carts = {supply.id: [_usual_cart(airframe, supply)] for supply in airframe.section(AcSection).ground_supplies}
    start: dict[str, Any] = {
        "place": {"name": "Hollin Bay, stand 1", "latitude_degrees": 56.1, "longitude_degrees": -5.2},
        "outside_celsius": 12,
        "hours_unpowered": 10,
        "battery_charge": charges,
        "carts": carts,
    }
    exercise = CommentedMap(
        {
            "format": "lumenstat/exercise/1",
            "id": name,
            "title": written(title),
            "brief": BRIEF,
            "airframe": airframe.id,
            "checklists": written([f"{name}-1"]),
            "start": _block(start),
            "assist": "coached",
            "time_lapse": "waits",
            "minutes_at_most": 60,
            "pass_mark": 75,
            "bands": written(USUAL_BANDS),
        }
    )
    return Draft(text_of(exercise), (text_of(checklist),))


def _usual_cart(airframe: Airframe, supply: GroundSupply) -> dict[str, Any]:
    hertz = (supply.hertz.min + supply.hertz.max) / 2
    return {"name": "Cart 1", "volts": airframe.buses[supply.bus].nominal_volts, "hertz": hertz}


def _block(content: dict[str, Any]) -> CommentedMap:
    return CommentedMap((key, written(value)) for key, value in content.items())


def _texts(bundle: Bundle) -> tuple[str, list[str]]:
    """The files of a shipped exercise, or texts made of its content."""
    library = shipped_library()
    # What ships keeps its comments and its order of keys; a dump of its content has neither.
    path = next((p for p in (SHIPPED / "exercises").glob("*.yaml") if _is(library, p, bundle)), None)
    if path is not None:
        found = [library.find(Checklist, each.id) for each in bundle.checklists]
        files = [Path(each.source.file) for each in found if each is not None]
        return path.read_text(encoding="utf-8"), [file.read_text(encoding="utf-8") for file in files]
    exercise = bundle.exercise.model_dump(mode="json", by_alias=True, exclude_unset=True)
    lists = [each.model_dump(mode="json", by_alias=True, exclude_unset=True) for each in bundle.checklists]
    return _as_text(exercise), [_as_text(each) for each in lists]


def _is(library: Library, path: Path, bundle: Bundle) -> bool:
    return library.bundle(path).digest == bundle.digest if path.stem == bundle.exercise.id else False


def _as_text(content: dict[str, Any]) -> str:
    tree = _block({key: value for key, value in content.items() if key != "sections"})
    if "sections" in content:
        tree["sections"] = CommentedSeq(
            CommentedMap(
                (key, CommentedSeq(written(item) for item in value) if key == "items" else written(value))
                for key, value in section.items()
            )
            for section in content["sections"]
        )
    return text_of(tree)
