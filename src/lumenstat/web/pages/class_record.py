"""A class's record: its people, what they miss, and item by item how often and how well it tells strong from weak."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Query, Request, Response
from sqlalchemy.orm import Session

from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import current_exercise, exercise_titles, versions_of
from lumenstat.records.groups import get_group
from lumenstat.records.statistics import ClassLine, class_of, items_of, missed_in, slips_in
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.pages.missed import MissedLine, SlipLine, missed_lines, slip_lines
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import Instructor, RowInPath

router = APIRouter()

HALF = 0.5
"""An item that so many miss is at fault itself, or its teaching is."""


class ClassItemRow(Context):
    """An item across a class, in words."""

    number: int
    challenge: str
    times: int
    missed: int
    share: float
    tells: float | None
    says: str
    before: float | None = None
    """The share that missed it under the version that it is held against."""


class ClassContext(Context):
    """A class's record."""

    template: ClassVar[str] = "class_record.html"
    tab: ClassVar[str] = "people"
    group_id: int
    name: str
    people: tuple[ClassLine, ...]
    missed: tuple[MissedLine, ...]
    slips: tuple[SlipLine, ...]
    exercises: tuple[tuple[str, str], ...]
    exercise: str
    items: tuple[ClassItemRow, ...]
    versions: tuple[tuple[str, str], ...]
    version: str
    against: str
    half: tuple[ClassItemRow, ...]


@router.get("/groups/{group_id}/record", name="class_record")
def class_record(
    request: Request,
    group_id: RowInPath,
    viewer: Instructor,
    exercise: Annotated[str, Query(max_length=64)] = "",
    version: Annotated[str, Query(max_length=64)] = "",
    against: Annotated[str, Query(max_length=64)] = "",
) -> Response:
    """A class's record, with the items of one exercise where one is chosen, of a version, held against another."""

    def read(session: Session) -> ClassContext:
        group = get_group(session, group_id)
        return ClassContext(
            group_id=group.id,
            name=group.name,
            people=tuple(class_of(session, group_id)),
            missed=missed_lines(session, missed_in(session, group_id)),
            slips=slip_lines(slips_in(session, group_id)),
            exercises=tuple(exercise_titles(session)),
            exercise=exercise,
            items=(items := tuple(_item_rows(session, group_id, exercise, version, against)) if exercise else ()),
            versions=tuple(_versions(session, exercise)) if exercise else (),
            version=version,
            against=against,
            half=tuple(row for row in items if row.says),
        )

    return page(request, request.app.state.database.read(read))


@router.get("/groups/{group_id}/record.{kind}", name="class_record_file")
def class_record_file(
    request: Request,
    group_id: RowInPath,
    kind: Literal["csv", "xlsx"],
    viewer: Instructor,
    exercise: Annotated[str, Query(max_length=64)],
    version: Annotated[str, Query(max_length=64)] = "",
    against: Annotated[str, Query(max_length=64)] = "",
) -> Response:
    """The items of one exercise across a class, as a table."""
    database = request.app.state.database
    found = database.read(lambda session: _item_rows(session, group_id, exercise, version, against))
    rows = [_cells(row) for row in found]
    heads = ("No.", "Item", "Flown", "Missed", "Share", "Share before", "Tells strong from weak", "Note")
    return table_file(f"items-{exercise}", heads, rows, kind)


def _cells(row: ClassItemRow) -> list[Cell]:
    counts: list[Cell] = [float(row.number), row.challenge, float(row.times), float(row.missed)]
    return [*counts, row.share, row.before, row.tells, row.says]


def _versions(session: Session, exercise_id: str) -> list[tuple[str, str]]:
    return [
        (
            digest,
            phrase("{digest}, {added:%-d %B %Y}, current", digest=digest[:12], added=added)
            if current
            else phrase("{digest}, {added:%-d %B %Y}", digest=digest[:12], added=added),
        )
        for digest, added, current in versions_of(session, exercise_id)
    ]


def _item_rows(session: Session, group_id: int, exercise_id: str, version: str, against: str) -> list[ClassItemRow]:
    # Against another version, to see whether a reworded item is missed less.
    before = {line.item: line.share for line in items_of(session, group_id, exercise_id, against)} if against else {}
    bundle = current_exercise(session, exercise_id).bundle
    rows = []
    for line in items_of(session, group_id, exercise_id, version):
        # An item may be gone from the current version and still be in the runs of earlier ones.
        step = bundle.procedure.by_id.get(line.item)
        rows.append(
            ClassItemRow(
                number=step.number + 1 if step else 0,
                challenge=bundle.worded(step.item.challenge) if step else line.item,
                times=line.times,
                missed=line.missed,
                share=line.share,
                tells=line.tells,
                says=phrase("half of the class is lost here: the item or its teaching") if line.share >= HALF else "",
                before=before.get(line.item),
            )
        )
    return rows
