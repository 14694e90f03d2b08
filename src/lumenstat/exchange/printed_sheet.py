"""A4 pages in our own type: what every printed document has in common."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fpdf import FPDF
from fpdf.enums import Align, TableBordersLayout
from fpdf.fonts import FontFace

from lumenstat.exchange.printed_card import TRAINING_AID
from lumenstat.language.wording import SOURCE_LANGUAGE, Names, catalogue_of, told

FONTS = Path(__file__).parent / "fonts"
INK, QUIET, BRICK = (23, 26, 38), (95, 99, 112), (179, 38, 30)


class Sheet(FPDF):
    """A4 portrait with a running title above and the training caution below every page."""

    def __init__(self, title: str, school: str, language: str = SOURCE_LANGUAGE, names: Names | None = None) -> None:
        super().__init__(format="A4", unit="mm")
        self.running, self.school, self.catalogue, self.names = title, school, catalogue_of(language), names
        for name, style, file in (
            ("text", "", "next-regular"),
            ("text", "B", "next-bold"),
            ("mono", "", "mono-semibold"),
        ):
            self.add_font(name, style, FONTS / f"atkinson-hyperlegible-{file}.ttf")
        self.set_title(self._told(title))
        self.set_creator("Lumenstat")
        self.set_margins(16, 18, 16)
        self.set_auto_page_break(auto=True, margin=22)
        self.add_page()

    def header(self) -> None:
        """Title and school over a hairline."""
        self.set_font("text", "", 8)
        self.set_text_color(*QUIET)
        self.cell(0, 4, self.printable(self.running), align=Align.L)
        self.set_xy(self.l_margin, self.t_margin)
        self.cell(0, 4, self.printable(self.school), align=Align.R, new_x="LMARGIN", new_y="NEXT")
        self.set_draw_color(*INK)
        self.line(self.l_margin, self.get_y() + 1, self.w - self.r_margin, self.get_y() + 1)
        self.ln(4)

    def footer(self) -> None:
        """The caution and the page number."""
        self.set_y(-17)
        self.set_font("text", "", 7)
        self.set_text_color(*QUIET)
        self.multi_cell(self.epw - 20, 3.2, self.printable(TRAINING_AID), new_x="RIGHT", new_y="TOP")
        self.cell(0, 3.2, f"{self.page_no()}", align=Align.R)

    def title_line(self, text: str) -> None:
        """The name of the document."""
        self.set_text_color(*INK)
        self.set_font("text", "B", 17)
        self.multi_cell(0, 8, self.printable(text), new_x="LMARGIN", new_y="NEXT")

    def heading(self, text: str) -> None:
        """A heading over a hairline; never the last thing on a page."""
        if self.will_page_break(18):
            self.add_page()
        self.ln(3)
        self.set_text_color(*INK)
        self.set_font("text", "B", 11)
        self.multi_cell(0, 5.5, self.printable(text), new_x="LMARGIN", new_y="NEXT")
        self.line(self.l_margin, self.get_y(), self.w - self.r_margin, self.get_y())
        self.ln(1.5)

    def say(self, text: str, *, bold: bool = False, colour: tuple[int, int, int] = INK, size: float = 9) -> None:
        """A paragraph."""
        self.set_text_color(*colour)
        self.set_font("text", "B" if bold else "", size)
        self.multi_cell(0, size * 0.5, self.printable(text), new_x="LMARGIN", new_y="NEXT")

    def rows(
        self, heads: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[int], right: Sequence[int] = ()
    ) -> None:
        """A table with hairlines; the columns numbered in `right` are set to the right."""
        self.set_font("text", "", 8)
        self.set_text_color(*INK)
        self.set_draw_color(221, 213, 197)
        aligns = tuple(Align.R if n in right else Align.L for n in range(len(heads)))
        with self.table(
            col_widths=tuple(widths),
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            headings_style=FontFace(emphasis="BOLD", color=INK),
            line_height=4,
            text_align=aligns,
            padding=(0.6, 1.4),
        ) as table:
            for each in (heads, *rows):
                line = table.row()
                for cell in each:
                    line.cell(self.printable(cell))
        self.set_draw_color(*INK)

    def printable(self, text: str) -> str:
        """Text in the language of the sheet, with what our type has no drawing for replaced by a question mark."""
        drawn = self.fonts["text"].cmap  # type: ignore[union-attr]
        return "".join(sign if ord(sign) in drawn or sign == "\n" else "?" for sign in self._told(text))

    def _told(self, text: str) -> str:
        return told(text, self.catalogue, self.names)

    def finished(self) -> bytes:
        """The document."""
        return bytes(self.output())
