"""A checklist as a card on paper: challenge and response, the line, and the cautions beside what they guard."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.checklist import CheckItem, DecideItem, Item
from lumenstat.exchange.sheet import BRICK, INK, QUIET, Sheet


def card_pdf(bundle: Bundle, school: str) -> bytes:
    """The card of an exercise."""
    names = ", ".join(dict.fromkeys(f"{c.procedure_set}, version {c.version}" for c in bundle.checklists))
    sheet = Sheet(f"{bundle.airframe.name}: {bundle.exercise.title}", school)
    sheet.title_line(bundle.exercise.title)
    sheet.say(f"{bundle.airframe.name}. {names}. Documents {bundle.digest[:12]}.", colour=QUIET)
    for caution in bundle.airframe.cautions:
        sheet.say(caution, colour=BRICK, size=8)
    number = 0
    for checklist in bundle.checklists:
        for section in checklist.sections:
            order = "any order" if section.order == "any" else ""
            style = "flow, then check" if section.style == "flow-then-check" else ""
            sheet.heading(", ".join(part for part in (section.title, order, style) if part))
            for item in section.items:
                number += 1
                _line(sheet, item, number, 0)
                if section.line_after == item.id:
                    _the_line(sheet)
    return sheet.finished()


def _line(sheet: Sheet, item: Item, number: int, depth: int) -> None:
    if sheet.will_page_break(12):
        sheet.add_page()
    indent = 8 * depth
    sheet.set_text_color(*INK)
    sheet.set_font("text", "", 8)
    sheet.set_x(sheet.l_margin + indent)
    sheet.cell(8, 5, str(number) if not depth else "", align="R")
    sheet.set_font("text", "B" if item.critical else "", 10)
    left = sheet.epw * 0.52 - indent
    sheet.cell(left, 5, sheet.printable(_fitted(sheet, f" {item.challenge}", left)))
    sheet.set_font("text", "B", 10)
    sheet.multi_cell(0, 5, sheet.printable(item.response), align="L", new_x="LMARGIN", new_y="NEXT")
    if item.caution:
        sheet.set_x(sheet.l_margin + indent + 9)
        sheet.set_text_color(*BRICK)
        sheet.set_font("text", "", 8)
        sheet.multi_cell(0, 4, sheet.printable(f"Caution: {item.caution}"), new_x="LMARGIN", new_y="NEXT")
    if isinstance(item, DecideItem):
        for branch in item.branches:
            _branch(sheet, branch.says, branch.items, number, depth)
    if isinstance(item, CheckItem) and item.if_not is not None:
        _branch(sheet, f"If not: {item.if_not.says}", item.if_not.items, number, depth)


def _branch(sheet: Sheet, says: str, items: tuple[Item, ...], number: int, depth: int) -> None:
    sheet.set_x(sheet.l_margin + 8 * depth + 9)
    sheet.set_text_color(*QUIET)
    sheet.set_font("text", "", 9)
    sheet.multi_cell(0, 4.5, sheet.printable(says), new_x="LMARGIN", new_y="NEXT")
    for item in items:
        _line(sheet, item, number, depth + 1)


def _fitted(sheet: Sheet, text: str, width: float) -> str:
    """The text with dots up to the response, shortened where it is too long."""
    while sheet.get_string_width(text) > width - 3:
        text = text[:-2] + "…"
    dots = int((width - sheet.get_string_width(text) - 2) / sheet.get_string_width("."))
    return f"{text} {'.' * max(0, dots - 1)}"


def _the_line(sheet: Sheet) -> None:
    sheet.ln(1)
    sheet.set_line_width(0.6)
    sheet.line(sheet.l_margin, sheet.get_y(), sheet.w - sheet.r_margin, sheet.get_y())
    sheet.set_line_width(0.2)
    sheet.ln(0.5)
    sheet.say("Down to the line. Below it only after the event it waits for.", colour=QUIET, size=7)
