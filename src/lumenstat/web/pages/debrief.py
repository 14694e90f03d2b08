"""The debrief: what was done, what it was worth, and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.assessment.ledger import (
    OUTCOME_WORDS,
    VERDICT_WORDS,
    Evidence,
    ExtraRow,
    Gate,
    Ledger,
    LimitRow,
    Lost,
    Points,
    TimeUse,
)
from lumenstat.assessment.overriding import VERDICTS, Overridden, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import procedure_of
from lumenstat.records.runs import find_run, runs_of
from lumenstat.records.tables import Run
from lumenstat.simulation.trace import Trace
from lumenstat.web import urls
from lumenstat.web.drawing.timeline import Timeline, lay_out
from lumenstat.web.pages.record import judged
from lumenstat.web.pages.runs import may_see
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SignedIn

router = APIRouter()

LOSSES_SHOWN = 5
OTHERS_AT_MOST = 12


class LedgerLine(Context):
    """One item of the ledger as it is shown."""

    number: int
    id: str
    challenge: str
    expected: str
    at: float | None
    verdict: str
    words: str
    corrected: bool
    earned: float
    possible: float
    says: str
    evidence: tuple[Evidence, ...]
    critical: bool
    gates: bool
    why: str | None
    lost: bool
    override: Overridden | None
    computed: str
    computed_earned: float
    most: float


class OtherRun(Context):
    """Another judged run of the same exercise."""

    id: str
    words: str


class DebriefContext(Context):
    """A judged run."""

    template: ClassVar[str] = "debrief.html"
    tab: ClassVar[str] = "runs"
    run_id: str
    title: str
    airframe: str
    trainee: str
    flown: str
    outcome: str
    outcome_words: str
    outcome_reason: str
    percent: float
    band: str | None
    pass_mark: float
    points: Points
    gates: tuple[Gate, ...]
    lines: tuple[LedgerLine, ...]
    lost_count: int
    changed_count: int
    flown_with: str | None
    extras: tuple[ExtraRow, ...]
    limits: tuple[LimitRow, ...]
    ended_at: float
    time: TimeUse | None
    worst_losses: tuple[Lost, ...]
    timeline: Timeline
    engine: str
    digest: str
    overrides: tuple[Overridden, ...]
    computed_percent: float
    verdicts: tuple[str, ...]
    may_judge: bool
    signed_by: str | None
    signed_at: str | None
    others: tuple[OtherRun, ...]
    origin: str | None
    origin_at: float | None


@router.get("/runs/{run_id}/debrief")
async def show(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The debrief of an ended run; a run still open leads to its station."""
    database = request.app.state.database
    run: Run = database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    if run.ledger is None or run.trace is None:
        return RedirectResponse(urls.station(run_id), 303)
    _, bundle, ledger, overrides = judged(database, run_id)
    trace = Trace.model_validate_json(run.trace)
    mine = None if viewer.is_instructor else viewer.id
    rows = database.read(lambda session: runs_of(session, mine))
    others = tuple(
        OtherRun(id=each.id, words=f"{each.trainee.name}, {each.created:%-d %B, %H:%M}")
        for each in rows
        if each.ledger and each.id != run.id and each.exercise.exercise_id == run.exercise.exercise_id
    )
    context = debrief_context(run, bundle, ledger, trace, overrides, viewer.is_instructor)
    return page(request, context.model_copy(update={"others": others[:OTHERS_AT_MOST]}))


