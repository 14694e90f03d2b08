"""Spreadsheets as instructors write them: matched to what the airframe has, every problem at once, nothing lost."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import Any

import pytest
from openpyxl import Workbook

from lumenstat.drafting.abbreviations import shipped_abbreviations
from lumenstat.drafting.beginnings import from_sheet
from lumenstat.drafting.draft import Draft, open_items, read_draft
from lumenstat.drafting.edits import leave_to_say_so, set_fields
from lumenstat.drafting.part_matching import likeness, suggestions
from lumenstat.drafting.sheet import Field, SheetRead, guess_columns, read_sheet
from lumenstat.errors import InputRefused
from lumenstat.language.foreign_tables import LARGEST_BYTES, MOST_ROWS, read_table
from tests.drafting.test_edits import rowan

GOOD = """Challenge;Response;Section;Who;Why;Critical
Main battery;ON;Power;Captain;It feeds Essential DC.;x
Essential DC;22.8 to 25.2 V;Power;captain;;
Ground power;Requested;Power;First officer;;
To the buses;FEED;Power;captain;;
APU boost;on;APU;captain;;
APU;Available;APU;captain;;
Sextant;Stowed;APU;captain;;
"""
SLOPPY = """No.,Item,Set to,CM,Remarks,Duty roster
,BEFORE POWER,,,,
1,BATT MAIN,ON,CM1,essential first,early
2,EXT PWR,requested,CM2,,late
,APU -----,,,,
3,APU BOOST SW,ON,CM1,,
4,Sextant,stowed,CM2,ask,
"""


def read(text: str, remembered: Mapping[str, str] | None = None) -> SheetRead:
    rows = read_table(text.encode())
    return read_sheet(rows, guess_columns(rows, remembered or {}), rowan(), shipped_abbreviations())


def about(item: Mapping[str, Any]) -> tuple[str, str | None]:
    return item["kind"], next((item[k] for k in ("control", "instrument", "service", "until") if k in item), None)


def test_lines_become_items_of_what_they_name() -> None:
    rows = read(GOOD).rows
    assert [about(row.item) for row in rows[:6]] == [
        ("set", "battery_main"),
        ("check", "essential_volts"),
        ("request", "ground_power"),
        ("set", "ground_power"),
        ("set", "apu_boost"),
        ("wait", "lamp.apu_available"),
    ]
    assert rows[0].item["critical"] is True and rows[0].item["who"] == "captain"
    assert rows[1].item["expect"] == {"min": 22.8, "max": 25.2}
    assert [row.open for row in rows] == [False] * 6 + [True]
    documents = read_draft(from_sheet(rowan(), "From the sheet", rows))
    assert documents.bundle is not None
    assert [section.title for section in documents.checklists[0].sections] == ["Power", "APU"]


def test_a_sloppy_sheet_is_read_as_it_was_meant() -> None:
    found = read(SLOPPY)
    assert found.problems == ()
    assert [row.section for row in found.rows] == ["BEFORE POWER", "BEFORE POWER", "APU", "APU"]
    assert [about(row.item) for row in found.rows] == [
        ("set", "battery_main"),
        ("request", "ground_power"),
        ("set", "apu_boost"),
        ("confirm", None),
    ]
    assert [row.item["who"] for row in found.rows] == ["captain", "first-officer", "captain", "first-officer"]
    assert found.rows[0].item["why"] == "essential first", "a column of remarks says why"
    assert found.rows[0].item["challenge"] == "BATT MAIN", "the words stay the instructor's own"


def test_columns_are_guessed_remembered_or_taken_by_their_place() -> None:
    rows = read_table(b"Was,Wie\nMain battery,ON\n")
    assert not guess_columns(rows, {}).headed
    remembered = guess_columns(rows, {"was": "challenge", "wie": "response"})
    assert remembered.headed and remembered.columns == {0: "challenge", 1: "response"}
    titled = guess_columns(read_table(b"Cold start\n1 March 2026\nNo.,Item,Set to\n1,BATT MAIN,ON\n"), {})
    assert (titled.heading, titled.columns) == (2, {0: "number", 1: "challenge", 2: "response"})
    bare = guess_columns(read_table(b"1,Main battery,ON\n2,APU boost,ON\n"), {})
    assert (bare.headed, bare.columns) == (False, {0: "number", 1: "challenge", 2: "response"})


def test_a_workbook_is_read_like_a_csv() -> None:
    book, content = Workbook(), io.BytesIO()
    assert book.active is not None
    for row in (("Challenge", "Response", "Weight"), ("Main battery", "ON", 2.0), (None, None, None)):
        book.active.append(row)
    book.save(content)
    rows = read_table(content.getvalue())
    assert [row.cells for row in rows] == [("Challenge", "Response", "Weight"), ("Main battery", "ON", "2")]


def test_every_problem_is_told_at_once_by_line() -> None:
    found = read("Challenge,Response,Who,Weight\n=A1,ON,,\n,ON,captain,\nMain battery,ON,pilot,heavy\nAPU boost,ON,,\n")
    assert [line for line, _ in found.problems] == [2, 3, 4, 4]
    assert [row.item["challenge"] for row in found.rows] == ["APU boost"], "what is right is read all the same"
    for line, says in ((2, "formula"), (3, "no challenge"), (4, "nobody"), (4, "no figure")):
        assert any(at == line and says in what for at, what in found.problems)
    assert "at most 400 items" in read("Challenge,Response\n" + "Main battery,ON\n" * 401).problems[0][1]
    assert "no line with a challenge" in read("Challenge,Response\n").problems[0][1]


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"PK\x03\x04rest", "workbook cannot be read"),
        (b"\xd0\xcf\x11\xe0rest", "old kind"),
        (b"C" * (LARGEST_BYTES + 1), "larger than"),
        (b"Challenge,Response\nBat\x00tery,ON\n", "control characters"),
        (b"", "nothing in the file"),
        (b"\n,,\n", "nothing in the file"),
        (b"a\n" * (MOST_ROWS + 1), "rows are read"),
        (b",".join([b"a"] * 61), "columns are read"),
        (b"a" * 2001, "longer than"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_says_what_would_be_right(content: bytes, says: str) -> None:
    with pytest.raises(InputRefused, match=says):
        read_table(content)


def test_a_sheet_saved_without_utf_8_is_read_all_the_same() -> None:
    assert read_table("Prüfung,Grün °C\n".encode("cp1252"))[0].cells == ("Prüfung", "Grün °C")
    assert read_table("Prüfung\tEin\n".encode("utf-16"))[0].cells == ("Prüfung", "Ein")


def test_abbreviations_are_spelled_out_and_a_school_adds_its_own() -> None:
    shipped = shipped_abbreviations()
    assert shipped.spelled_out("EXT PWR SW") == "ground power switch"
    assert shipped.spelled_out("GENERATOR") == "GENERATOR", "a word that begins like one is none"
    assert shipped.person("CM1") == "captain" and shipped.person("First officer") == "first-officer"
    assert shipped.with_own({"mbus": "main bus"}).spelled_out("MBUS volts") == "main bus volts"


def test_what_nothing_fits_stays_open_until_it_is_fitted_or_left_to_say_so() -> None:
    draft = Draft.from_json(from_sheet(rowan(), "T", read(GOOD).rows).to_json())
    assert open_items(draft, read_draft(draft)) == ("sextant",)
    renamed = set_fields(draft, "sextant", {"id": "old-sextant"})
    assert open_items(renamed, read_draft(renamed)) == ("old-sextant",)
    left = leave_to_say_so(draft, "sextant")
    assert open_items(left, read_draft(left)) == ()
    earlier = set_fields(left, "sextant", {"statement": "Not matched yet: Sextant: Stowed."})
    assert open_items(earlier, read_draft(earlier)) == ("sextant",), "as drafts of 0.4 say it"
    settled = leave_to_say_so(earlier, "sextant")
    assert open_items(settled, read_draft(settled)) == ()


def test_what_only_reads_a_little_alike_is_not_taken_for_it() -> None:
    """A door that is open is not the air valve with a position OPEN."""
    (row,) = read("Challenge,Response\nAPU door,Open\n").rows
    assert row.item["kind"] == "confirm"


def test_an_open_line_comes_with_what_it_could_be() -> None:
    offered = suggestions(rowan(), "Batt main", "ON")
    assert any(item.get("control") == "battery_main" for _, item in offered)
    assert likeness("Main battery", "main battery") == 1.0 > likeness("Main battery", "Flap lever")


def test_the_fields_are_what_a_column_can_hold() -> None:
    field: Field = "challenge"
    rows = read_table(b"Challenge,Colour,Response\nMain battery,red,ON\n")
    mapped = guess_columns(rows, {})
    assert mapped.columns[0] == field and 1 not in mapped.columns and mapped.complete
