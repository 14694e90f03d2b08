"""The debrief: what was done, what it was worth, and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import ClassVar, TypeVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.assessment.appraisal import ADVICE, Appraisal
from lumenstat.assessment.ledger import (
    VERDICT_WORDS,
    AimRow,
    Evidence,
    ExtraRow,
    Gate,
    Ledger,
    LimitRow,
    Lost,
    Points,
    TimeUse,
)
from lumenstat.assessment.overriding import CHOICES, Overridden, standing, with_overrides
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import lasting
from lumenstat.language.wording import joined, phrase
from lumenstat.records.drills import next_moment
from lumenstat.records.groups import may_practise
from lumenstat.records.lists import runs_like
from lumenstat.records.runs import RunFacts, events_after, facts_of, find_run, log_of
from lumenstat.records.sealing import appraisal_of, last_appraisal, last_override
from lumenstat.records.tables import Run
from lumenstat.runs.telling import instructors_acts
from lumenstat.simulation.flight import fly
from lumenstat.simulation.trace import Trace, trace_of
from lumenstat.web import urls
from lumenstat.web.drawing.timeline import TimeAxis, lay_out
from lumenstat.web.pages.being_judged import being_judged
from lumenstat.web.pages.last_word import ChangedLine, Judgeable, changed_lines, may_change
from lumenstat.web.pages.record import judged
from lumenstat.web.pages.runs import may_see
from lumenstat.web.rendering import Context, cached_page, moment, page
from lumenstat.web.security import SignedIn, Viewer

router = APIRouter()

LOSSES_SHOWN = 5
OTHERS_AT_MOST = 12

Said = TypeVar("Said", Overridden, Appraisal)


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
    reached: bool
    override: Overridden | None
    computed: str
    computed_earned: float
    most: float


class OtherRun(Context):
    """Another judged run of the same exercise."""

    id: str
    words: str


class InstructorAct(Context):
    """Something that the instructor did in the run: when, where on the axis, what."""

    t: float
    x: float
    verb: str
    says: str


class DebriefContext(Context):
    """A judged run."""

    template: ClassVar[str] = "debrief.html"
    tab: ClassVar[str] = "runs"
    run_id: str
    draft_id: str | None
    """The draft that was flown, if it was one: its flight counts in nobody's record."""
    title: str
    airframe: str
    trainee: str
    flown: datetime
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
    other_count: int
    flown_with: str | None
    extras: tuple[ExtraRow, ...]
    aims: tuple[AimRow, ...]
    unreached_count: int
    limits: tuple[LimitRow, ...]
    may_change: tuple[Judgeable, ...]
    changed_lines: tuple[ChangedLine, ...]
    appraisal: Appraisal | None
    drill: tuple[str, ...]
    grades: tuple[str, ...]
    advice: tuple[tuple[str, str], ...]
    lost_items: tuple[tuple[str, str], ...]
    ended_at: float
    time: TimeUse | None
    worst_losses: tuple[Lost, ...]
    timeline: TimeAxis
    engine: str
    digest: str
    overrides: tuple[Overridden, ...]
    computed_percent: float
    verdicts: tuple[str, ...]
    may_judge: bool
    signed_by: str | None
    signed_at: datetime | None
    others: tuple[OtherRun, ...]
    origin: str | None
    origin_at: float | None
    mode: str
    variant: str | None
    lesson_id: str | None
    exercise_id: str
    trainee_id: int
    instructor: str
    acts: tuple[InstructorAct, ...]
    may_practise: bool
    voided: str | None
    archived: bool
    drill_id: str | None
    """The drill of which this was a moment."""
    next_moment: str | None = None