def debrief_context(
    run: Run, bundle: Bundle, computed: Ledger, trace: Trace, overrides: list[Overridden], may_judge: bool
) -> DebriefContext:
    """The debrief of a run: as it counts, with what was computed beside what an instructor changed."""
    ledger = with_overrides(bundle, computed, overrides)
    changed = {override.item: override for override in overrides}
    before = {row.item: row for row in computed.items}
    procedure = procedure_of(bundle)
    gating = {gate.id for gate in ledger.gates if gate.kind == "item"}
    lines = []
    for row in ledger.items:
        step = procedure.by_id[row.item]
        lines.append(
            LedgerLine(
                number=step.number + 1,
                id=row.item,
                challenge=step.item.challenge,
                expected=step.item.response,
                at=row.at,
                verdict=row.verdict,
                words=VERDICT_WORDS[row.verdict] + (", corrected" if row.corrected else ""),
                corrected=row.corrected,
                earned=row.earned,
                possible=row.possible,
                says=row.says,
                evidence=row.evidence,
                critical=step.item.critical,
                gates=row.item in gating,
                why=step.item.why,
                lost=row.earned < row.possible or row.item in changed,
                override=changed.get(row.item),
                computed=VERDICT_WORDS[before[row.item].verdict],
                computed_earned=before[row.item].earned,
                most=before[row.item].possible,
            )
        )
    return DebriefContext(
        run_id=run.id,
        title=bundle.exercise.title,
        airframe=bundle.airframe.name,
        trainee=run.trainee.name,
        flown=f"{run.started or run.created:%-d %B %Y, %H:%M} UTC",
        outcome=ledger.outcome,
        outcome_words=OUTCOME_WORDS[ledger.outcome],
        outcome_reason=_reason(ledger, bundle.exercise.pass_mark),
        percent=ledger.percent,
        band=ledger.band,
        pass_mark=bundle.exercise.pass_mark,
        points=ledger.points,
        gates=tuple(_once(ledger.gates)),
        lines=tuple(lines),
        lost_count=sum(line.lost for line in lines),
        changed_count=len(changed),
        flown_with=run.flown_digest if run.flown_digest not in (None, run.digest) else None,
        extras=ledger.extras,
        limits=ledger.limits,
        ended_at=ledger.ended_at,
        time=ledger.time,
        worst_losses=_worst(ledger),
        timeline=lay_out(trace, ledger, procedure, bundle.airframe),
        engine=ledger.engine,
        digest=ledger.digest,
        overrides=tuple(overrides),
        computed_percent=computed.percent,
        verdicts=VERDICTS,
        may_judge=may_judge and run.signed_by is None,
        signed_by=run.signed_by,
        signed_at=f"{run.signed_at:%-d %B %Y, %H:%M} UTC" if run.signed_at else None,
        others=(),
        origin=run.origin_id,
        origin_at=None if run.origin_tick is None else run.origin_tick / 100,
    )


def _once(gates: Sequence[Gate]) -> Iterator[Gate]:
    """Gates that say the same thing, as one that says how often."""
    for says, times in Counter(gate.says for gate in gates).items():
        gate = next(gate for gate in gates if gate.says == says)
        yield gate if times == 1 else gate.model_copy(update={"says": f"{says.rstrip('.')}, {times} times."})


def _worst(ledger: Ledger) -> tuple[Lost, ...]:
    """The losses that are worth a word, longest first; the rest as one line, so that they add up."""
    if ledger.time is None:
        return ()
    ranked = sorted(ledger.time.lost, key=lambda lost: -lost.seconds)
    shown, rest = ranked[:LOSSES_SHOWN], ranked[LOSSES_SHOWN:]
    left = sum(lost.seconds for lost in rest)
    return (*shown, Lost(seconds=left, says=f"{left:.1f} s in {len(rest)} smaller pieces.")) if rest else tuple(shown)


def _reason(ledger: Ledger, mark: float) -> str:
    match ledger.outcome:
        case "pass":
            return f"At or over the pass mark of {mark:g}, with nothing that holds it."
        case "held":
            hazards = sum(gate.kind == "limit" for gate in ledger.gates)
            what = "a hazard" if hazards else "a gating item"
            return f"Over the pass mark of {mark:g}, but held by {what}."
        case "fail":
            return f"Under the pass mark of {mark:g}."
        case _:
            return "The exercise was not brought to its end."
