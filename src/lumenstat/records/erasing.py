"""Erasing a trainee, and taking out what is kept no longer: statistics stay, and a broken chain says why.

What was signed stays checkable: the log's head names the trainee and can no longer be held against its hash, but all
that follows still hangs on the hash that was kept; and what is left is sealed anew at the moment of the erasure.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, RecordError
from lumenstat.language.wording import KEEP_PARTS, phrase
from lumenstat.records.audit import UNAUDITED, AuditLine, note
from lumenstat.records.courses import Enrolment
from lumenstat.records.day_plans import DayPlanRecord
from lumenstat.records.drills import Drill
from lumenstat.records.people import get_person, now
from lumenstat.records.school import School
from lumenstat.records.sealing import seal_after_erasure, verify
from lumenstat.records.tables import (
    AppraisalRecord,
    Invitation,
    KnownBrowser,
    Membership,
    Override,
    Run,
    RunEvent,
    SignIn,
)  # fmt: skip

NO_PASSWORD = "erased"  # noqa: S105 - no hash of anything, so nobody signs in with it
REMARK = "(a remark, erased)"
MONTH = timedelta(days=30.44)


@dataclass(frozen=True)
class Erased:
    """What an erasure came to: the name that stands there now, how many runs stay, how many of them are signed."""

    name: str
    runs: int
    signed: int
    broken_before: tuple[str, ...]
    """Signed runs that were not what was signed even before."""


def erase_person(session: Session, person_id: int, typed: str) -> Erased:
    """Erase a trainee, whose name was typed to confirm it. Raises EntryRefused, RecordError.

    Their runs, verdicts and points stay under a number, for the statistics; what says who they were goes: name, sign-in
    name, password, sign-ins, groups, courses, drills, remarks about them, lines of the audit list that name them.
    """
    person = get_person(session, person_id)
    # A signature has to stay somebody's for as long as the record counts.
    if person.role != "trainee":
        raise RecordError(
            phrase("Instructors stand for what they signed and are not erased; take away that they may sign in.")
        )
    if person.erased_at is not None:
        raise RecordError(phrase("This person was erased already."))
    # Spaces and capitals do not make it another person.
    if " ".join(typed.split()).lower() != person.name.lower():
        raise EntryRefused(phrase("Type the name as it stands above, to be sure whom it is about."), "name")
    was, name = person.name, f"Erased person {person.id}"
    runs = list(session.scalars(select(Run).where(Run.trainee_id == person_id)))
    if any(run.finished is None and run.voided_at is None for run in runs):
        raise RecordError(phrase("{was} has an exercise that is open; end or void it first.", was=was))
    session.info[UNAUDITED] = True  # the list would keep the name that is being erased
    signed = [run for run in runs if run.signed_by is not None]
    # Checked before anything is changed: a record that was tampered with must not come out of this sealed anew.
    broken = tuple(run.id for run in signed if not verify(session, run.id).ok)
    _take_out_words(session, [run.id for run in runs], was)
    for table in (Invitation, KnownBrowser, SignIn, Membership, Enrolment, Drill):
        session.execute(delete(table).where(table.person_id == person_id))
    _rename_in_audit(session, (was, person.sign_in_name), name)
    _rename_in_plans(session, person_id, was, name)
    person.name, person.sign_in_name = name, f"erased-{person.id}"
    person.password_hash, person.active, person.must_change = NO_PASSWORD, False, False
    person.erased_at = now()
    person.edition += 1
    session.flush()
    session.info.pop(UNAUDITED)
    for run in signed:
        if run.id not in broken:
            seal_after_erasure(session, run)
    note(session, "person", person_id, f"{name} erased; {len(runs)} runs stay under the number")
    return Erased(name, len(runs), len(signed), broken)


def _take_out_words(session: Session, runs: list[str], name: str) -> None:
    """Remarks go; reasons of overrides and of voided runs stay, without the name, for they explain a verdict."""
    # First and last names alone as well, for a remark seldom gives both; two letters would take out too much.
    parts = [name, *(part for part in name.split() if len(part) > 2)]
    session.execute(update(AppraisalRecord).where(AppraisalRecord.run_id.in_(runs)).values(remark=REMARK))
    for override in session.scalars(select(Override).where(Override.run_id.in_(runs))):
        override.reason = _without(override.reason, parts)
    for run in session.scalars(select(Run).where(Run.id.in_(runs), Run.void_reason.is_not(None))):
        run.void_reason = _without(run.void_reason or "", parts)
    # What was noted or said during a run is in its log, and often names the trainee.
    notes = select(RunEvent).where(RunEvent.run_id.in_(runs), RunEvent.verb.in_(("note", "say")))
    for event in session.scalars(notes):
        event.args = _without(event.args, parts)


def _without(text: str, parts: Sequence[str], instead: str = "(name)") -> str:
    """A text in which these words, each as a whole, are others: a short name is a part of many a word."""
    for part in parts:
        text = re.sub(rf"(?<!\w){re.escape(part)}(?!\w)", instead, text)
    return text


def _rename_in_audit(session: Session, was: Sequence[str], name: str) -> None:
    for each in was:
        for line in session.scalars(select(AuditLine).where(AuditLine.says.contains(each, autoescape=True))):
            line.says = _without(line.says, [each], name)
    for line in session.scalars(select(AuditLine).where(AuditLine.by == was[0])):
        line.by = name


def _rename_in_plans(session: Session, person_id: int, was: str, name: str) -> None:
    for record in session.scalars(select(DayPlanRecord)):
        plan = record.plan
        if all(who.id != person_id for who in plan.wanted.trainees):
            continue
        people = tuple(
            who.model_copy(update={"name": name}) if who.id == person_id else who for who in plan.wanted.trainees
        )
        wanted = plan.wanted.model_copy(update={"trainees": people})
        left_over = tuple(_without(line, [was], name) for line in plan.left_over)
        record.content = plan.model_copy(update={"wanted": wanted, "left_over": left_over}).model_dump_json(
            context=KEEP_PARTS
        )


# ---- what is kept no longer ------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class TooOld:
    """What a school keeps no longer: runs of practice, flight traces of assessed runs, lines of the audit list."""

    practice: int
    traces: int
    lines: int

    def __bool__(self) -> bool:
        return bool(self.practice or self.traces or self.lines)


def _before(months: int) -> datetime | None:
    return now() - months * MONTH if months else None


def too_old(session: Session, settled: School) -> TooOld:
    """How much of what is stored is kept no longer."""
    return TooOld(*(_count(session, query) for query in _queries(settled)))


def _count(session: Session, query: Select[Any] | None) -> int:
    return 0 if query is None else session.scalar(select(func.count()).select_from(query.subquery())) or 0


def _queries(settled: School) -> tuple[Select[Any] | None, Select[Any] | None, Select[Any] | None]:
    """The runs of practice, the assessed runs and the lines of the audit list that are too old."""
    practice, traces, lines = (
        _before(months)
        for months in (settled.keep_practice_months, settled.keep_traces_months, settled.keep_audit_months)
    )
    flown = select(Run.id).where(Run.mode == "practice", Run.state == "ended", Run.signed_by.is_(None))
    traced = select(Run.id).where(Run.mode == "assessed", Run.state == "ended", Run.trace.is_not(None))
    return (
        flown.where(Run.created < practice) if practice else None,
        traced.where(Run.created < traces) if traces else None,
        select(AuditLine.id).where(AuditLine.at < lines) if lines else None,
    )


def clear_out(session: Session, settled: School) -> TooOld:
    """Take out what is kept no longer; totals of items stay, and ledgers of assessed runs do."""
    counted = too_old(session, settled)
    practice, traces, lines = _queries(settled)
    if practice is not None:
        runs = list(session.scalars(practice))
        # SQLite takes a limited number of parameters in one statement.
        for n in range(0, len(runs), 500):
            session.execute(delete(Run).where(Run.id.in_(runs[n : n + 500])))
    if traces is not None:
        session.execute(update(Run).where(Run.id.in_(traces)).values(trace=None))
    if lines is not None:
        session.execute(delete(AuditLine).where(AuditLine.id.in_(lines)))
    # A night on which nothing was too old is not worth a line.
    if counted:
        says = f"{counted.practice} practice runs, {counted.traces} flight traces, {counted.lines} audit lines"
        note(session, "school", "retention", f"{says} taken out")
    return counted
