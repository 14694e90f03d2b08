"""What an archive holds of each kind of record: its columns, what they refer to, and what is there already."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from sqlalchemy import Select, inspect, select
from sqlalchemy.orm import Session

from lumenstat.language.wording import KEEP_PARTS, phrase
from lumenstat.records.approvals import Approval
from lumenstat.records.audit import AuditLine
from lumenstat.records.courses import Course, CourseStep, Enrolment
from lumenstat.records.day_plans import DayPlanRecord
from lumenstat.records.drills import Drill
from lumenstat.records.groups import find_group
from lumenstat.records.people import find_person
from lumenstat.records.school import SchoolSetting
from lumenstat.records.tables import (
    Abbreviation,
    AppraisalRecord,
    Base,
    DraftRecord,
    DraftRevision,
    ExerciseVersion,
    Group,
    Heading,
    Lesson,
    Membership,
    Opened,
    Override,
    Person,
    Run,
    RunEvent,
)  # fmt: skip
from lumenstat.records.tallies import ItemStreak, ItemTotal, RunItem
from lumenstat.training.day_plan import DayPlan, Who

NO_PASSWORD = "taken in from an archive"  # noqa: S105 - no hash of anything, so nobody signs in with it


Numbers = Mapping[str, Mapping[Any, Any]]
"""By kind: the number that a row has here, by the one that it has in the archive."""


def _as_it_is(session: Session, values: dict[str, Any], numbers: Numbers) -> None:
    del session, values, numbers


def _plan_settled(session: Session, values: dict[str, Any], numbers: Numbers) -> None:
    """A plan names people by number."""
    del session
    people, plan = numbers[PERSON], DayPlan.model_validate_json(values["content"])
    wanted = plan.wanted

    def here(everybody: tuple[Who, ...]) -> tuple[Who, ...]:
        return tuple(who.model_copy(update={"id": people.get(who.id, who.id)}) for who in everybody)

    def ids(trainees: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(people.get(each, each) for each in trainees)

    # Whoever is not in the archive keeps their number: their name still stands in the plan.
    flights = tuple(f.model_copy(update={"trainees": ids(f.trainees)}) for f in wanted.flights)
    changes = {"trainees": here(wanted.trainees), "instructors": here(wanted.instructors), "flights": flights}
    slots = tuple(
        slot.model_copy(
            update={"trainees": ids(slot.trainees), "instructor": people.get(slot.instructor, slot.instructor)}
        )
        for slot in plan.slots
    )
    settled = plan.model_copy(update={"wanted": wanted.model_copy(update=changes), "slots": slots})
    values["content"] = settled.model_dump_json(context=KEEP_PARTS)


def _line_settled(session: Session, values: dict[str, Any], numbers: Numbers) -> None:
    """A line of the audit list names what it is about by number."""
    del session
    of = {"person": PERSON, "group": GROUP, "course": COURSE}.get(values["kind"])
    if of is not None and str(values["subject"]).isdecimal():
        values["subject"] = str(numbers[of].get(int(values["subject"]), values["subject"]))


def _version_settled(session: Session, values: dict[str, Any], numbers: Numbers) -> None:
    """Of an exercise that is here, the version that is current here stays so."""
    del numbers
    here = select(ExerciseVersion.digest).where(ExerciseVersion.exercise_id == values["exercise_id"])
    if session.scalar(here.where(ExerciseVersion.current)) is not None:
        values["current"] = False


PERSON, GROUP, COURSE, RUN, VERSION = "people", "groups", "courses", "runs", "exercise_versions"
TRAINEE = {"trainee_id": PERSON}


def _nothing(session: Session, values: Mapping[str, Any]) -> Base | None:
    del session, values
    return None


@dataclass(frozen=True)
class Kind:
    """One kind of record. `refers` tells to which kind what stands in a column belongs; `added` fills what is left out.

    `settled` puts right what stands inside of a row's text, by the new numbers.
    """

    table: type[Base]
    key: str = ""
    numbered: bool = False
    refers: Mapping[str, str] = field(default_factory=dict)
    leaves_out: frozenset[str] = frozenset()
    added: Mapping[str, Any] = field(default_factory=dict)
    known: Callable[[Session, Mapping[str, Any]], Base | None] = _nothing
    settled: Callable[[Session, dict[str, Any], Numbers], None] = _as_it_is

    @property
    def name(self) -> str:
        """The kind's name, which is its table's."""
        return str(self.table.__tablename__)

    @property
    def columns(self) -> tuple[str, ...]:
        """What is archived of it."""
        return tuple(c.name for c in self.table.__table__.columns if c.name not in self.leaves_out)

    def query(self) -> Select[Any]:
        """Every row, in an order that is always the same."""
        return select(self.table).order_by(*inspect(self.table).primary_key)

    def written(self, row: Base) -> dict[str, Any]:
        """A row as it is archived."""
        return {name: _written(getattr(row, name)) for name in self.columns}


def _written(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime | date) else value


def _by(table: type[Base], *columns: str) -> Callable[[Session, Mapping[str, Any]], Base | None]:
    def known(session: Session, values: Mapping[str, Any]) -> Base | None:
        return session.get(table, tuple(values[name] for name in columns))

    return known


def _course(session: Session, values: Mapping[str, Any]) -> Base | None:
    if session.scalar(select(Course).where(Course.name == values["name"])) is not None:
        raise ValueError(phrase("there is a course {values} already", values=repr(values["name"])))
    return None


def _group(session: Session, values: Mapping[str, Any]) -> Base | None:
    if find_group(session, str(values["name"])) is not None:
        raise ValueError(phrase("there is a group {values} already", values=repr(values["name"])))
    return None


KINDS: tuple[Kind, ...] = (
    Kind(
        Person, "id", numbered=True, leaves_out=frozenset({"password_hash", "must_change"}),
        added={"password_hash": NO_PASSWORD, "must_change": True},
        known=lambda session, values: find_person(session, str(values["sign_in_name"])),
    ),
    Kind(SchoolSetting, known=_by(SchoolSetting, "name")),
    Kind(Heading, known=_by(Heading, "heading")),
    Kind(Abbreviation, known=_by(Abbreviation, "short")),
    Kind(ExerciseVersion, "digest", leaves_out=frozenset({"content", "named"}), refers={"published_by_id": PERSON},
         known=_by(ExerciseVersion, "digest"), settled=_version_settled),
    Kind(Approval, refers={"by_id": PERSON, "digest": VERSION}, known=_by(Approval, "digest")),
    Kind(Group, "id", numbered=True, refers={"instructor_id": PERSON}, known=_group),
    Kind(Membership, refers={"group_id": GROUP, "person_id": PERSON}),
    Kind(Opened, refers={"group_id": GROUP}),
    Kind(Course, "id", numbered=True, known=_course),
    Kind(CourseStep, refers={"course_id": COURSE}),
    Kind(Enrolment, refers={"course_id": COURSE, "person_id": PERSON}),
    Kind(Lesson, "id", refers={"group_id": GROUP, "instructor_id": PERSON}),
    Kind(DraftRecord, "id", refers={"owner_id": PERSON}),
    Kind(DraftRevision, refers={"draft_id": "drafts"}),
    Kind(Drill, "id", refers={"person_id": PERSON}),
    Kind(Run, "id", refers={**TRAINEE, "instructor_id": PERSON, "digest": VERSION},
         leaves_out=frozenset({"join_code"})),
    Kind(RunEvent, refers={"run_id": RUN}),
    Kind(Override, "id", numbered=True, refers={"run_id": RUN}),
    Kind(AppraisalRecord, "id", numbered=True, refers={"run_id": RUN}),
    Kind(RunItem, refers={"run_id": RUN, **TRAINEE}),
    Kind(ItemTotal, refers=TRAINEE),
    Kind(ItemStreak, refers=TRAINEE),
    Kind(DayPlanRecord, "id", refers={"group_id": GROUP}, settled=_plan_settled),
    Kind(AuditLine, "id", numbered=True, settled=_line_settled),
)  # fmt: skip
"""In an order in which what is referred to comes first."""
