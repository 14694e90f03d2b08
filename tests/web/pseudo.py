"""A language that exists only in tests: every text of the catalogue in brackets, so that what no catalogue holds shows."""

from __future__ import annotations

import re
import runpy
from html.parser import HTMLParser
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo

from lumenstat.language import wording

PACKAGE = Path(wording.__file__).parents[1]
PSEUDO = "eo"
"""Filed under a real language, so that dates have names; nobody ships it."""
SAID_ATTRIBUTES = ("title", "aria-label", "placeholder", "alt")


def write_pseudo(folder: Path) -> None:
    """Write the language into a folder of catalogues."""
    catalogue: Catalog = runpy.run_path(str(PACKAGE.parents[1] / "assets" / "texts.py"))["gathered"](PSEUDO)
    for message in catalogue:
        if message.id:
            message.string = tuple(f"⟦{m}⟧" for m in message.id) if message.pluralizable else f"⟦{message.id}⟧"
    target = folder / PSEUDO / "LC_MESSAGES" / f"{wording.DOMAIN}.mo"
    target.parent.mkdir(parents=True, exist_ok=True)
    with target.open("wb") as file:
        write_mo(file, catalogue)


class _Texts(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self.silent = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.silent += tag in ("script", "style", "textarea")
        self.found += [value for name, value in attrs if name in SAID_ATTRIBUTES and value]

    def handle_endtag(self, tag: str) -> None:
        self.silent -= tag in ("script", "style", "textarea")

    def handle_data(self, data: str) -> None:
        if not self.silent:
            self.found.append(data)


def untold(page: str) -> set[str]:
    """What a page says outside of every bracket, in pieces that hold a word."""
    texts = _Texts()
    texts.feed(page)
    pieces = {piece for text in texts.found for piece in _outside(re.sub(r"\s+", " ", text))}
    return {piece for piece in pieces if re.search(r"[A-Za-z]{3,}", piece)}


def _outside(text: str) -> list[str]:
    depth, pieces = 0, [""]
    for sign in text:
        if sign == "⟦":
            depth += 1
            pieces.append("")
        elif sign == "⟧":
            depth -= 1
        elif depth == 0:
            pieces[-1] += sign
    return [piece.strip(" ,;:.()·'\"") for piece in pieces if piece.strip()]
