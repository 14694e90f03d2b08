"""What can be done with a judged record: override a verdict, sign, take it away as files."""

from __future__ import annotations

import csv
import io
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.assessment.appraisal import Appraisal, checked_appraisal
from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.overriding import Overridden, checked, points_for, standing, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import EntryRefused, RecordError
from lumenstat.records.database import Database
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import add_appraisal, add_override, appraisal_of, note_counted, overrides_of, sign
from lumenstat.records.tables import Run
from lumenstat.runs.telling import instructors_acts
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import Sampler
from lumenstat.web import urls
from lumenstat.web.pages.runs import as_they_count, may_see
from lumenstat.web.security import CheckedForm, Instructor, SignedIn

router = APIRouter()

TRACE_EVERY_TICKS = 100
LEDGER_COLUMNS = (
    "number", "item", "challenge", "at_seconds", "verdict", "earned", "possible", "says", "computed", "by", "reason",
)  # fmt: skip


def judged(database: Database, run_id: str) -> tuple[Run, Bundle, Ledger, list[Overridden]]:
    """An ended run with its documents, its computed ledger and its overrides. Raises RecordError before that."""
    run: Run = database.read(lambda session: find_run(session, run_id))
    if run.ledger is None:
        raise RecordError("This run is not judged yet.")
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
        add_override(session, run_id, of, item, verdict, earned, why, viewer.name)
        session.flush()
        counted = with_overrides(bundle, ledger, as_they_count(overrides_of(session, run_id)))
        note_counted(session, run_id, counted)

    database.write(write)
    return RedirectResponse(f"{urls.debrief(run_id)}#{item if of == 'item' else of}", 303)


def _figure(text: str) -> float:
    try:
        found = float(text.replace(",", "."))
    except ValueError:
        raise EntryRefused(f"Points are a figure, not {text!r}.", "points") from None
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
        raise EntryRefused("Signing is final. Tick that you mean it.", "sure")
    request.app.state.database.write(lambda session: sign(session, run_id, viewer.name))
    return RedirectResponse(urls.debrief(run_id), 303)


@router.get("/runs/{run_id}/ledger.csv")
def ledger_csv(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The ledger as it counts, one line an item."""
    run, bundle, ledger, overrides = judged(request.app.state.database, run_id)
    may_see(viewer, run)
    computed = {row.item: row for row in ledger.items}
    by = {item: override for (kind, item), override in standing(overrides).items() if kind == "item"}
    steps = bundle.procedure.by_id
    rows = [list(LEDGER_COLUMNS)]
    for row in with_overrides(bundle, ledger, overrides).items:
        over, step = by.get(row.item), steps[row.item]
        at = "" if row.at is None else f"{row.at:.2f}"
        line = [str(step.number + 1), row.item, step.item.challenge, at, row.verdict, f"{row.earned:g}"]
        line += [f"{row.possible:g}", row.says, computed[row.item].verdict]
        rows.append([*line, over.by if over else "", over.reason if over else ""])
    return _csv(rows, f"{run.exercise.exercise_id}-{run.id}-ledger.csv")


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

    flight = fly(bundle, log.events, lenient=True, also=[sampler])
    names = list(flight.aircraft.plan.quantities)
    rows = [names, *([_cell(row[name]) for name in names] for row in samplers[0].rows)]
    return _csv(rows, f"{run.exercise.exercise_id}-{run.id}-trace.csv")


@router.get("/runs/{run_id}/debrief.pdf", name="debrief_pdf")
def paper(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The debrief on paper."""
    from lumenstat.exchange.debrief_pdf import About, debrief_pdf  # noqa: PLC0415 - slow to load, only where printed

    run, bundle, ledger, overrides = judged(request.app.state.database, run_id)
    may_see(viewer, run)
    signed = f"Signed by {run.signed_by}, {run.signed_at:%-d %B %Y, %H:%M} UTC." if run.signed_at else None
    flown = f"{run.started or run.created:%-d %B %Y, %H:%M} UTC"
    appraisal = request.app.state.database.read(lambda session: appraisal_of(session, run_id))
    events = request.app.state.database.read(lambda session: log_of(session, run)).events
    acts = tuple((event.tick / 100, says) for event, says in instructors_acts(events, bundle))
    about = About(run.trainee.name, flown, request.app.state.settings.school, signed, appraisal, acts)
    name = f"{run.exercise.exercise_id}-{run.id}.pdf"
    headers = {"Content-Disposition": f'inline; filename="{name}"'}
    return Response(debrief_pdf(bundle, ledger, overrides, about), media_type="application/pdf", headers=headers)


def _cell(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.4g}"
    return "" if value is None else str(value)


def _csv(rows: list[list[str]], name: str) -> Response:
    text = io.StringIO()
    csv.writer(text).writerows([_plain(cell) for cell in row] for row in rows)
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


def _plain(cell: str) -> str:
    """Text that a spreadsheet would take for a formula is led by an apostrophe; figures are left alone."""
    try:
        float(cell)
    except ValueError:
        return f"'{cell}" if cell[:1] in "=+-@\t" and cell else cell
    return cell
