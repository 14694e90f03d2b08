"""Records over time: a person's logbook with trend and what they miss, a class's table with its item analysis."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, HTTPException, Query, Request, Response
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import outcome_phrase
from lumenstat.exchange.list_files import Cell, Table, as_csv, as_xlsx
from lumenstat.language.wording import phrase
from lumenstat.records.courses import progress_of_person
from lumenstat.records.drills import drills_of
from lumenstat.records.exercises import exercise_titles
from lumenstat.records.logbook import (
    ON_A_PAGE,
    ExerciseMastery,
    LogbookLine,
    logbook_length,
    logbook_of,
    mastery_of,
    rule_of,
)  # fmt: skip
from lumenstat.records.people import get_person, now, plain
from lumenstat.records.sealing import seals_of
from lumenstat.records.statistics import TrendPoint, missed_by, slips_by, trend_of
from lumenstat.records.tables import Person
from lumenstat.training.course_standing import share_done
from lumenstat.web.drawing.bars import Bars, draw_bars
from lumenstat.web.drawing.trend import Trend, draw_trend
from lumenstat.web.pages.courses import GridCell, cell_of
from lumenstat.web.pages.missed import MissedLine, SlipLine, missed_lines, slip_lines
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import RowInPath, SignedIn, Viewer

router = APIRouter()

HEADS = (
    "Exercise", "Airframe", "Version", "Kind", "Started, UTC", "Minutes", "Outcome", "Percent", "Grade", "Assessed by",
    "Remarks", "Signed by", "Signed, UTC", "Hints",
)  # fmt: skip
DRILLED = 5
"""So many of what is missed most are ticked for a drill."""


class LogbookRow(Context):
    """One run, in words."""

    run_id: str
    title: str
    airframe: str
    version: str
    mode: str
    at: datetime
    minutes: float
    outcome: str
    percent: float | None
    grade: str
    assessed_by: str
    remark: str
    signed: str
    prompted: int


class CourseLine(Context):
    """How somebody stands in one course."""

    id: int
    name: str
    share: float
    steps: tuple[tuple[str, GridCell], ...]


class DrillLine(Context):
    """A drill that was made."""

    id: str
    at: datetime
    by: str


class LogbookContext(Context):
    """A person's record."""

    template: ClassVar[str] = "logbook.html"
    tab: ClassVar[str] = "people"
    person_id: int
    name: str
    own: bool
    may_drill: bool
    rows: tuple[LogbookRow, ...]
    total: int
    number: int
    pages: int
    trend: Trend
    help: Bars
    pace: Bars
    missed: tuple[MissedLine, ...]
    slips: tuple[SlipLine, ...]
    courses: tuple[CourseLine, ...]
    mastery: tuple[ExerciseMastery, ...]
    rule: str
    drills: tuple[DrillLine, ...]


def _refuse_others(viewer: Viewer, person_id: int) -> None:
    if not viewer.is_instructor and viewer.id != person_id:
        raise HTTPException(404, phrase("There is no such record."))


