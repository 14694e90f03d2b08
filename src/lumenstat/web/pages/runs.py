"""Runs: those to be flown or being flown, and the debriefs of the others."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Depends, File, HTTPException, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse
from pydantic import TypeAdapter
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Gate, Ledger, outcome_phrase
from lumenstat.assessment.overriding import with_overrides
from lumenstat.documents.runlog import LARGEST_BYTES, RunLog
from lumenstat.errors import EntryRefused, LumenstatError, RecordError, StorageError
from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import exercise_titles, version_for
from lumenstat.records.groups import groups
from lumenstat.records.lists import RUN_SORTS, STANDINGS, RunFilter, RunLine, find_runs
from lumenstat.records.overrides import as_they_count
from lumenstat.records.people import trainees
from lumenstat.records.runs import RunFacts, find_run, import_run, log_of
from lumenstat.records.sealing import overrides_in
from lumenstat.records.tables import Override, Run
from lumenstat.runs.reader_jobs import read_log, try_log
from lumenstat.web import urls
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, RowId, SignedIn, Viewer, row_of

router = APIRouter()

READ_SECONDS = 30.0
GATES = TypeAdapter(tuple[Gate, ...])
JUDGED_SOON_SECONDS, LOOK_SECONDS = 3.0, 0.05
"""So long an imported log's debrief is waited for; after that its page says how far its judging is."""


class RunRow(Context):
    """One run in the list."""

    id: str
    title: str
    trainee: str
    instructor: str
    state: str
    created: datetime
    percent: float | None
    outcome: str | None
    mode: str
    lesson_id: str | None
    notes: tuple[str, ...]


class RunChoice(Context):
    """A trainee whose log is taken in, a group or an exercise that can be chosen."""

    id: str
    name: str


class RunsContext(Context):
    """A page of runs, and how it was chosen."""

    template: ClassVar[str] = "runs.html"
    tab: ClassVar[str] = "runs"
    rows: tuple[RunRow, ...]
    total: int
    number: int
    pages: int
    wanted: RunFilter
    trainees: tuple[RunChoice, ...]
    groups: tuple[RunChoice, ...]
    exercises: tuple[RunChoice, ...]
    sorts: tuple[str, ...]
    standings: tuple[str, ...]
    outcomes: tuple[tuple[str, str], ...]


def may_see(viewer: Viewer, run: Run | RunFacts) -> None:
    """A trainee sees their own runs only."""
    if not viewer.is_instructor and run.trainee_id != viewer.id:
        raise HTTPException(404, phrase("There is no such run."))


def wanted_runs(
    viewer: SignedIn,
    q: Annotated[str, Query(max_length=80)] = "",
    standing: Annotated[str, Query(max_length=10)] = "",
    outcome: Annotated[str, Query(max_length=12)] = "",
    mode: Annotated[str, Query(max_length=10)] = "",
    exercise: Annotated[str, Query(max_length=64)] = "",
    group: Annotated[str, Query(max_length=20)] = "",
    trainee: Annotated[str, Query(max_length=20)] = "",
    sort: Annotated[str, Query(max_length=12)] = "newest",
    page_: Annotated[int, Query(alias="page", ge=1, le=100_000)] = 1,
) -> RunFilter:
    """What an address asks for; a trainee finds their own runs only."""
    return RunFilter(
        words=q,
        standing=standing,
        outcome=outcome,
        mode=mode,
        exercise=exercise,
        group=row_of(group),
        # A trainee's filter is themselves, whatever the address says.
        trainee=row_of(trainee) if viewer.is_instructor else viewer.id,
        sort=sort,
        page=page_,
    )


WantedRuns = Annotated[RunFilter, Depends(wanted_runs)]


@router.get("/runs", name="runs")
def show(request: Request, viewer: SignedIn, wanted: WantedRuns) -> Response:
    """Runs for an instructor, their own for a trainee: searched, filtered, sorted, a page at a time."""
    context: RunsContext = request.app.state.database.read(lambda session: _list(session, viewer, wanted))
    return page(request, context)


def _list(session: Session, viewer: Viewer, wanted: RunFilter) -> RunsContext:
    found = find_runs(session, wanted)
    instructor = viewer.is_instructor
    return RunsContext(
        rows=rows_of(session, found.rows),
        total=found.total,
        number=found.page,
        pages=found.pages,
        wanted=wanted,
        trainees=tuple(RunChoice(id=str(p.id), name=p.name) for p in trainees(session)) if instructor else (),
        groups=tuple(RunChoice(id=str(g.id), name=g.name) for g in groups(session)) if instructor else (),
        exercises=tuple(RunChoice(id=name, name=title) for name, title in exercise_titles(session)),
        sorts=tuple(RUN_SORTS),
        standings=STANDINGS if instructor else STANDINGS[:2],
        outcomes=(
            ("pass", phrase("passed")),
            ("held", phrase("not passed: held")),
            ("fail", phrase("not passed")),
            ("unfinished", phrase("not finished")),
        ),
    )


LIST_HEADS = (
    "Trainee", "Exercise", "Version", "Kind", "Started, UTC", "Instructor", "State", "Outcome", "Percent", "Signed by",
    "Run",
)  # fmt: skip


