"""Runs: those to be flown or being flown, and the debriefs of the others."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Annotated, ClassVar

from fastapi import APIRouter, File, Form, HTTPException, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse

from lumenstat.assessment.ledger import OUTCOME_WORDS, Ledger
from lumenstat.assessment.overriding import Overridden, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import parse_log
from lumenstat.errors import LumenstatError, RecordError
from lumenstat.records.exercises import version_for
from lumenstat.records.people import trainees
from lumenstat.records.runs import find_run, import_run, log_of, runs_of
from lumenstat.records.sealing import overridden_runs
from lumenstat.records.tables import Override, Run
from lumenstat.simulation.flight import fly
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, SignedIn, Viewer

router = APIRouter()

LARGEST_LOG = 5_000_000


class RunRow(Context):
    """One run in the list."""

    id: str
    title: str
    trainee: str
    instructor: str
    state: str
    created: str
    percent: float | None
    outcome: str | None
    notes: tuple[str, ...]


class Choice(Context):
    """A trainee whose log is taken in."""

    id: int
    name: str


class RunsContext(Context):
    """Runs still open, and runs that have ended."""

    template: ClassVar[str] = "runs.html"
    tab: ClassVar[str] = "runs"
    trainees: tuple[Choice, ...]
    open: tuple[RunRow, ...]
    ended: tuple[RunRow, ...]


def may_see(viewer: Viewer, run: Run) -> None:
    """A trainee sees their own runs only."""
    if not viewer.is_instructor and run.trainee_id != viewer.id:
        raise HTTPException(404, "There is no such run.")


@router.get("/runs")
def show(request: Request, viewer: SignedIn) -> Response:
    """All runs for an instructor, their own for a trainee."""
    mine = None if viewer.is_instructor else viewer.id
    database = request.app.state.database
    changed = database.read(overridden_runs)
    rows = [_row(run, changed.get(run.id, [])) for run in database.read(lambda session: runs_of(session, mine))]
    still_open = tuple(row for row in rows if row.state != "ended")
    choices = tuple(Choice(id=p.id, name=p.name) for p in database.read(trainees))
    ended = tuple(row for row in rows if row.state == "ended")
    return page(request, RunsContext(trainees=choices, open=still_open, ended=ended))


@router.get("/runs/{run_id}/log.jsonl")
def run_log(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The run log as a file."""
    database = request.app.state.database
    run = database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    text = database.read(lambda session: log_of(session, run)).text()
    name = f"{run.exercise.exercise_id}-{run.id}.jsonl"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text, media_type="application/jsonl", headers=headers)


@router.post("/runs/import", dependencies=[CheckedForm])
async def import_log(
    request: Request, viewer: Instructor, log: Annotated[UploadFile, File()], trainee: Annotated[int, Form()]
) -> Response:
    """Take a run log in as a run of its own and judge it. Raises RecordError that says what is wrong with it."""
    database = request.app.state.database
    content = await log.read(LARGEST_LOG + 1)
    if len(content) > LARGEST_LOG:
        raise RecordError(f"The log is larger than {LARGEST_LOG // 1_000_000} MB; that is no run log.")
    try:
        read = parse_log(content.decode("utf-8"))
        version = database.read(lambda session: version_for(session, read.exercise, read.digest))
        bundle = Bundle.from_canonical_json(version.content)
        await run_in_threadpool(fly, bundle, read.events)
    except UnicodeDecodeError:
        raise RecordError("The log is not UTF-8 text.") from None
    except LumenstatError as error:
        raise RecordError(f"This log cannot be taken in: {error}") from None
    run_id = database.write(lambda session: import_run(session, version.digest, trainee, viewer.id, read))
    await request.app.state.hub.judge(run_id)
    return RedirectResponse(urls.debrief(run_id), 303)


def _row(run: Run, overrides: list[Override]) -> RunRow:
    ledger = Ledger.model_validate_json(run.ledger) if run.ledger else None
    if ledger is not None and overrides:
        ledger = with_overrides(Bundle.from_canonical_json(run.exercise.content), ledger, as_they_count(overrides))
    return RunRow(
        id=run.id,
        title=run.exercise.title,
        trainee=run.trainee.name,
        instructor=run.instructor.name,
        state=run.state,
        created=f"{run.created:%-d %B %Y, %H:%M}",
        percent=ledger.percent if ledger else None,
        outcome=OUTCOME_WORDS[ledger.outcome] if ledger else None,
        notes=tuple(_notes(run, overrides)),
    )


def _notes(run: Run, overrides: list[Override]) -> Iterator[str]:
    if overrides:
        yield f"{len({each.item for each in overrides})} overridden"
    if run.signed_by is not None:
        yield f"signed by {run.signed_by}"
    if run.origin_id is not None:
        yield "flown on from another"


def as_they_count(rows: Sequence[Override]) -> list[Overridden]:
    """Stored overrides as the assessment takes them."""
    return [
        Overridden.model_validate(
            {"item": row.item, "verdict": row.verdict, "points": row.points, "reason": row.reason, "by": row.by}
            | {"at": f"{row.at:%-d %B %Y, %H:%M} UTC"}
        )
        for row in rows
    ]
