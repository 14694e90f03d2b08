"""Groups: trainees with an instructor in charge, and what each group may practise."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, NoSuchRecord, Overtaken
from lumenstat.language.wording import phrase
from lumenstat.records.courses import opened_by_courses
from lumenstat.records.names import free_name
from lumenstat.records.people import get_person, now
from lumenstat.records.tables import ExerciseVersion, Group, Membership, Opened, Person


@dataclass(frozen=True)
class GroupChange:
    """A group as somebody wants it, who saw it at `edition`."""

    edition: int
    name: str
    instructor_id: int
    members: tuple[int, ...]
    archived: bool = False


def _checked(session: Session, name: str, instructor_id: int, group_id: int | None) -> str:
    name = free_name(session, Group, name, group_id)
    if get_person(session, instructor_id).role == "trainee":
        raise EntryRefused(phrase("An instructor is in charge of a group."), "instructor")
    return name


def add_group(session: Session, name: str, instructor_id: int, members: Iterable[int] = ()) -> Group:
    """A new group. Raises EntryRefused."""
    group = Group(name=_checked(session, name, instructor_id, None), instructor_id=instructor_id, edition=0)
    session.add(group)
    session.flush()
    _set_members(session, group.id, members)
    return group


def change_group(session: Session, group_id: int, change: GroupChange) -> None:
    """Change a group. Raises EntryRefused, and Overtaken where somebody else was quicker."""
    group = get_group(session, group_id)
    # As for courses: the second of two who change the same group is told, and writes over nothing.
    if group.edition != change.edition:
        raise Overtaken(
            phrase("Somebody else changed {group} in the meantime. Look at how it stands now.", group=group.name)
        )
    group.name = _checked(session, change.name, change.instructor_id, group_id)
    group.instructor_id, group.archived = change.instructor_id, change.archived
    group.edition += 1
    _set_members(session, group_id, change.members)


def _set_members(session: Session, group_id: int, members: Iterable[int]) -> None:
    wanted = set(members)
    known = session.scalars(select(Person.id).where(Person.id.in_(wanted), Person.role == "trainee"))
    # An instructor in a group would turn up in the tables of its results.
    if wanted - set(known):
        raise EntryRefused(phrase("Only trainees stand in a group."), "members")
    present = {row.person_id: row for row in session.scalars(select(Membership).where(Membership.group_id == group_id))}
    for gone in present.keys() - wanted:
        session.delete(present[gone])
    session.add_all(Membership(group_id=group_id, person_id=each) for each in sorted(wanted - present.keys()))


def add_members(session: Session, group_id: int, members: Iterable[int]) -> None:
    """Let more trainees stand in a group. Raises EntryRefused."""
    present = session.scalars(select(Membership.person_id).where(Membership.group_id == group_id))
    _set_members(session, group_id, {*present, *members})


def get_group(session: Session, group_id: int) -> Group:
    """A group. Raises NoSuchRecord."""
    group = session.get(Group, group_id)
    if group is None:
        raise NoSuchRecord(phrase("There is no such group."))
    return group


def find_group(session: Session, name: str) -> Group | None:
    """The group of that name."""
    return session.scalar(select(Group).where(func.lower(Group.name) == name.strip().lower()))


def groups(session: Session, archived: bool = False) -> list[Group]:
    """All groups by name; with those that are put away only where asked for."""
    query = select(Group).order_by(Group.name)
    return list(session.scalars(query if archived else query.where(~Group.archived)))


def members_of(session: Session, group_id: int) -> list[Person]:
    """Who stands in a group and may sign in, by name."""
    query = select(Person).join(Membership, Membership.person_id == Person.id)
    return list(session.scalars(query.where(Membership.group_id == group_id, Person.active).order_by(Person.name)))


def member_counts(session: Session) -> dict[int, int]:
    """How many stand in each group."""
    query = select(Membership.group_id, func.count()).join(Person, Person.id == Membership.person_id)
    return {row[0]: row[1] for row in session.execute(query.where(Person.active).group_by(Membership.group_id))}


def groups_of(session: Session, person_id: int) -> list[Group]:
    """The groups that somebody stands in."""
    query = select(Group).join(Membership, Membership.group_id == Group.id)
    return list(session.scalars(query.where(Membership.person_id == person_id, ~Group.archived).order_by(Group.name)))


def group_names(session: Session, people: Iterable[int]) -> dict[int, list[str]]:
    """The names of the groups that each of these people stands in."""
    query = select(Membership.person_id, Group.name).join(Group, Group.id == Membership.group_id)
    found: dict[int, list[str]] = {}
    for person, name in session.execute(query.where(Membership.person_id.in_(list(people)), ~Group.archived)):
        found.setdefault(person, []).append(name)
    return found


# ---- what may be practised -------------------------------------------------------------------------------------------


def opened_to(session: Session, group_id: int) -> list[str]:
    """The exercises that a group may practise, by id."""
    return list(session.scalars(select(Opened.exercise_id).where(Opened.group_id == group_id)))


def set_opened(session: Session, group_id: int, exercises: Iterable[str], by: str) -> None:
    """Let a group practise these exercises and no others. Raises EntryRefused where there is no such exercise."""
    wanted = set(exercises)
    # Withdrawn exercises stay in the records and are no longer handed out.
    current = ExerciseVersion.current & ~ExerciseVersion.withdrawn
    known = set(session.scalars(select(ExerciseVersion.exercise_id).where(current)))
    if unknown := wanted - known:
        raise EntryRefused(
            phrase("There is no exercise {unknown} to be opened.", unknown=repr(min(unknown))), "exercises"
        )
    before = {row.exercise_id: row for row in session.scalars(select(Opened).where(Opened.group_id == group_id))}
    for gone in before.keys() - wanted:
        session.delete(before[gone])
    added = sorted(wanted - before.keys())
    session.add_all(Opened(group_id=group_id, exercise_id=each, by=by, at=now()) for each in added)


def may_practise(session: Session, person_id: int) -> list[ExerciseVersion]:
    """What is opened to somebody by the groups that they stand in and the courses that they are in, by title."""
    groups_open = select(Opened.exercise_id).join(Membership, Membership.group_id == Opened.group_id)
    groups_open = groups_open.join(Group, Group.id == Opened.group_id)
    # A group that was put away no longer opens anything, though its list stays for whoever looks it up.
    groups_open = groups_open.where(Membership.person_id == person_id, ~Group.archived)
    opened = or_(
        ExerciseVersion.exercise_id.in_(groups_open), ExerciseVersion.exercise_id.in_(opened_by_courses(person_id))
    )
    query = select(ExerciseVersion).where(opened, ExerciseVersion.current, ~ExerciseVersion.withdrawn)
    return list(session.scalars(query.order_by(ExerciseVersion.title)))