@router.get("/runs.{kind}", name="runs_file")
def runs_file(request: Request, kind: Literal["csv", "xlsx"], wanted: WantedRuns) -> Response:
    """All runs that a list has found, as a table."""

    def read(session: Session) -> list[list[Cell]]:
        rows: list[list[Cell]] = []
        number = pages = 1
        while number <= pages:
            found = find_runs(session, replace(wanted, page=number))
            rows += [_cells(line) for line in found.rows]
            number, pages = number + 1, found.pages
        return rows

    return table_file("runs", LIST_HEADS, request.app.state.database.read(read), kind)


def _cells(line: RunLine) -> list[Cell]:
    first: list[Cell] = [line.trainee, line.title, line.digest[:12], line.mode, line.created, line.instructor]
    return [*first, _state(line), line.outcome_words, line.percent, line.signed_by, line.id]


@router.get("/runs/{run_id}/log.jsonl")
def run_log(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The run log as a file."""
    database = request.app.state.database
    run = database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    # What an instructor prepared would be in it before it happens.
    if not viewer.is_instructor and run.finished is None:
        raise RecordError(
            phrase("A log can be taken away once the exercise has ended: it holds what your instructor set up.")
        )
    text = database.read(lambda session: log_of(session, run)).text()
    name = f"{run.exercise.exercise_id}-{run.id}.jsonl"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text, media_type="application/jsonl", headers=headers)


@router.post("/runs/import", dependencies=[CheckedForm])
async def import_log(
    request: Request, viewer: Instructor, log: Annotated[UploadFile, File()], trainee: RowId
) -> Response:
    """Take a run log in as a run of its own and have it judged. Raises RecordError that says what is wrong with it."""
    database = request.app.state.database
    content = await log.read(LARGEST_BYTES + 1)
    if len(content) > LARGEST_BYTES:
        raise EntryRefused(
            phrase("The log is larger than {at:,} kB; that is no run log.", at=LARGEST_BYTES // 1000), "log"
        )
    run_id = await run_in_threadpool(_take_in, request, content, trainee, viewer.id)
    request.app.state.judges.add(run_id)
    # A short log is judged at once: most of those who import see the debrief and no page that waits.
    for _ in range(round(JUDGED_SOON_SECONDS / LOOK_SECONDS)):
        if request.app.state.judges.standing(run_id) is None:
            break
        await asyncio.sleep(LOOK_SECONDS)
    await run_in_threadpool(database.read, lambda session: find_run(session, run_id))
    return RedirectResponse(urls.debrief(run_id), 303)


def _take_in(request: Request, content: bytes, trainee: int, instructor: int) -> str:
    """Keep a log as a run; it is read and flown by another process, which has a time limit. Gives the run's id."""
    database, reader = request.app.state.database, request.app.state.reader
    try:
        read: RunLog = reader.call(read_log, content, seconds=READ_SECONDS)
        version = database.read(lambda session: version_for(session, read.exercise, read.digest))
        # Flown once before it is kept: a log that no aircraft can fly has nothing to be judged.
        reader.call(try_log, version.content, read, seconds=READ_SECONDS)
    # A full disk is no fault of the log.
    except StorageError:
        raise
    except LumenstatError as error:
        raise EntryRefused(phrase("This log cannot be taken in: {error}", error=error), "log") from None
    run_id: str = database.write(lambda session: import_run(session, version.digest, trainee, instructor, read))
    return run_id


def rows_of(session: Session, lines: Sequence[RunLine]) -> tuple[RunRow, ...]:
    """Runs as lists show them, with the verdicts that count."""
    changed = overrides_in(session, [line.id for line in lines])
    return tuple(_row(session, line, changed.get(line.id, [])) for line in lines)


def _row(session: Session, line: RunLine, overrides: list[Override]) -> RunRow:
    return RunRow(
        id=line.id,
        title=line.title,
        trainee=line.trainee,
        instructor=line.instructor,
        state=_state(line),
        created=line.created,
        percent=line.percent,
        outcome=_outcome_words(session, line, overrides),
        mode=line.mode,
        lesson_id=line.lesson_id,
        notes=tuple(_notes(line, len({(each.kind, each.item) for each in overrides}))),
    )


def _outcome_words(session: Session, line: RunLine, overrides: list[Override]) -> str | None:
    if line.outcome is None:
        return None
    if line.outcome_words is not None:
        return outcome_phrase(line.outcome_words)
    run = find_run(session, line.id)
    ledger = Ledger.model_validate_json(run.ledger or "")
    return with_overrides(run.exercise.bundle, ledger, as_they_count(overrides)).outcome_words


def _state(line: RunLine) -> str:
    """How far a run is: voided, ready, running, judging, stuck (it could not be judged) or ended."""
    if line.voided_by is not None:
        return "voided"
    if line.state == "ended" or line.finished is None:
        return line.state
    return "stuck" if line.not_judged else "judging"


def _notes(line: RunLine, overridden: int) -> Iterator[str]:
    if line.voided_by is not None:
        yield phrase("voided by {voided_by}: {void_reason}", voided_by=line.voided_by, void_reason=line.void_reason)
    if line.variant:
        yield phrase("own start: {variant}", variant=line.variant)
    if overridden:
        yield phrase("{count} overridden", count=overridden)
    if line.signed_by is not None:
        yield phrase("signed by {signed_by}", signed_by=line.signed_by)
    if line.draft_id is not None:
        yield phrase("flight of a draft")
    if line.drill_id is not None:
        yield phrase("moment of a drill")
    if line.origin_id is not None:
        yield phrase("flown on from another")
    if line.archived:
        yield phrase("put away")
