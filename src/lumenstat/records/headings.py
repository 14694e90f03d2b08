"""What a school's spreadsheets say: headings that were mapped once, abbreviations of its own."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lumenstat.records.tables import Abbreviation, Heading


def headings(session: Session) -> list[tuple[str, str]]:
    """Each heading with the field that it means."""
    return [(row.heading, row.field) for row in session.scalars(select(Heading).order_by(Heading.heading))]


def set_headings(session: Session, chosen: Mapping[str, str]) -> None:
    """Remember what headings mean."""
    for heading, field in chosen.items():
        if heading:
            session.merge(Heading(heading=heading, field=field))


def abbreviations(session: Session) -> list[tuple[str, str]]:
    """The school's own abbreviations with what they stand for."""
    return [(row.short, row.long) for row in session.scalars(select(Abbreviation).order_by(Abbreviation.short))]


def set_abbreviations(session: Session, own: Mapping[str, str]) -> None:
    """Keep these abbreviations and no others."""
    session.execute(delete(Abbreviation))
    session.add_all(Abbreviation(short=short, long=long) for short, long in own.items())
