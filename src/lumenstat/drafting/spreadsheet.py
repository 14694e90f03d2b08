"""A checklist from a spreadsheet saved as CSV: challenge and response, matched to what the airframe has."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any, get_args

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.edits import slug
from lumenstat.drafting.pointing import for_control, for_instrument, for_request, for_state, spoken
from lumenstat.errors import EditRefused
from lumenstat.items.item import Who
from lumenstat.systems.panel.part import Control, Instrument

MOST_ROWS = 400
LARGEST_BYTES = 500_000
COLUMNS = ("challenge", "response", "section", "who", "why", "caution", "good", "weight", "critical", "hint")
ALIKE = 0.72
SUGGESTIONS = 3
UNMATCHED = "Not matched yet: "
"""How the statement of a line begins that nothing on the airframe could be found for."""

_FIGURE = r"(-?\d+(?:\.\d+)?)"
_BAND = re.compile(rf"{_FIGURE}\s*(?:to|-|–)\s*{_FIGURE}")
_LEAST = re.compile(rf"{_FIGURE}\s*\S*\s*(?:or more|minimum|min)|(?:at least|over|above|>=?)\s*{_FIGURE}", re.I)
_MOST = re.compile(rf"{_FIGURE}\s*\S*\s*(?:or less|maximum|max)|(?:at most|under|below|<=?)\s*{_FIGURE}", re.I)
_LIT = re.compile(r"\b(lit|ready|available|light|on)\b", re.I)
_ASKED = re.compile(r"\b(request|requested|ask|asked|called for)\b", re.I)


Scored = tuple[float, dict[str, Any]]


@dataclass(frozen=True)
class SheetRow:
    """One line: its item, the section it belongs to, and the line of the file."""

    line: int
    section: str
    item: dict[str, Any]


def read_sheet(content: bytes, airframe: Airframe) -> list[SheetRow]:
    """Every line of a CSV as an item. Raises EditRefused that names the line and what would be right."""
    rows = _rows(_text(content))
    heads = [cell.strip().lower() for cell in next(rows, (0, []))[1]]
    missing = [name for name in ("challenge", "response") if name not in heads]
    if missing:
        raise EditRefused(
            f"line 1 has no column {' and no column '.join(missing)}; the first line names the columns, each in a cell "
            f"of its own (no merged cells): {', '.join(COLUMNS)}"
        )
    unknown = [head for head in heads if head and head not in COLUMNS]
    if unknown:
        raise EditRefused(f"line 1 names a column {unknown[0]!r}; there is {', '.join(COLUMNS)}")
    found: list[SheetRow] = []
    for line, cells in rows:
        if [cell for cell in cells[len(heads) :] if cell.strip()]:
            counts = f"line {line} has {len(cells)} cells and line 1 names {len(heads)}"
            raise EditRefused(f"{counts}; a cell with a comma in it stands in quotes")
        given = {head: cell.strip() for head, cell in zip(heads, cells, strict=False) if head and cell.strip()}
        if not given:
            continue
        _refuse_formulas(given, line)
        if "challenge" not in given:
            raise EditRefused(f"line {line} has no challenge; a merged cell leaves the others empty: fill each one")
        if len(found) >= MOST_ROWS:
            raise EditRefused(f"line {line}: a checklist has at most {MOST_ROWS} items; split the sheet")
        found.append(SheetRow(line, given.get("section", ""), _item(given, line, airframe)))
    if not found:
        raise EditRefused("the sheet has no line below its first one")
    return found


def _text(content: bytes) -> str:
    if len(content) > LARGEST_BYTES:
        raise EditRefused(f"the sheet is larger than {LARGEST_BYTES:,} bytes; a checklist is not")
    if content[:2] in (b"PK", b"\xd0\xcf"):
        raise EditRefused("this is a workbook, not a CSV; save it as `CSV UTF-8` first")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        raise EditRefused(f"line {line} is not UTF-8 text; save the sheet as `CSV UTF-8`") from None
    if "\x00" in text:
        raise EditRefused("the file holds null characters; save the sheet as `CSV UTF-8`")
    return text


def _rows(text: str) -> Iterator[tuple[int, list[str]]]:
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise EditRefused(f"line {reader.line_num} cannot be read as CSV: {error}") from None


def _refuse_formulas(given: dict[str, str], line: int) -> None:
    for name, cell in given.items():
        if cell[0] in "=@" or (cell[0] in "+-" and not re.match(r"[+-]\d", cell)):
            raise EditRefused(f"line {line}, {name}: {cell[:20]!r} is a formula; paste the sheet as values")


def _item(given: dict[str, str], line: int, airframe: Airframe) -> dict[str, Any]:
    challenge, response = given["challenge"], given.get("response", "Checked")
    item = next(iter(matches(airframe, challenge, response)), None)
    if item is None:
        item = {"kind": "confirm", "statement": f"{UNMATCHED}{challenge}: {response}."}
    item = {key: value for key, value in item.items() if key not in ("who", "why")}
    item |= {"challenge": challenge, "response": response}
    for name in ("who", "why", "caution", "good"):
        if name in given:
            item[name] = _who(given[name], line) if name == "who" else given[name]
    if "hint" in given:
        item["hints"] = [given["hint"]]
    if "weight" in given:
        try:
            item["weight"] = float(given["weight"].replace(",", "."))
        except ValueError:
            raise EditRefused(f"line {line}, weight: {given['weight']!r} is no figure") from None
    if given.get("critical", "").lower() in ("yes", "true", "x", "1"):
        item["critical"] = True
    return item


def _who(cell: str, line: int) -> str:
    who = cell.lower().replace(" ", "-")
    if who not in get_args(Who):
        raise EditRefused(f"line {line}, who: {cell!r} is nobody; there is {', '.join(get_args(Who))}")
    return who


def matches(airframe: Airframe, challenge: str, response: str) -> list[dict[str, Any]]:
    """Items that a line could mean, the likeliest first; only those whose part reads alike and whose response fits."""
    kinds = (_controls, _instruments, _services, _lamps)
    found = [pair for kind in kinds for pair in kind(airframe, challenge, response) if pair[0] >= ALIKE]
    return [item for _, item in sorted(found, key=lambda pair: -pair[0])]


def _controls(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    for control in airframe.controls.values():
        position = _position(control, response)
        if position is not None and control.kind != "momentary":
            name = spoken(airframe, "controls", control.id)
            yield likeness(challenge, name), for_control(airframe, control.id, position)


def _instruments(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    if limits := _limits(response):
        for instrument in airframe.instruments.values():
            yield likeness(challenge, instrument.name), _read(airframe, instrument, limits)


def _services(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    for service in airframe.services:
        for number, action in enumerate(service.actions if _ASKED.search(response) else ()):
            both = max(likeness(challenge, service.name), likeness(challenge, f"{service.name} {action.name}"))
            yield both - 0.01 * number, for_request(airframe, service.id, action.id)
        if response.strip().lower() in service.states:
            yield likeness(challenge, service.name), for_state(airframe, service.id, response.strip().lower())


def _lamps(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    if not _LIT.search(response):
        return
    for lamp in airframe.lamps.values():
        both = max(
            likeness(challenge, spoken(airframe, "lamps", lamp.id)), likeness(f"{challenge} {response}", lamp.name)
        )
        yield both - 0.05, {"kind": "wait", "until": f"lamp.{lamp.id}"}


def suggestions(airframe: Airframe, challenge: str, response: str) -> list[tuple[str, dict[str, Any]]]:
    """What an unmatched line could be about, with a name for each: the parts that read most alike."""
    found: list[tuple[float, str, dict[str, Any]]] = []
    for control in airframe.controls.values():
        item = for_control(airframe, control.id, _position(control, response))
        found.append((likeness(challenge, spoken(airframe, "controls", control.id)), f"control {control.name}", item))
    for instrument in airframe.instruments.values():
        limits = _limits(response)
        item = _read(airframe, instrument, limits) if limits else for_instrument(airframe, instrument.id)
        found.append((likeness(challenge, instrument.name), f"instrument {instrument.name}", item))
    for lamp in airframe.lamps.values():
        item = {"kind": "wait", "until": f"lamp.{lamp.id}"}
        found.append((likeness(challenge, lamp.name), f"lamp {lamp.name}", item))
    best = sorted(found, key=lambda each: -each[0])[:SUGGESTIONS]
    return [(words, item) for _, words, item in best]


def likeness(one: str, other: str) -> float:
    """How much two names read alike, 0 to 1: by their words first, then by their letters."""
    a, b = set(slug(one).split("-")), set(slug(other).split("-"))
    shared = len(a & b) / max(len(a), len(b))
    letters = SequenceMatcher(None, slug(one), slug(other)).ratio()
    return max(shared, letters)


def _position(control: Control, response: str) -> str | None:
    wanted = response.strip().lower().rstrip(".")
    return next((position for position in control.positions if position.lower() == wanted), None)


def _limits(response: str) -> dict[str, float]:
    if band := _BAND.search(response):
        low, high = float(band.group(1)), float(band.group(2))
        return {"min": min(low, high), "max": max(low, high)}
    found: dict[str, float] = {}
    for name, pattern in (("min", _LEAST), ("max", _MOST)):
        if match := pattern.search(response):
            found[name] = float(match.group(1) or match.group(2))
    return found


def _read(airframe: Airframe, instrument: Instrument, limits: dict[str, float]) -> dict[str, Any]:
    item = for_instrument(airframe, instrument.id)
    return item | {"expect": dict(limits)}
