"""Lists of runs and people: searched, filtered, sorted, a page at a time; only what a page shows is read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar

from sqlalchemy import ColumnElement, Select, and_, func, or_, select, true
from sqlalchemy.orm import Session, aliased

from lumenstat.assessment.ledger import Outcome
from lumenstat.records.tables import ExerciseVersion, Membership, Person, Run

T = TypeVar("T")
ON_A_PAGE = 50


@dataclass(frozen=True)
class Found(Generic[T]):
    """One page of what was found: how many there are, the number of the page from 1, and of how many."""

    rows: Sequence[T]
    total: int
    page: int
    pages: int


@dataclass(frozen=True)
class RunFilter:
    """Which runs a list shows. `standing` is open, ended, voided or archived; empty fields choose nothing."""

    words: str = ""
    standing: str = ""
    outcome: str = ""
    mode: str = ""
    exercise: str = ""
    group: int | None = None
    trainee: int | None = None
    instructor: int | None = None
    sort: str = "newest"
    page: int = 1


@dataclass(frozen=True)
class RunLine:
    """A run as lists show it, without its log, its documents and its whole ledger."""

    id: str
    exercise_id: str
    title: str
    trainee: str
    instructor: str
    state: str
    created: datetime
    finished: datetime | None
    not_judged: str | None
    percent: float | None
    outcome: Outcome | None
    outcome_words: str | None
    signed_by: str | None
    origin_id: str | None
    mode: str
    draft_id: str | None
    voided_by: str | None
    void_reason: str | None
    archived: bool
    lesson_id: str | None
    variant: str | None
    digest: str
    drill_id: str | None


_trainee, _instructor = aliased(Person), aliased(Person)
_COLUMNS: tuple[Any, ...] = (
    Run.id, ExerciseVersion.exercise_id, ExerciseVersion.named, _trainee.name, _instructor.name, Run.state,
    Run.created, Run.finished, Run.not_judged, Run.percent, Run.outcome, Run.outcome_words, Run.signed_by,
    Run.origin_id, Run.mode, Run.draft_id, Run.voided_by, Run.void_reason, Run.archived, Run.lesson_id, Run.variant,
    Run.digest, Run.drill_id,
)  # fmt: skip
RUN_SORTS: Mapping[str, tuple[Any, ...]] = {
    "newest": (Run.created.desc(), Run.id),
    "oldest": (Run.created, Run.id),
    "best": (Run.percent.desc(), Run.created.desc()),
    "worst": (Run.percent.is_(None), Run.percent, Run.created.desc()),
    "trainee": (_trainee.name, Run.created.desc()),
    "exercise": (ExerciseVersion.title, Run.created.desc()),
}
OPEN = ("ready", "running")
STANDINGS = ("open", "ended", "voided", "archived")


def _joined(query: Select[Any]) -> Select[Any]:
    query = query.join(ExerciseVersion, ExerciseVersion.digest == Run.digest)
    return query.join(_trainee, _trainee.id == Run.trainee_id).join(_instructor, _instructor.id == Run.instructor_id)


def find_runs(session: Session, wanted: RunFilter) -> Found[RunLine]:
    """A page of the runs that are wanted."""
    where = _run_conditions(wanted)
    total = session.scalar(_joined(select(func.count()).select_from(Run)).where(*where)) or 0
    page, pages = _page_of(wanted.page, total)
    # Ids first, in the order that was asked for.
    chosen = _joined(select(Run.id).select_from(Run)).where(*where)
    chosen = chosen.order_by(*RUN_SORTS.get(wanted.sort, RUN_SORTS["newest"]))
    ids = list(session.scalars(chosen.limit(ON_A_PAGE).offset(ON_A_PAGE * (page - 1))))
    # The wide rows are read for the page alone; counting and sorting go by the index of lists.
    rows = session.execute(_joined(select(*_COLUMNS).select_from(Run)).where(Run.id.in_(ids)))
    lines = {line.id: line for line in (RunLine(*row) for row in rows)}
    return Found([lines[each] for each in ids], total, page, pages)


def a_page_of(rows: Sequence[T], page: int, at_a_time: int = ON_A_PAGE) -> Found[T]:
    """A page of what was read whole, for lists that stay short."""
    page, pages = _page_of(page, len(rows), at_a_time)
    return Found(rows[at_a_time * (page - 1) : at_a_time * page], len(rows), page, pages)


def page_of(session: Session, query: Select[Any], order: Any, page: int, at_a_time: int = ON_A_PAGE) -> Found[Any]:
    """A page of a query's rows, in an order."""
    total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    page, pages = _page_of(page, total, at_a_time)
    rows = session.scalars(query.order_by(order).limit(at_a_time).offset(at_a_time * (page - 1)))
    return Found(list(rows), total, page, pages)


