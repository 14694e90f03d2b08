"""Records over time: a person's logbook with trend and what they miss, a class's table with its item analysis."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, HTTPException, Query, Request, Response
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import VERDICT_WORDS
from lumenstat.errors import NoSuchRecord
from lumenstat.exchange.lists import as_csv, as_xlsx
from lumenstat.records.exercises import current_exercise, exercise_titles
from lumenstat.records.groups import get_group
from lumenstat.records.lists import RunFilter, find_runs
from lumenstat.records.people import get_person, plain
from lumenstat.records.statistics import ClassLine, Missed, class_of, items_of, missed_by, missed_in, trend_of
from lumenstat.web.drawing.trend import Trend, draw_trend
from lumenstat.web.pages.runs import RunRow, rows_of
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import Instructor, RowInPath, SignedIn, Viewer

router = APIRouter()

HALF = 0.5
"""An item that so many miss is at fault itself, or its teaching is."""
HEADS = ("Exercise", "Version", "Kind", "Started, UTC", "Instructor", "Outcome", "Percent", "Signed by")


class MissedLine(Context):
    """An item that costs points, in words."""

    exercise: str
    item: str
    times: int
    missed: int
    verdict: str


class LogbookContext(Context):
    """A person's record."""

    template: ClassVar[str] = "logbook.html"
    tab: ClassVar[str] = "people"
    person_id: int
    name: str
    own: bool
    rows: tuple[RunRow, ...]
    total: int
    trend: Trend
    missed: tuple[MissedLine, ...]


class ItemRow(Context):
    """An item across a class, in words."""

    number: int
    challenge: str
    times: int
    missed: int
    share: float
    tells: float | None
    says: str


class ClassContext(Context):
    """A class's record."""

    template: ClassVar[str] = "class_record.html"
    tab: ClassVar[str] = "people"
    group_id: int
    name: str
    people: tuple[ClassLine, ...]
    missed: tuple[MissedLine, ...]
    exercises: tuple[tuple[str, str], ...]
    exercise: str
    items: tuple[ItemRow, ...]


def _missed_lines(session: Session, missed: Sequence[Missed]) -> tuple[MissedLine, ...]:
    words = {str(verdict): text for verdict, text in VERDICT_WORDS.items()}
    return tuple(
        MissedLine(
            exercise=each.title,
            item=_named(session, each.exercise_id, each.item),
            times=each.times,
            missed=each.missed,
            verdict=words.get(each.worst, each.worst).lower(),
        )
        for each in missed
    )


def _named(session: Session, exercise_id: str, item: str) -> str:
    """An item as it is called now; by its id where the exercise has it no more."""
    try:
        step = current_exercise(session, exercise_id).bundle.procedure.by_id.get(item)
    except NoSuchRecord:
        return item
    return item if step is None else f"{step.number + 1} {step.item.challenge}"


def _refuse_others(viewer: Viewer, person_id: int) -> None:
    if not viewer.is_instructor and viewer.id != person_id:
        raise HTTPException(404, "There is no such record.")


@router.get("/people/{person_id}/record", name="logbook")
def logbook(request: Request, person_id: RowInPath, viewer: SignedIn) -> Response:
    """A person's record: one's own, or any for an instructor."""
    _refuse_others(viewer, person_id)

    def read(session: Session) -> LogbookContext:
        person = get_person(session, person_id)
        found = find_runs(session, RunFilter(standing="ended", trainee=person_id))
        return LogbookContext(
            person_id=person.id,
            name=person.name,
            own=person.id == viewer.id,
            rows=rows_of(session, found.rows),
            total=found.total,
            trend=draw_trend(trend_of(session, person_id)),
            missed=_missed_lines(session, missed_by(session, person_id)),
        )

    return page(request, request.app.state.database.read(read))


@router.get("/people/{person_id}/record.{kind}", name="logbook_file")
def logbook_file(request: Request, person_id: RowInPath, kind: Literal["csv", "xlsx"], viewer: SignedIn) -> Response:
    """A person's logbook as a table."""
    _refuse_others(viewer, person_id)

    def read(session: Session) -> tuple[str, list[list[str | float | datetime | None]]]:
        name, rows, number = get_person(session, person_id).name, [], 1
        while True:
            found = find_runs(session, RunFilter(standing="ended", trainee=person_id, sort="oldest", page=number))
            for line in found.rows:
                row: list[str | float | datetime | None] = [line.title, line.digest[:12], line.mode, line.created]
                rows.append([*row, line.instructor, line.outcome_words, line.percent, line.signed_by])
            if number >= found.pages:
                return name, rows
            number += 1

    name, rows = request.app.state.database.read(read)
    made = as_csv(HEADS, rows) if kind == "csv" else as_xlsx("Logbook", HEADS, rows)
    file = f"logbook-{plain(name) or person_id}.{kind}"
    headers = {"Content-Disposition": f'attachment; filename="{file}"'}
    return Response(made.content, media_type=made.media_type, headers=headers)


@router.get("/groups/{group_id}/record", name="class_record")
def class_record(
    request: Request, group_id: RowInPath, viewer: Instructor, exercise: Annotated[str, Query(max_length=64)] = ""
) -> Response:
    """A class's record, with the items of one exercise where one is chosen."""

    def read(session: Session) -> ClassContext:
        group = get_group(session, group_id)
        return ClassContext(
            group_id=group.id,
            name=group.name,
            people=tuple(class_of(session, group_id)),
            missed=_missed_lines(session, missed_in(session, group_id)),
            exercises=tuple(exercise_titles(session)),
            exercise=exercise,
            items=tuple(_item_rows(session, group_id, exercise)) if exercise else (),
        )

    return page(request, request.app.state.database.read(read))


def _item_rows(session: Session, group_id: int, exercise_id: str) -> list[ItemRow]:
    procedure = current_exercise(session, exercise_id).bundle.procedure
    rows = []
    for line in items_of(session, group_id, exercise_id):
        step = procedure.by_id.get(line.item)
        rows.append(
            ItemRow(
                number=step.number + 1 if step else 0,
                challenge=step.item.challenge if step else line.item,
                times=line.times,
                missed=line.missed,
                share=line.share,
                tells=line.tells,
                says="half of the class is lost here: the item or its teaching" if line.share >= HALF else "",
            )
        )
    return rows
