"""Spreadsheets: matched to what the airframe has, and refused by line where they cannot be read."""

from __future__ import annotations

import pytest

from lumenstat.drafting.beginnings import from_sheet
from lumenstat.drafting.draft import read_draft
from lumenstat.drafting.spreadsheet import UNMATCHED, likeness, read_sheet, suggestions
from lumenstat.errors import EditRefused
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


def test_lines_become_items_of_what_they_name() -> None:
    rows = read_sheet(GOOD.encode("utf-8-sig"), rowan())
    assert [(row.item["kind"], row.item.get("control") or row.item.get("instrument") or row.item.get("service") or row.item.get("until")) for row in rows[:6]] == [
        ("set", "battery_main"),
        ("check", "essential_volts"),
        ("request", "ground_power"),
        ("set", "ground_power"),
        ("set", "apu_boost"),
        ("wait", "lamp.apu_available"),
    ]  # fmt: skip
    assert rows[0].item["critical"] is True and rows[0].item["who"] == "captain"
    assert rows[1].item["expect"] == {"min": 22.8, "max": 25.2}
    assert rows[6].item["statement"].startswith(UNMATCHED)
    read = read_draft(from_sheet(rowan(), "From the sheet", rows))
    assert read.bundle is not None
    assert [section.title for section in read.checklists[0].sections] == ["Power", "APU"]


def test_what_only_reads_a_little_alike_is_not_taken_for_it() -> None:
    """A door that is open is not the air valve with a position OPEN."""
    (row,) = read_sheet(b"Challenge,Response\nAPU door,Open\n", rowan())
    assert row.item["kind"] == "confirm"


def test_an_unmatched_line_comes_with_what_it_could_be() -> None:
    offered = suggestions(rowan(), "Batt main", "ON")
    assert any(item.get("control") == "battery_main" for _, item in offered)
    assert likeness("Main battery", "main battery") == 1.0 > likeness("Main battery", "Flap lever")


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"Challenge,Response\nBattery \xb0C,ON\n", "line 2 is not UTF-8"),
        (b"PK\x03\x04rest", "workbook"),
        (b"Line,,\nChallenge,Response,\n", "line 1 has no column challenge"),
        (b"Challenge\nBattery\n", "no column response"),
        (b"Challenge,Response,Colour\nBattery,ON,red\n", "names a column 'colour'"),
        (b"Challenge,Response\n=A1,ON\n", "line 2, challenge: '=A1' is a formula"),
        (b"Challenge,Response\n,ON\n", "line 2 has no challenge; a merged cell"),
        (b"Challenge,Response\n", "no line below"),
        (b"Challenge,Response,Weight\nBattery,ON,heavy\n", "line 2, weight: 'heavy' is no figure"),
        (b"Challenge,Response\n" + b"Main battery,ON\n" * 5000, "at most 400 items"),
        (b"C" * 600_000, "larger than"),
        (b"Challenge,Response\nBat\x00tery,ON\n", "null characters"),
        (b"", "line 1 has no column"),
        (b"Challenge,Response\nStart switches, both,OFF\n", "line 2 has 3 cells and line 1 names 2"),
        (b"Challenge,Response,Who\nMain battery,ON,pilot\n", "line 2, who: 'pilot' is nobody"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_says_where_and_what_would_be_right(content: bytes, says: str) -> None:
    with pytest.raises(EditRefused, match=says):
        read_sheet(content, rowan())