def _page_of(page: int, total: int, at_a_time: int = ON_A_PAGE) -> tuple[int, int]:
    pages = max(1, -(-total // at_a_time))
    return min(max(1, page), pages), pages


def _run_conditions(wanted: RunFilter) -> list[ColumnElement[bool]]:
    where = [*_standing(wanted.standing)]
    for word in wanted.words.split():
        like = f"%{escaped(word)}%"
        # Both: what an exercise is called in English, and its words in other languages.
        columns = (_trainee.name, _instructor.name, ExerciseVersion.title, ExerciseVersion.named)
        where.append(or_(*(column.like(like, escape="\\") for column in columns)))
    for column, value in (
        (Run.outcome, wanted.outcome),
        (Run.mode, wanted.mode),
        (ExerciseVersion.exercise_id, wanted.exercise),
    ):
        if value:
            where.append(column == value)
    if wanted.trainee is not None:
        where.append(Run.trainee_id == wanted.trainee)
    if wanted.instructor is not None:
        where.append(Run.instructor_id == wanted.instructor)
    if wanted.group is not None:
        members = select(Membership.person_id).where(Membership.group_id == wanted.group)
        where.append(Run.trainee_id.in_(members))
    return where


def _standing(standing: str) -> Sequence[ColumnElement[bool]]:
    match standing:
        case "open":
            return (Run.state.in_(OPEN), Run.voided_at.is_(None))
        case "ended":
            return (Run.state == "ended", Run.voided_at.is_(None), ~Run.archived)
        case "voided":
            return (Run.voided_at.is_not(None),)
        case "archived":
            return (Run.archived == true(),)
        case _:
            return (Run.voided_at.is_(None), ~Run.archived)


def escaped(word: str) -> str:
    """A word as a pattern of LIKE that means just itself."""
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def runs_like(session: Session, run_id: str, trainee_id: int | None = None) -> list[RunLine]:
    """Judged runs of the same exercise that can stand beside one, newest first: all people's or one trainee's."""
    exercise = select(ExerciseVersion.exercise_id).join(Run, Run.digest == ExerciseVersion.digest)
    query = _joined(select(*_COLUMNS).select_from(Run)).where(
        ExerciseVersion.exercise_id == exercise.where(Run.id == run_id).scalar_subquery(),
        Run.ledger.is_not(None),
        Run.id != run_id,
        Run.voided_at.is_(None),
    )
    if trainee_id is not None:
        query = query.where(Run.trainee_id == trainee_id)
    return [RunLine(*row) for row in session.execute(query.order_by(Run.created.desc()).limit(ON_A_PAGE))]


def unsigned_of(session: Session, instructor_id: int, at_most: int) -> list[RunLine]:
    """Assessed runs that wait for an instructor's signature, newest first."""
    mine = (Run.instructor_id == instructor_id, Run.mode == "assessed", Run.outcome.is_not(None))
    chosen = select(Run.id).where(*mine, Run.signed_by.is_(None), Run.voided_at.is_(None), ~Run.archived)
    ids = list(session.scalars(chosen.order_by(Run.created.desc()).limit(at_most)))
    rows = session.execute(_joined(select(*_COLUMNS).select_from(Run)).where(Run.id.in_(ids)))
    return sorted((RunLine(*row) for row in rows), key=lambda line: line.created, reverse=True)


def anything_flown(session: Session) -> bool:
    """Whether there is any run."""
    return session.scalar(select(Run.id).limit(1)) is not None


# ---- people ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class PeopleFilter:
    """Which people a list shows: `active` is yes, no or all."""

    words: str = ""
    role: str = ""
    group: int | None = None
    active: str = "yes"
    sort: str = "name"
    page: int = 1


PEOPLE_SORTS: Mapping[str, tuple[Any, ...]] = {
    "name": (Person.name, Person.id),
    "role": (Person.role, Person.name),
    "newest": (Person.id.desc(),),
}


def find_people(session: Session, wanted: PeopleFilter) -> Found[Person]:
    """A page of the people who are wanted."""
    where: list[ColumnElement[bool]] = []
    for word in wanted.words.split():
        like = f"%{escaped(word)}%"
        where.append(or_(Person.name.like(like, escape="\\"), Person.sign_in_name.like(like, escape="\\")))
    if wanted.role:
        where.append(Person.role == wanted.role)
    if wanted.active != "all":
        where.append(Person.active == (wanted.active == "yes"))
    if wanted.group is not None:
        members = select(Membership.person_id).where(Membership.group_id == wanted.group)
        where.append(Person.id.in_(members))
    # Counted without the order, which costs a sort and changes nothing.
    total = session.scalar(select(func.count()).select_from(Person).where(and_(True, *where))) or 0
    page, pages = _page_of(wanted.page, total)
    query = select(Person).where(and_(True, *where)).order_by(*PEOPLE_SORTS.get(wanted.sort, PEOPLE_SORTS["name"]))
    rows = session.scalars(query.limit(ON_A_PAGE).offset(ON_A_PAGE * (page - 1)))
    return Found(list(rows), total, page, pages)


# ---- what waits ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Waiting:
    """What waits for an instructor: how many runs of theirs are to be signed, could not be judged, are open."""

    to_sign: int
    stuck: int
    open: int


def waiting_for(session: Session, instructor_id: int | None) -> Waiting:
    """What waits for one instructor, or for all of them."""
    mine = [] if instructor_id is None else [Run.instructor_id == instructor_id]
    standing = (Run.voided_at.is_(None), ~Run.archived, Run.drill_id.is_(None))
    count = select(func.count()).select_from(Run).where(*standing, *mine)
    judged = count.where(Run.outcome.is_not(None), Run.mode == "assessed")
    flying = count.where(Run.state.in_(OPEN))
    return Waiting(
        to_sign=session.scalar(judged.where(Run.signed_by.is_(None))) or 0,
        stuck=session.scalar(flying.where(Run.not_judged.is_not(None))) or 0,
        open=session.scalar(flying.where(Run.finished.is_(None))) or 0,
    )
