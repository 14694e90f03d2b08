"""Abbreviations as instructors write them, spelled out for matching; the list that ships, and what a school adds."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

from lumenstat.documents.bundles import SHIPPED
from lumenstat.language.sources import read_source_file


@dataclass(frozen=True)
class Abbreviations:
    """Words by what they stand for, in capitals; and what people are called."""

    words: Mapping[str, str]
    people: Mapping[str, str]

    def spelled_out(self, text: str) -> str:
        """A text with its abbreviations spelled out, the longest first; what is none stays as it is."""
        found = text
        for short in sorted(self.words, key=len, reverse=True):
            pattern = rf"(?<![A-Za-z0-9]){re.escape(short)}\.?(?![A-Za-z0-9])"
            found = re.sub(pattern, self.words[short], found, flags=re.IGNORECASE)
        return found

    def person(self, text: str) -> str:
        """Who is meant, as documents say it."""
        plain = text.strip().upper().rstrip(".")
        return self.people.get(plain, text.strip().lower().replace(" ", "-"))

    def with_own(self, own: Mapping[str, str]) -> Abbreviations:
        """These, and a school's own, which come first."""
        return Abbreviations({**self.words, **{short.upper(): long for short, long in own.items()}}, self.people)


@cache
def shipped_abbreviations() -> Abbreviations:
    """The list that ships."""
    data = read_source_file(SHIPPED / "abbreviations.yaml").data
    return Abbreviations(
        {str(k).upper(): str(v) for k, v in data["words"].items()},
        {str(k).upper(): str(v) for k, v in data["people"].items()},
    )