@router.get("/people/{person_id}/record", name="logbook")
def logbook(
    request: Request,
    person_id: RowInPath,
    viewer: SignedIn,
    page_: Annotated[int, Query(alias="page", ge=1, le=100_000)] = 1,
) -> Response:
    """A person's record: one's own, or any for an instructor."""
    _refuse_others(viewer, person_id)
    scale = request.app.state.settings.grades

    def read(session: Session) -> LogbookContext:
        person = get_person(session, person_id)
        total = logbook_length(session, person_id)
        points = trend_of(session, person_id)
        may_drill = person.role == "trainee" and person.active and (viewer.is_instructor or viewer.id == person_id)
        return LogbookContext(
            person_id=person.id,
            name=person.name,
            own=person.id == viewer.id,
            may_drill=may_drill,
            rows=tuple(_row(line) for line in logbook_of(session, person_id, page_)),
            total=total,
            number=page_,
            pages=max(1, -(-total // ON_A_PAGE)),
            trend=draw_trend(points),
            help=draw_bars([_help(point) for point in points]),
            pace=draw_bars([_pace(point) for point in points]),
            missed=missed_lines(session, missed_by(session, person_id)),
            slips=slip_lines(slips_by(session, person_id)),
            courses=_course_lines(session, person, scale),
            mastery=tuple(mastery_of(session, person_id)),
            rule=_rule_words(session),
            drills=tuple(DrillLine(id=d.id, at=d.at, by=d.by) for d in drills_of(session, person_id)),
        )

    return page(request, request.app.state.database.read(read))


def _help(point: TrendPoint) -> tuple[float | None, str, str]:
    hints = (
        phrase("1 item was prompted")
        if point.prompted == 1
        else phrase("{prompted} items were prompted", prompted=point.prompted)
    )
    return float(point.prompted), f"{point.prompted}", phrase("{at:%-d %B}: {hints}", at=point.at, hints=hints)


def _pace(point: TrendPoint) -> tuple[float | None, str, str]:
    if point.pace is None:
        return None, "", ""
    return (
        point.pace,
        f"{point.pace:.1f}",
        phrase("{at:%-d %B}: {pace:.1f} times what the model needs", at=point.at, pace=point.pace),
    )


def _rule_words(session: Session) -> str:
    rule = rule_of(session)
    times = (
        phrase("1 assessed run") if rule.passes == 1 else phrase("{passes} assessed runs in a row", passes=rule.passes)
    )
    by = phrase(", seen by at least two instructors") if rule.by_whom == "two" else ""
    return phrase("An item is mastered after {times} without losing a point on it{by}.", times=times, by=by)


def _course_lines(session: Session, person: Person, scale: tuple[str, ...]) -> tuple[CourseLine, ...]:
    titles = dict(exercise_titles(session))
    return tuple(
        CourseLine(
            id=course.id,
            name=course.name,
            share=share_done(progress.steps),
            steps=tuple(
                (titles.get(each.step.exercise_id, each.step.exercise_id), cell_of(each)) for each in progress.steps
            ),
        )
        for course, progress in progress_of_person(session, person, scale)
    )


def _row(line: LogbookLine) -> LogbookRow:
    return LogbookRow(
        run_id=line.run_id,
        title=line.title,
        airframe=line.airframe,
        version=line.version,
        mode=line.kind,
        at=line.at,
        minutes=line.minutes,
        outcome=outcome_phrase(line.outcome or ""),
        percent=line.percent,
        grade=line.grade or "",
        assessed_by=line.assessed_by,
        remark=line.remark or "",
        signed=line.signed_by or "",
        prompted=line.prompted,
    )


@router.get("/people/{person_id}/record.{kind}", name="logbook_file")
def logbook_file(
    request: Request, person_id: RowInPath, kind: Literal["csv", "xlsx", "pdf"], viewer: SignedIn
) -> Response:
    """A person's logbook as a table, or on paper."""
    _refuse_others(viewer, person_id)
    database = request.app.state.database
    name = database.read(lambda session: get_person(session, person_id)).name
    # Oldest first: on paper a logbook grows at its end.
    lines = database.read(lambda session: logbook_of(session, person_id))[::-1]
    if kind == "pdf":
        content, media_type = _paper(request, person_id, name, lines, viewer.language), "application/pdf"
    else:
        made = as_csv(HEADS, [_cells(line) for line in lines]) if kind == "csv" else _workbook(lines)
        content, media_type = made.content, made.media_type
    file = f"logbook-{plain(name) or person_id}.{kind}"
    headers = {"Content-Disposition": f'attachment; filename="{file}"'}
    return Response(content, media_type=media_type, headers=headers)


def _workbook(lines: Sequence[LogbookLine]) -> Table:
    return as_xlsx("Logbook", HEADS, [_cells(line) for line in lines])


def _cells(line: LogbookLine) -> list[Cell]:
    row = _row(line)
    first: list[Cell] = [line.title, line.airframe, line.version, row.mode, line.at, round(line.minutes, 2)]
    return [
        *first, row.outcome, line.percent, line.grade, line.assessed_by, line.remark, line.signed_by, line.signed_at,
        float(line.prompted),
    ]  # fmt: skip


def _paper(request: Request, person_id: int, name: str, lines: Sequence[LogbookLine], language: str) -> bytes:
    from lumenstat.exchange.logbook_pdf import PrintedLogbook, logbook_pdf  # noqa: PLC0415 - slow to load

    def read(session: Session) -> tuple[dict[str, str], list[ExerciseMastery]]:
        return seals_of(session, person_id), mastery_of(session, person_id)

    seals, mastery = request.app.state.database.read(read)
    done = [(each.title, phrase("{mastered} of {all}", mastered=each.mastered, all=each.items)) for each in mastery]
    return logbook_pdf(PrintedLogbook(name, request.app.state.settings.school, now(), lines, done, seals, language))
