"""What can be done with a judged record: override a verdict, sign, take it away as files."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.assessment.appraisal import Appraisal, checked_appraisal
from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import Overridden, checked, points_for, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import EntryRefused, RecordError
from lumenstat.exchange.list_files import as_csv
from lumenstat.exchange.record_file import as_text, record_json
from lumenstat.language.wording import phrase
from lumenstat.records.database import Database
from lumenstat.records.overrides import as_they_count
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import add_appraisal, add_override, note_counted, overrides_of, sign
from lumenstat.records.tables import Run
from lumenstat.runs.record_files import judged_run, ledger_csv, record_pdf
from lumenstat.runs.run_statements import HOME, run_statements
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import Sampler
from lumenstat.web import urls
from lumenstat.web.pages.runs import may_see
from lumenstat.web.security import CheckedForm, Instructor, SignedIn

router = APIRouter()

TRACE_EVERY_TICKS = 100


def judged(database: Database, run_id: str) -> tuple[Run, Bundle, Ledger, list[Overridden]]:
    """An ended run with its documents, its computed ledger and its overrides. Raises RecordError before that."""
    run: Run = database.read(lambda session: find_run(session, run_id))
    if run.ledger is None:
        raise RecordError(phrase("This run is not judged yet."))
    rows = database.read(lambda session: overrides_of(session, run_id))
    overrides = as_they_count(rows)
    return run, run.exercise.bundle, Ledger.model_validate_json(run.ledger), overrides


@router.post("/runs/{run_id}/override", dependencies=[CheckedForm])
def override(
    request: Request,
    run_id: str,
    viewer: Instructor,
    verdict: Annotated[str, Form()],
    reason: Annotated[str, Form()],
    kind: Annotated[str, Form()] = "item",
    item: Annotated[str, Form()] = "",
    points: Annotated[str, Form(max_length=20)] = "",
) -> Response:
    """Keep the instructor's verdict beside the computed one, or take it back; points follow it where none are given."""
    database = request.app.state.database
    _, bundle, ledger, _ = judged(database, run_id)
    earned = _figure(points) if points.strip() else points_for(bundle, ledger, item, verdict)
    of, why = checked(ledger, kind, item, verdict, earned, reason)

    def write(session: Session) -> None:
        # Kept and counted in one transaction: a verdict without its points would be wrong in every list.
        add_override(session, run_id, of, item, verdict, earned, why, viewer.name)
        session.flush()
        counted = with_overrides(bundle, ledger, as_they_count(overrides_of(session, run_id)))
        note_counted(session, run_id, counted)

    database.write(write)
    # Back to where the override was made, in a page that may be long.
    return RedirectResponse(f"{urls.debrief(run_id)}#{item if of == 'item' else of}", 303)


def _figure(text: str) -> float:
    try:
        found = float(text.replace(",", "."))
    except ValueError:
        raise EntryRefused(phrase("Points are a figure, not {text}.", text=repr(text)), "points") from None
    return found


@router.post("/runs/{run_id}/appraisal", dependencies=[CheckedForm])
def appraise(
    request: Request,
    run_id: str,
    viewer: Instructor,
    remark: Annotated[str, Form()] = "",
    grade: Annotated[str, Form()] = "",
    advice: Annotated[str, Form()] = "",
    drill: Annotated[list[str] | None, Form()] = None,
) -> Response:
    """Keep what the instructor says of the run as a whole."""
    database, scale = request.app.state.database, request.app.state.settings.grades
    _, _, ledger, _ = judged(database, run_id)
    words, given, next_, items = checked_appraisal(ledger, scale, remark, grade, advice, drill or [])
    said = Appraisal(remark=words, grade=given, advice=next_, drill=items, by=viewer.name, at="")
    database.write(lambda session: add_appraisal(session, run_id, said))
    return RedirectResponse(f"{urls.debrief(run_id)}#appraisal", 303)


@router.post("/runs/{run_id}/sign", name="sign", dependencies=[CheckedForm])
def sign_off(
    request: Request, run_id: str, viewer: Instructor, sure: Annotated[str, Form(max_length=4)] = ""
) -> Response:
    """Freeze the record under the instructor's name, once they have said that they mean it."""
    if sure != "yes":
        raise EntryRefused(phrase("Signing is final. Tick that you mean it."), "sure")
    request.app.state.database.write(lambda session: sign(session, run_id, viewer.name))
    return RedirectResponse(urls.debrief(run_id), 303)


@router.get("/runs/{run_id}/ledger.csv", name="ledger_csv")
def show_ledger_csv(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The ledger as it counts, one line an item."""
    database = request.app.state.database
    run = database.read(lambda session: judged_run(session, run_id)[0])
    may_see(viewer, run)
    made = database.read(lambda session: ledger_csv(session, run_id))
    return _file(made.content, made.media_type, f"{run.exercise.exercise_id}-{run.id}-ledger.csv")


@router.get("/runs/{run_id}/trace.csv")
def trace_csv(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """Every quantity, once a second."""
    database = request.app.state.database
    run, bundle, _, _ = judged(database, run_id)
    may_see(viewer, run)
    log = database.read(lambda session: log_of(session, run))
    samplers: list[Sampler] = []

    def sampler(aircraft: Aircraft) -> Sampler:
        samplers.append(Sampler(aircraft, TRACE_EVERY_TICKS))
        return samplers[-1]

    # Flown again from its log, for every quantity: the trace that is kept has only those of the charts.
    flight = fly(bundle, log.events, lenient=True, also=[sampler])
    names = list(flight.aircraft.plan.quantities)
    made = as_csv(names, [[_cell(row[name]) for name in names] for row in samplers[0].rows])
    return _file(made.content, made.media_type, f"{run.exercise.exercise_id}-{run.id}-trace.csv")


@router.get("/runs/{run_id}/debrief.pdf", name="debrief_pdf")
def paper(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The debrief on paper."""
    database, school = request.app.state.database, request.app.state.settings.school
    run = database.read(lambda session: judged_run(session, run_id)[0])
    may_see(viewer, run)
    content = database.read(lambda session: record_pdf(session, run_id, school, viewer.language))
    return _file(content, "application/pdf", f"{run.exercise.exercise_id}-{run.id}.pdf", "inline")


@router.get("/runs/{run_id}/record.{kind}", name="record_file")
def record_file(request: Request, run_id: str, kind: Literal["json", "xapi", "ics"], viewer: SignedIn) -> Response:
    """The record for programs: whole as JSON, as statements, or as an event of a calendar."""
    from lumenstat.exchange.day_ics import run_ics  # noqa: PLC0415 - slow to load, only where it is taken away

    database, home = request.app.state.database, request.app.state.settings.home_address or HOME
    run = database.read(lambda session: judged_run(session, run_id)[0])
    may_see(viewer, run)
    name = f"{run.exercise.exercise_id}-{run.id}"
    match kind:
        case "json":
            text = as_text(database.read(lambda session: record_json(session, run_id)))
            return _file(text, "application/json", f"{name}.json")
        case "xapi":
            made = database.read(lambda session: run_statements(session, run_id, home))
            return _file(json.dumps(made, ensure_ascii=False, indent=2), "application/json", f"{name}-statements.json")
        case "ics":
            began = run.started or run.created
            content = run_ics(run.id, viewer.says(run.exercise.named), run.trainee.name, began, run.tick / 100)
            return _file(content, "text/calendar; charset=utf-8", f"{name}.ics")


def _cell(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.4g}"
    return "" if value is None else str(value)


def _file(content: str | bytes, media_type: str, name: str, how: str = "attachment") -> Response:
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'{how}; filename="{name}"'})
