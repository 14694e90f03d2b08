"""Runs: those to be flown or being flown, and the debriefs of the others."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, HTTPException, Request, Response

from lumenstat.assessment.ledger import Ledger
from lumenstat.records.runs import find_run, log_of, runs_of
from lumenstat.records.tables import Run
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SignedIn, Viewer

router = APIRouter()


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


class RunsContext(Context):
    """Runs still open, and runs that have ended."""

    template: ClassVar[str] = "runs.html"
    tab: ClassVar[str] = "runs"
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
    rows = [_row(run) for run in request.app.state.database.read(lambda session: runs_of(session, mine))]
    still_open = tuple(row for row in rows if row.state != "ended")
    return page(request, RunsContext(open=still_open, ended=tuple(row for row in rows if row.state == "ended")))


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


def _row(run: Run) -> RunRow:
    ledger = Ledger.model_validate_json(run.ledger) if run.ledger else None
    return RunRow(
        id=run.id,
        title=run.exercise.title,
        trainee=run.trainee.name,
        instructor=run.instructor.name,
        state=run.state,
        created=f"{run.created:%-d %B %Y, %H:%M}",
        percent=ledger.percent if ledger else None,
        outcome=ledger.outcome if ledger else None,
    )