@router.get("/runs/{run_id}/debrief", name="debrief")
def show(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The debrief of an ended run, or how far its judging is; a run still open leads to its station."""
    database = request.app.state.database
    facts: RunFacts = database.read(lambda session: facts_of(session, run_id))
    may_see(viewer, facts)
    # Whoever opens a run that goes on wants to see it go on.
    if not facts.judged:
        run = database.read(lambda session: find_run(session, run_id))
        return page(request, being_judged(request, run, viewer)) if run.finished else _to_station(run_id)
    others = tuple(
        OtherRun(id=each.id, words=joined(", ", (each.trainee, moment(each.created, viewer.time_zone))))
        for each in database.read(
            lambda session: runs_like(session, run_id, None if viewer.is_instructor else viewer.id)
        )
    )
    others = others[:OTHERS_AT_MOST]

    def made() -> DebriefContext:
        run, flown, ledger, overrides = judged(database, run_id)
        bundle, names = flown.told_in(viewer.language), flown.names_in(viewer.language)
        # Traces are kept for a limited time; the log is not, and the flight is the same to the bit.
        trace = Trace.model_validate_json(run.trace) if run.trace else _flown_again(request, run, flown)
        overrides = [_in_zone(each, viewer.time_zone) for each in overrides]
        found = database.read(lambda session: appraisal_of(session, run_id))
        said = None if found is None else _in_zone(found, viewer.time_zone)
        scale = request.app.state.settings.grades
        context = debrief_context(run, bundle, ledger, trace, overrides, viewer.is_instructor, said, scale)
        events = [event for _, event in database.read(lambda session: events_after(session, run_id, 0))]
        acts = tuple(_instructors(events, bundle, context.timeline))
        again = _may_practise(request, viewer, run)
        after = database.read(lambda session: next_moment(session, run)) if viewer.id == run.trainee_id else None
        more = {"others": others, "acts": acts, "may_practise": again, "next_moment": after, "document_names": names}
        return context.model_copy(update=more)

    changed = database.read(lambda session: (last_override(session, run_id), last_appraisal(session, run_id)))
    # Everything else that the page shows is in the key it is kept under.
    if facts.drill_item is not None:
        return page(request, made())  # which moment is next changes as others are flown
    return cached_page(request, viewer, (run_id, facts, changed, others), made)


def _in_zone(said: Said, zone: str) -> Said:
    """What an instructor said, with its time as its reader has it."""
    return said.model_copy(update={"at": moment(said.when, zone)})


def _flown_again(request: Request, run: Run, bundle: Bundle) -> Trace:
    """The trace of a run whose own is kept no longer, from its log."""
    log = request.app.state.database.read(lambda session: log_of(session, run))
    return trace_of(fly(bundle, log.events, lenient=True))


def _instructors(events: Sequence[LogEvent], bundle: Bundle, axis: TimeAxis) -> Iterator[InstructorAct]:
    """What the instructor did in a run, with its place on the time axis."""
    for event, says in instructors_acts(events, bundle):
        seconds = event.tick / 100
        yield InstructorAct(t=seconds, x=axis.x(seconds), verb=event.verb, says=says)


def _may_practise(request: Request, viewer: Viewer, run: Run) -> bool:
    """Whether whoever looks may fly this exercise again by themselves."""
    if viewer.id != run.trainee_id or viewer.is_instructor:
        return False
    known = request.app.state.database.read(lambda session: may_practise(session, viewer.id))
    return run.exercise.exercise_id in {version.exercise_id for version in known}


def _to_station(run_id: str) -> Response:
    return RedirectResponse(urls.station(run_id), 303)


def debrief_context(
    run: Run,
    bundle: Bundle,
    computed: Ledger,
    trace: Trace,
    overrides: list[Overridden],
    may_judge: bool,
    said: Appraisal | None = None,
    grades: tuple[str, ...] = (),
) -> DebriefContext:
    """The debrief of a run: as it counts, with what was computed beside what an instructor changed."""
    ledger = with_overrides(bundle, computed, overrides)
    changed = {item: each for (kind, item), each in standing(overrides).items() if kind == "item"}
    # What was computed stays beside what an instructor made of it.
    before = {row.item: row for row in computed.items}
    procedure = bundle.procedure
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
                words=row.words,
                corrected=row.corrected,
                earned=row.earned,
                possible=row.possible,
                says=row.says,
                evidence=row.evidence,
                critical=step.item.critical,
                gates=row.item in gating,
                why=step.item.why,
                lost=(row.earned < row.possible and row.reached) or row.item in changed,
                reached=row.reached,
                override=changed.get(row.item),
                computed=VERDICT_WORDS[before[row.item].verdict],
                computed_earned=before[row.item].earned,
                most=before[row.item].possible,
            )
        )
    return DebriefContext(
        run_id=run.id,
        draft_id=run.draft_id,
        title=bundle.exercise.title,
        airframe=bundle.airframe.name,
        trainee=run.trainee.name,
        flown=run.started or run.created,
        outcome=ledger.outcome,
        outcome_words=ledger.outcome_words,
        outcome_reason=_reason(ledger, bundle.exercise.pass_mark),
        percent=ledger.percent,
        band=ledger.band,
        pass_mark=bundle.exercise.pass_mark,
        points=ledger.points,
        gates=tuple(_once(ledger.gates)),
        lines=tuple(lines),
        lost_count=sum(line.lost for line in lines),
        changed_count=len(changed),
        other_count=len([kind for kind, _ in standing(overrides) if kind != "item"]),
        flown_with=run.flown_digest if run.flown_digest not in (None, run.digest) else None,
        extras=ledger.extras,
        aims=ledger.aims,
        may_change=tuple(may_change(computed, ledger, overrides)) if may_judge and run.signed_by is None else (),
        changed_lines=tuple(changed_lines(bundle, computed, overrides)),
        appraisal=said,
        drill=tuple(procedure.by_id[name].item.challenge for name in said.drill) if said else (),
        grades=grades,
        advice=tuple(ADVICE.items()),
        lost_items=tuple((line.id, f"{line.challenge}: {line.expected}") for line in lines if line.lost),
        unreached_count=sum(not row.reached for row in ledger.items),
        limits=ledger.limits,
        ended_at=ledger.ended_at,
        time=ledger.time,
        worst_losses=_worst(ledger),
        timeline=lay_out(trace, ledger, procedure, bundle.airframe),
        engine=ledger.engine,
        digest=ledger.digest,
        overrides=tuple(overrides),
        computed_percent=computed.percent,
        verdicts=tuple(CHOICES["item"]),
        may_judge=may_judge and run.signed_by is None,
        signed_by=run.signed_by,
        signed_at=run.signed_at,
        others=(),
        origin=run.origin_id,
        origin_at=None if run.origin_tick is None else run.origin_tick / 100,
        mode=run.mode,
        variant=run.variant,
        lesson_id=run.lesson_id,
        exercise_id=run.exercise.exercise_id,
        trainee_id=run.trainee_id,
        instructor=run.instructor.name,
        acts=(),
        may_practise=False,
        voided=phrase("{by}, {at:%-d %B %Y}: {why}", by=run.voided_by, at=run.voided_at, why=run.void_reason)
        if run.voided_at
        else None,
        archived=run.archived,
        drill_id=run.drill_id,
    )


def _once(gates: Sequence[Gate]) -> Iterator[Gate]:
    """Gates that say the same thing, as one that says how often."""
    for says, times in Counter(gate.says for gate in gates).items():
        gate = next(gate for gate in gates if gate.says == says)
        yield (
            gate
            if times == 1
            else gate.model_copy(update={"says": phrase("{gate:bare}, {times} times.", gate=says, times=times)})
        )


def _worst(ledger: Ledger) -> tuple[Lost, ...]:
    """The losses that are worth a word, longest first; the rest as one line, so that they add up."""
    if ledger.time is None:
        return ()
    ranked = sorted(ledger.time.lost, key=lambda lost: -lost.seconds)
    shown, rest = ranked[:LOSSES_SHOWN], ranked[LOSSES_SHOWN:]
    # Small pieces as one line, so that the column still adds up to the whole.
    left = sum(lost.seconds for lost in rest)
    return (
        (
            *shown,
            Lost(seconds=left, says=phrase("{left} in {count} smaller pieces.", left=lasting(left), count=len(rest))),
        )
        if rest
        else tuple(shown)
    )


def _reason(ledger: Ledger, mark: float) -> str:
    if ledger.ending is not None:
        return ledger.ending
    match ledger.outcome:
        case "pass":
            return phrase("At or over the pass mark of {mark:g} %, and nothing stands against it.", mark=mark)
        case "held":
            return phrase(
                "{percent:g} % is over the pass mark of {mark:g} %; what stands beside it decides.",
                percent=ledger.percent,
                mark=mark,
            )
        case "fail":
            return phrase("The pass mark is {mark:g} %.", mark=mark)
        case _:
            return phrase("The exercise was not brought to its end.")
