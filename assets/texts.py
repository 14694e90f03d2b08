"""Gathers the texts of the sources into the catalogue of each language, compiles them, and tells what has no words yet.

    make texts

A language is begun with an empty `src/lumenstat/locale/LANGUAGE/LC_MESSAGES/lumenstat.po`. Words that stand in a
catalogue stay as they are; those of a text that is gone from the sources go with it.
"""

from __future__ import annotations

import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.frontend import parse_mapping_cfg
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

PACKAGE = Path(__file__).parents[1] / "src" / "lumenstat"
LOCALES = PACKAGE / "locale"
SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)
"""Stands in compiled catalogues, so that they are the same bytes where no text has changed."""
KEYWORDS = {"_": None, "_n": (1, 2), "phrase": None, "phrases": (1, 2)}


def gathered(locale: str | None = None) -> Catalog:
    """Every text of templates, scripts and Python, with the files that it stands in."""
    parse: Any = parse_mapping_cfg
    with (LOCALES / "babel.cfg").open() as file:
        methods, options = parse(file)
    heads: Any = {"project": "Lumenstat", "version": "", "charset": "utf-8", "fuzzy": False}
    catalogue = Catalog(locale=locale, creation_date=SOME_TIME, revision_date=SOME_TIME, **heads)
    for file, _, message, _, _ in sorted(extract_from_dir(PACKAGE, methods, options, KEYWORDS), key=lambda e: e[:2]):
        catalogue.add(message, locations=[(file, None)] if not _stands_in(catalogue, message, file) else [])
    return catalogue


def _stands_in(catalogue: Catalog, message: str | tuple[str, ...], file: str) -> bool:
    found = catalogue.get(message if isinstance(message, str) else message[0])
    return found is not None and (file, None) in found.locations


def languages() -> list[str]:
    """Those that have a catalogue."""
    return sorted(path.parents[1].name for path in LOCALES.glob("*/LC_MESSAGES/lumenstat.po"))


def catalogue_of(language: str) -> Catalog:
    """The catalogue of a language, as its translator wrote it."""
    with (LOCALES / language / "LC_MESSAGES" / "lumenstat.po").open("rb") as file:
        return read_po(file, locale=language)


def brought_up(language: str) -> Catalog:
    """The catalogue of a language with the texts of the sources as they are now."""
    old, new = catalogue_of(language), gathered(language)
    for message in new:
        if message.id and (known := old.get(message.id)) is not None and known.string:
            message.string = known.string
    return new


def missing(catalogue: Catalog) -> list[str]:
    """Texts without words, whole or in one of their forms."""
    said = ((m, m.string if isinstance(m.string, tuple) else (m.string,)) for m in catalogue if m.id)
    return [str(message.id) for message, words in said if not all(words)]


def main() -> None:
    """Bring every catalogue up, and compile it."""
    for language in languages():
        catalogue, folder = brought_up(language), LOCALES / language / "LC_MESSAGES"
        with (folder / "lumenstat.po").open("wb") as file:
            write_po(file, catalogue, width=0, omit_header=False, include_lineno=False)
        _without_times(folder / "lumenstat.po")
        with (folder / "lumenstat.mo").open("wb") as file:
            write_mo(file, catalogue)
        left = missing(catalogue)
        sys.stdout.write(f"{language}: {len(catalogue)} texts, {len(left)} without words\n")
        sys.stdout.writelines(f"  {text}\n" for text in left)


def _without_times(path: Path) -> None:
    """Take out when and by whom, so that nothing changes where no text has."""
    lines = path.read_text().splitlines(keepends=True)
    head = ("POT-Creation-Date", "PO-Revision-Date", "Last-Translator", "Generated-By", "Report-Msgid", "Language-Team")
    path.write_text("".join(line for line in lines if not line.startswith((*(f'"{name}' for name in head), "# "))))


if __name__ == "__main__":
    main()
