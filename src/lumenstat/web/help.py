"""Help: the Markdown of docs/ as pages, and where words stand in them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt

from lumenstat.language.wording import SOURCE_LANGUAGE

PACKAGE = Path(__file__).parents[1]
DOCS = next(folder for folder in (PACKAGE / "docs", PACKAGE.parents[1] / "docs") if folder.is_dir())
"""Inside the package where it is installed, beside the sources in a checkout."""

TOPICS = (
    ("first-steps", "help/first-steps.md"),
    ("station", "help/station.md"),
    ("judging", "help/judging.md"),
    ("desk", "help/desk.md"),
    ("building", "help/building.md"),
    ("record", "help/record.md"),
    ("authoring", "authoring.md"),
    ("record-in-full", "record.md"),
    ("operating", "operating.md"),
    ("model", "model.md"),
    ("glossary", "glossary.md"),
)
OF_TAB = {
    "home": "first-steps", "desk": "desk", "exercises": "first-steps", "drafts": "building", "runs": "judging",
    "people": "record", "courses": "record", "days": "record", "school": "operating", "account": "station",
}  # fmt: skip
"""Which topic helps on the pages of a tab."""
AROUND = 70
HEADING = re.compile(r"\s*#+ (.*)")
MARKS = re.compile(r"[*`|\[\]#]+|\(\S+\.md\S*\)")


@dataclass(frozen=True, slots=True)
class Topic:
    """A page of help: its name in addresses, its title, its text, that text as HTML, and the language that it is in."""

    name: str
    title: str
    text: str
    html: str
    language: str


@dataclass(frozen=True, slots=True)
class HelpPassage:
    """A place where all words of a search stand together: the topic, the section, and the line."""

    topic: str
    title: str
    section: str
    line: str


@cache
def topics(language: str = SOURCE_LANGUAGE) -> dict[str, Topic]:
    """All pages of help, in their order: in a language where they are written in it, else in English."""
    markdown = MarkdownIt("commonmark", {"html": False}).enable("table")
    found = {}
    for name, path in TOPICS:
        own = (DOCS / path).parent / language / Path(path).name
        text = (own if own.is_file() else DOCS / path).read_text(encoding="utf-8")
        title = text.split("\n", 1)[0].removeprefix("# ").strip()
        html = _addresses(markdown.render(text.split("\n", 1)[1]))
        found[name] = Topic(name, title, text, html, language if own.is_file() else SOURCE_LANGUAGE)
    return found


def _addresses(html: str) -> str:
    """Links between files of docs/ as links between pages of help; what is no page of help is named, not linked."""
    names = {Path(path).name: name for name, path in TOPICS}

    def link(match: re.Match[str]) -> str:
        target = Path(match["to"]).name
        return f'<a href="/help/{names[target]}">{match["words"]}</a>' if target in names else match["words"]

    return re.sub(r'<a href="(?P<to>(?!https?:)[^"#]*)[^"]*">(?P<words>.*?)</a>', link, html)


def search(words: str, language: str = SOURCE_LANGUAGE) -> Iterator[HelpPassage]:
    """Paragraphs and rows that have all the words, topic by topic."""
    wanted = [word for word in words.lower().split() if word]
    if not wanted:
        return
    for topic in topics(language).values():
        section = ""
        # A passage is a paragraph, a row of a table or a line of a list: what fits on a line of results.
        for block in re.split(r"\n\s*\n|\n(?=\||- |#)", topic.text):
            if (heading := HEADING.match(block)) is not None:
                section = "" if heading[1] == topic.title else heading[1]
            # Without the marks of Markdown, across which nobody would find a word.
            plain = re.sub(r"\s+", " ", MARKS.sub(" ", block)).strip()
            if all(word in plain.lower() for word in wanted):
                at = plain.lower().find(wanted[0])
                begin = max(0, at - AROUND)
                line = ("… " if begin else "") + plain[begin : at + 2 * AROUND]
                yield HelpPassage(
                    topic.name, topic.title, section, line + (" …" if at + 2 * AROUND < len(plain) else "")
                )
