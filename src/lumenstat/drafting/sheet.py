"""A checklist from somebody's spreadsheet, as they write it: any headings, section rows, numbers, notes, abbreviations.

Everything that is wrong is told at once, by line; a line that nothing on the airframe fits is taken in and stays open.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.abbreviations import Abbreviations
from lumenstat.drafting.part_matching import matches
from lumenstat.items.item import Who
from lumenstat.language.foreign_tables import TableRow
from lumenstat.language.wording import phrase

MOST_ITEMS = 400
ROWS_LOOKED_AT = 8
"""Headings are looked for in so many rows; a title and a date often stand above them."""
LEAST_NAMED = 2
LONGEST_CHALLENGE = 120

Field = Literal[
    "challenge",
    "response",
    "section",
    "who",
    "why",
    "caution",
    "good",
    "weight",
    "critical",
    "hint",
    "number",
    "ignore",
]
FIELDS: tuple[Field, ...] = get_args(Field)
FIELD_WORDS: Mapping[Field, str] = {
    "challenge": phrase("challenge: what is looked at"),
    "response": phrase("response: how it is to be"),
    "section": phrase("section"),
    "who": phrase("who does it"),
    "why": phrase("why, or a note"),
    "caution": phrase("caution"),
    "good": phrase("what a good indication looks like"),
    "weight": phrase("weight"),
    "critical": phrase("critical: yes or empty"),
    "hint": phrase("hint"),
    "number": phrase("number: left out"),
    "ignore": phrase("left out"),
}
HEADINGS: Mapping[Field, Sequence[str]] = {
    "challenge": ("challenge", "item", "check", "action", "subject", "step", "control", "panel item", "call"),
    "response": ("response", "setting", "position", "state", "answer", "required", "condition", "set to", "reply"),
    "section": ("section", "phase", "group", "part", "panel", "flow"),
    "who": ("who", "crew", "by", "pilot", "resp", "responsible", "cm", "duty"),
    "why": ("why", "note", "notes", "remark", "remarks", "comment", "comments", "reason", "explanation"),
    "caution": ("caution", "warning", "cautions", "warnings"),
    "good": ("good", "indication", "expected indication", "what is seen"),
    "weight": ("weight", "points", "score"),
    "critical": ("critical", "gate", "must", "key item"),
    "hint": ("hint", "hints", "help"),
    "number": ("no", "nr", "#", "number", "n", "seq", "line"),
}
TEMPLATE = (
    ("Section", "Challenge", "Response", "Who", "Why", "Critical"),
    ("Battery power", "Main battery", "ON", "Captain", "It feeds Essential DC.", "yes"),
    ("Battery power", "Essential DC", "22.8 to 25.2 V", "First officer", "", ""),
    ("Ground power", "Ground power", "Requested", "First officer", "", ""),
)
"""A sheet to be filled in."""


@dataclass(frozen=True)
class Mapped:
    """Which column holds what, by number from 0; the place of the row that names them, from 0, where one does.

    Rows above that one are titles and the like, and are left out.
    """

    columns: Mapping[int, Field]
    heading: int | None

    @property
    def headed(self) -> bool:
        """Whether a row names the columns."""
        return self.heading is not None

    @property
    def complete(self) -> bool:
        """Whether the columns that a checklist needs are known."""
        return {"challenge", "response"} <= set(self.columns.values())


@dataclass(frozen=True)
class SheetRow:
    """One line: its item, the section it belongs to, the line of the file, and whether nothing was found to fit it."""

    line: int
    section: str
    item: dict[str, Any]
    open: bool = False


@dataclass(frozen=True)
class SheetRead:
    """A sheet as it was understood, and what is wrong with it, by line."""

    rows: tuple[SheetRow, ...]
    problems: tuple[tuple[int, str], ...]


def plain_heading(cell: str) -> str:
    """A heading as it is remembered."""
    return re.sub(r"[^a-z0-9#]+", " ", cell.lower()).strip()[:80]


def guess_columns(rows: Sequence[TableRow], remembered: Mapping[str, str]) -> Mapped:
    """What each column seems to hold: as the school said before, as headings usually say, or by where it stands."""
    for place, row in enumerate(rows[:ROWS_LOOKED_AT]):
        columns = _named(row, remembered)
        if len(set(columns.values()) - {"ignore"}) >= LEAST_NAMED:
            return Mapped(columns, place)
    return Mapped(_by_place(rows), None)


def _named(row: TableRow, remembered: Mapping[str, str]) -> dict[int, Field]:
    """What the cells of a row would mean as headings."""
    columns: dict[int, Field] = {}
    for number, cell in enumerate(row.cells):
        plain = plain_heading(cell)
        # What a school chose before comes before what most schools mean.
        known = next((field for field in FIELDS if field == remembered.get(plain)), None)
        usual = next((field for field, words in HEADINGS.items() if plain in words), None)
        field = known or usual
        # A second column of the same name is left out; which of them counts is for a person to say.
        if field is not None and (field == "ignore" or field not in columns.values()):
            columns[number] = field
    return columns


def _by_place(rows: Sequence[TableRow]) -> dict[int, Field]:
    """Without headings: a column of numbers is none that counts, then come challenge and response."""
    first = 1 if _numbers(rows) else 0
    return {**({0: "number"} if first else {}), first: "challenge", first + 1: "response"}


def _numbers(rows: Sequence[TableRow]) -> bool:
    full = [row.cell(0) for row in rows if len(row.cells) > 1]
    return bool(full) and all(re.fullmatch(r"[0-9]+(\.[0-9]+)*[.)]?|", cell) for cell in full)


def read_sheet(rows: Sequence[TableRow], mapped: Mapped, airframe: Airframe, short: Abbreviations) -> SheetRead:
    """Every line as an item, and every problem at once."""
    found: list[SheetRow] = []
    problems: list[tuple[int, str]] = []
    section = ""
    for row in rows[0 if mapped.heading is None else mapped.heading + 1 :]:
        given: dict[Field, str] = {f: row.cell(n) for n, f in mapped.columns.items() if row.cell(n) and f != "ignore"}
        if (heading := _heading(row, given)) is not None:
            section = heading
            continue
        # Every problem of every line at once: a sheet is mended in one go, not line by line.
        wrong = list(_problems(row, given, short))
        problems += ((row.line, says) for says in wrong)
        if wrong or not given:
            continue
        if len(found) >= MOST_ITEMS:
            problems.append(
                (
                    row.line,
                    phrase("A checklist has at most {most_items} items; split the sheet.", most_items=MOST_ITEMS),
                )
            )
            break
        section = given.get("section", section)
        item, is_open = _item(given, airframe, short)
        found.append(SheetRow(row.line, section, item, is_open))
    if not found and not problems:
        problems.append((rows[0].line, phrase("There is no line with a challenge below the headings.")))
    return SheetRead(tuple(found), tuple(problems))


def _heading(row: TableRow, given: Mapping[Field, str]) -> str | None:
    """The title of a section, where a row has nothing else in it."""
    full = [cell for cell in row.cells if cell]
    alone = len(full) == 1 and not any(name in given for name in ("response", "number"))
    return full[0].strip(" :-=*")[:LONGEST_CHALLENGE] or None if alone else None


def _problems(row: TableRow, given: Mapping[Field, str], short: Abbreviations) -> Iterator[str]:
    for field, cell in given.items():
        # A sign and a figure is a value; a sign and anything else would be worked out when a table is opened.
        if cell[0] in "=@" or (cell[0] in "+-" and not re.match(r"[+-]\s*\d|[-–]+$", cell)):
            yield phrase(
                "The {field} {cell} is a formula; paste the sheet as values.", field=field, cell=repr(cell[:20])
            )
    if "challenge" not in given and row.cells:
        yield phrase("It has no challenge; a merged cell leaves the others empty: fill each one.")
    if len(given.get("challenge", "")) > LONGEST_CHALLENGE:
        yield phrase(
            "Its challenge is longer than {longest_challenge} characters; put the rest into a note.",
            longest_challenge=LONGEST_CHALLENGE,
        )
    if "who" in given and (who := short.person(given["who"])) not in get_args(Who):
        yield phrase(
            "{given} is nobody ({person}); there is {known}, or an abbreviation of them.",
            given=repr(given["who"]),
            person=who,
            known=", ".join(get_args(Who)),
        )
    if "weight" in given and not re.fullmatch(r"\d+([.,]\d+)?", given["weight"]):
        yield phrase("The weight {weight} is no figure.", weight=repr(given["weight"]))


def _item(given: Mapping[Field, str], airframe: Airframe, short: Abbreviations) -> tuple[dict[str, Any], bool]:
    """The item that a line means, and whether nothing was found that fits it."""
    challenge, response = given["challenge"], given.get("response", "Checked")
    # Spelled out first, and as it is written where a part is really called that.
    fitting = matches(airframe, short.spelled_out(challenge), response) or matches(airframe, challenge, response)
    item: dict[str, Any] = fitting[0] if fitting else {"kind": "confirm", "statement": f"{challenge}: {response}."}
    # Who acts and why are the sheet's to say, not the part's.
    item = {key: value for key, value in item.items() if key not in ("who", "why")}
    item |= {"challenge": challenge, "response": response}
    if "who" in given:
        item["who"] = short.person(given["who"])
    texts: tuple[Field, ...] = ("why", "caution", "good")
    item |= {name: given[name] for name in texts if name in given}
    if "hint" in given:
        item["hints"] = [given["hint"]]
    if "weight" in given:
        item["weight"] = float(given["weight"].replace(",", "."))
    if given.get("critical", "").lower() in ("yes", "true", "x", "1", "y"):
        item["critical"] = True
    return item, not fitting
