"""Kinds of columns that the tables have beside those of SQLAlchemy."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import String, Text, TypeDecorator

from lumenstat.language.wording import MARK, Phrase, as_json, from_json


class WordsColumn(TypeDecorator[str]):
    """A text that is told to each reader in their language: it keeps the parts it was made of."""

    impl = String
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Any) -> str | None:
        """As it is stored: plain text, or the parts of a phrase as JSON."""
        return json.dumps(as_json(value), ensure_ascii=False) if isinstance(value, Phrase) else value

    def process_result_value(self, value: str | None, dialect: Any) -> str | None:
        """As it was given."""
        return from_json(json.loads(value)) if value and value.startswith(f'{{"{MARK}') else value


class WordsTextColumn(WordsColumn):
    """One without a limit."""

    impl = Text
    cache_ok = True


def title_of(context: Any) -> str:
    """The default of what a row is named: its plain title, of documents that have no words of their own for it."""
    return str(context.get_current_parameters()["title"])
