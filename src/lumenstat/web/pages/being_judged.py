"""A run that is finished and not judged yet: how far its judging is, or why it could not be."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.errors import RecordError
from lumenstat.language.wording import joined, phrase
from lumenstat.records.runs import find_run
from lumenstat.records.tables import Run
from lumenstat.web import urls
from lumenstat.web.pages.runs import may_see
from lumenstat.web.rendering import Context, json_answer
from lumenstat.web.security import CheckedForm, Instructor, SignedIn, Viewer

router = APIRouter()


class JudgingProgress(Context):
    """How far the judging of a run is."""

    words: str
    share: float
    over: bool


class BeingJudgedContext(Context):
    """A run that is finished and not judged yet, or that could not be."""

    template: ClassVar[str] = "being_judged.html"
    tab: ClassVar[str] = "runs"
    run_id: str
    title: str
    trainee: str
    progress: JudgingProgress
    says: str | None
    voided: bool
    may_judge: bool


@router.get("/runs/{run_id}/judging")
def judging(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """How far the judging of a run is."""
    run: Run = request.app.state.database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    return json_answer(request, progress_of(request, run).model_dump())


@router.post("/runs/{run_id}/judge-again", dependencies=[CheckedForm])
def judge_again(request: Request, run_id: str, viewer: Instructor) -> Response:
    """Have a run judged that could not be judged before."""
    run: Run = request.app.state.database.read(lambda session: find_run(session, run_id))
    if run.not_judged is None:
        raise RecordError(phrase("This run is judged, or waits for its turn."))
    request.app.state.judges.again(run_id)
    return RedirectResponse(urls.debrief(run_id), 303)


def being_judged(request: Request, run: Run, viewer: Viewer) -> BeingJudgedContext:
    """The page of a run that is not judged yet."""
    return BeingJudgedContext(
        run_id=run.id,
        title=run.exercise.named,
        trainee=run.trainee.name,
        progress=progress_of(request, run),
        says=phrase("Voided by {voided_by}: {void_reason}", voided_by=run.voided_by, void_reason=run.void_reason)
        if run.voided_at
        else run.not_judged,
        voided=run.voided_at is not None,
        may_judge=viewer.is_instructor and run.voided_at is None,
    )


def progress_of(request: Request, run: Run) -> JudgingProgress:
    """How far the judging of a run is, in words and as a share."""
    if run.ledger is not None or run.not_judged is not None or run.voided_at is not None:
        return JudgingProgress(words=phrase("done"), share=1.0, over=True)
    at = request.app.state.judges.standing(run.id)
    if at is None:
        return JudgingProgress(words=phrase("waiting for its turn"), share=0.0, over=False)
    if at.before:
        return JudgingProgress(words=phrase("waiting, {before} before it", before=at.before), share=0.0, over=False)
    counted = [phrase("{done} of {of}", done=at.done, of=at.of)] if at.of > 1 else []
    words = joined(", ", (at.doing, *counted))
    return JudgingProgress(words=words, share=at.done / at.of if at.of else 0.0, over=False)
