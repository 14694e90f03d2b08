"""A checklist's card on paper: challenge and response, the line, and the cautions beside what they guard."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.exchange.printed_card import PrintedLine, card_of
from lumenstat.exchange.printed_sheet import BRICK, INK, QUIET, Sheet
from lumenstat.language.wording import SOURCE_LANGUAGE, phrase


def card_pdf(bundle: Bundle, school: str, language: str = SOURCE_LANGUAGE) -> bytes:
    """The card of an exercise."""
    card = card_of(bundle)
    sheet = Sheet(f"{bundle.airframe.name}: {card.title}", school, language)
    sheet.title_line(card.title)
    sheet.say(card.about, colour=QUIET)
    for caution in card.cautions:
        sheet.say(caution, colour=BRICK, size=8)
    for line in card.lines:
        match line.what:
            case "section":
                sheet.heading(line.left)
            case "item":
                _item(sheet, line)
            case "branch":
                _branch(sheet, line)
            case "the-line":
                _the_line(sheet, line)
    return sheet.finished()


def _item(sheet: Sheet, line: PrintedLine) -> None:
    # An item stays whole: half a caution on the next sheet is none.
    if sheet.will_page_break(12):
        sheet.add_page()
    indent = 8 * line.depth
    sheet.set_text_color(*INK)
    sheet.set_font("text", "", 8)
    sheet.set_x(sheet.l_margin + indent)
    sheet.cell(8, 5, str(line.number or ""), align="R")
    sheet.set_font("text", "B" if line.critical else "", 10)
    left = sheet.epw * 0.52 - indent
    sheet.cell(left, 5, sheet.printable(_fitted(sheet, f" {line.left}", left)))
    sheet.set_font("text", "B", 10)
    sheet.multi_cell(0, 5, sheet.printable(line.right), align="L", new_x="LMARGIN", new_y="NEXT")
    if line.caution:
        sheet.set_x(sheet.l_margin + indent + 9)
        sheet.set_text_color(*BRICK)
        sheet.set_font("text", "", 8)
        sheet.multi_cell(
            0, 4, sheet.printable(phrase("Caution: {caution}", caution=line.caution)), new_x="LMARGIN", new_y="NEXT"
        )


def _branch(sheet: Sheet, line: PrintedLine) -> None:
    sheet.set_x(sheet.l_margin + 8 * line.depth + 9)
    sheet.set_text_color(*QUIET)
    sheet.set_font("text", "", 9)
    sheet.multi_cell(0, 4.5, sheet.printable(line.left), new_x="LMARGIN", new_y="NEXT")


def _fitted(sheet: Sheet, text: str, width: float) -> str:
    """The text with dots up to the response, shortened where it is too long."""
    while sheet.get_string_width(text) > width - 3:
        text = text[:-2] + "…"
    dots = int((width - sheet.get_string_width(text) - 2) / sheet.get_string_width("."))
    return f"{text} {'.' * max(0, dots - 1)}"


def _the_line(sheet: Sheet, line: PrintedLine) -> None:
    sheet.ln(1)
    sheet.set_line_width(0.6)
    sheet.line(sheet.l_margin, sheet.get_y(), sheet.w - sheet.r_margin, sheet.get_y())
    sheet.set_line_width(0.2)
    sheet.ln(0.5)
    sheet.say(line.left, colour=QUIET, size=7)
