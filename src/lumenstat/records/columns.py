"""Kinds of columns that the tables have beside those of SQLAlchemy."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import String, Text, TypeDecorator

from lumenstat.language.wording import MARK, Phrase, as_json, from_json, joined

STORED = f'{{"{MARK}'


class WordsColumn(TypeDecorator[str]):
    """A text that is told to each reader in their language: it keeps the parts it was made of."""

    impl = String
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Any) -> str | None:
        """As it is stored: plain text, or the parts of a phrase as JSON."""
        # Somebody's own text may begin as a stored phrase does; it must not be read as one.
        if isinstance(value, Phrase) or (value is not None and value.startswith(STORED)):
            return json.dumps(as_json(joined("", (value,))), ensure_ascii=False)
        return value

    def process_result_value(self, value: str | None, dialect: Any) -> str | None:
        """As it was given."""
        return from_json(json.loads(value)) if value and value.startswith(STORED) else value


class WordsTextColumn(WordsColumn):
    """One without a limit."""

    impl = Text
    cache_ok = True


def title_of(context: Any) -> str:
    """The default of what a row is named: its plain title, of documents that have no words of their own for it."""
    return str(context.get_current_parameters()["title"])
