"""A class list as schools have them: names in one column or two, in any order of columns, with or without a heading."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.language.foreign_tables import TableRow
from lumenstat.language.wording import phrase
from lumenstat.records.groups import add_group, add_members, find_group
from lumenstat.records.people import (
    add_person,
    checked_name,
    checked_role,
    checked_sign_in_name,
    find_person,
    first_password,
    free_sign_in_name,
)
from lumenstat.records.tables import Person

Field = Literal["name", "first", "last", "sign_in_name", "role", "group"]
HEADINGS: Mapping[Field, Sequence[str]] = {
    "name": ("name", "full name", "trainee", "student", "cadet", "participant", "person", "trainee name"),
    "first": ("first name", "first", "given name", "given names", "forename"),
    "last": ("last name", "last", "surname", "family name"),
    "sign_in_name": ("sign-in name", "sign in name", "login", "user name", "username", "user", "account", "id"),
    "role": ("role", "function"),
    "group": ("group", "class", "course", "intake"),
}
MOST_PEOPLE = 200


@dataclass(frozen=True)
class Listed:
    """One person of a list: the line, and what it says; a sign-in name is made where none is given."""

    line: int
    name: str
    sign_in_name: str
    role: str
    group: str


@dataclass(frozen=True)
class ClassList:
    """A list that was read: its people, and what is wrong with it, by line."""

    people: tuple[Listed, ...]
    problems: tuple[tuple[int, str], ...]


def read_class_list(rows: Sequence[TableRow]) -> ClassList:
    """Everybody on a list, with every problem at once."""
    columns = _columns(rows[0])
    body = rows[1:] if columns else rows
    # A list of names without headings is what most schools have.
    columns = columns or {"name": 0}
    people: list[Listed] = []
    problems: list[tuple[int, str]] = []
    for row in body:
        try:
            people.append(_person(row, columns))
        except EntryRefused as error:
            problems.append((row.line, str(error)))
    problems += _doubled(people)
    if len(people) > MOST_PEOPLE:
        problems.append(
            (
                people[MOST_PEOPLE].line,
                phrase("A list has at most {most_people} people; split it.", most_people=MOST_PEOPLE),
            )
        )
    if not people and not problems:
        problems.append((rows[0].line, phrase("There is nobody on the list below its headings.")))
    return ClassList(tuple(people), tuple(sorted(problems)))


def _columns(row: TableRow) -> dict[Field, int]:
    """Which column is which, where the row is one of headings."""
    found: dict[Field, int] = {}
    for number, cell in enumerate(row.cells):
        for field, headings in HEADINGS.items():
            if cell.lower().strip(" :.") in headings:
                found.setdefault(field, number)
    return found if "name" in found or "first" in found or "last" in found else {}


def _person(row: TableRow, columns: Mapping[Field, int]) -> Listed:
    def cell(field: Field) -> str:
        return row.cell(columns[field]) if field in columns else ""

    name = cell("name") or f"{cell('first')} {cell('last')}"
    # "Okafor-Lund, Ines", as offices write it.
    if "first" not in columns and name.count(",") == 1:
        last, first = name.split(",")
        name = f"{first} {last}"
    own = cell("sign_in_name")
    return Listed(
        line=row.line,
        name=checked_name(name),
        sign_in_name=checked_sign_in_name(own) if own else "",
        role=checked_role(cell("role")) if cell("role") else "trainee",
        group=cell("group"),
    )


def _doubled(people: Sequence[Listed]) -> Iterator[tuple[int, str]]:
    seen: dict[str, int] = {}
    for each in people:
        for key in filter(None, (each.name.lower(), each.sign_in_name and f"@{each.sign_in_name}")):
            if key in seen:
                what = each.sign_in_name if key.startswith("@") else each.name
                yield each.line, phrase("{what} stands on line {key} already.", what=repr(what), key=seen[key])
            else:
                seen[key] = each.line


# ---- taking it in ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Added:
    """Somebody of a list as they can sign in now; without a password they were here already."""

    name: str
    sign_in_name: str
    password: str | None


def add_listed(session: Session, listed: ClassList, group: str, in_charge: int) -> list[Added]:
    """Add everybody on a list; who is here already is only put into the group. Groups that are not there are made.

    Raises EntryRefused, with nobody added.
    """
    added: list[Added] = []
    members: dict[str, list[int]] = {}
    for each in listed.people:
        person = _known(session, each)
        if person is None:
            # Hashing is slow, so only for those who are new.
            password = first_password()
            name = each.sign_in_name or free_sign_in_name(session, each.name)
            person = add_person(session, each.name, name, each.role, password, must_change=True)
            added.append(Added(person.name, person.sign_in_name, password))
        else:
            added.append(Added(person.name, person.sign_in_name, None))
        if person.role == "trainee" and (into := each.group or group):
            members.setdefault(into, []).append(person.id)
    for into, people in members.items():
        found = find_group(session, into) or add_group(session, into, in_charge)
        add_members(session, found.id, people)
    return added


def _known(session: Session, each: Listed) -> Person | None:
    if each.sign_in_name:
        found = find_person(session, each.sign_in_name)
        # The name beside it tells whether the same person is meant.
        if found is not None and found.name.lower() != each.name.lower():
            raise EntryRefused(
                phrase(
                    "Line {line}: the sign-in name {sign_in_name} is {found}'s.",
                    line=each.line,
                    sign_in_name=repr(each.sign_in_name),
                    found=found.name,
                )
            )
        return found
    return session.scalars(select(Person).where(Person.name == each.name, Person.active).limit(1)).first()
