"""An exercise's brief: what it is, how it begins, and who is to fly it."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.validity import Validity
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Paper
from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.records.approvals import Approval, approval_of, refuse_unapproved, waits_for_approval
from lumenstat.records.exercises import current_exercise
from lumenstat.records.lessons import start_single
from lumenstat.records.people import trainees
from lumenstat.systems.registry import fault_words, start_lines
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, RowId, row_of

router = APIRouter()


class BriefLine(Context):
    """One item as the card prints it."""

    number: int
    challenge: str
    response: str
    critical: bool
    caution: str | None


class BriefSection(Context):
    """One section of the card."""

    title: str
    order: str
    lines: tuple[BriefLine, ...]


class StartLine(Context):
    """Something about how the aircraft is found."""

    name: str
    value: str


class Choice(Context):
    """A trainee to start it for."""

    id: int
    name: str


class BriefContext(Context):
    """An exercise's brief."""

    template: ClassVar[str] = "brief.html"
    tab: ClassVar[str] = "exercises"
    id: str
    title: str
    brief: str
    airframe: str
    family: str
    summary: str
    cautions: tuple[str, ...]
    start: tuple[StartLine, ...]
    papers: tuple[Paper, ...]
    sections: tuple[BriefSection, ...]
    trainees: tuple[Choice, ...]
    pass_mark: float
    minutes: float
    trainee: int | None
    valid: tuple[StartLine, ...]
    approval: str
    waits: bool
    may_approve: bool
    unchecked: bool
    """Whether what it is valid for is still being found out."""


@router.get("/exercises/{exercise_id}", name="brief")
def show(
    request: Request, exercise_id: str, viewer: Instructor, trainee: Annotated[str, Query(max_length=20)] = ""
) -> Response:
    """The brief; `trainee` is chosen beforehand where it is given."""
    database = request.app.state.database
    # Who may fly it assessed goes by the version, so it is read once and all else is asked about that one.
    version = database.read(lambda session: current_exercise(session, exercise_id))
    bundle = version.bundle
    found = request.app.state.facts.ask(bundle)
    approval: Approval | None = database.read(lambda session: approval_of(session, version.digest))
    waits = database.read(lambda session: waits_for_approval(session, version))
    # After the questions about the version: words in another language are not part of its digest.
    bundle = bundle.told_in(viewer.language)
    exercise, airframe = bundle.exercise, bundle.airframe
    return page(
        request,
        BriefContext(
            id=exercise.id,
            title=exercise.title if viewer.is_instructor else exercise.shown,
            brief=exercise.brief,
            airframe=airframe.name,
            family=airframe.family,
            summary=airframe.summary,
            cautions=airframe.cautions,
            start=tuple(_start_lines(bundle)),
            papers=exercise.handed_out,
            sections=tuple(_sections(bundle)),
            trainees=tuple(Choice(id=p.id, name=p.name) for p in database.read(trainees)),
            pass_mark=exercise.pass_mark,
            minutes=exercise.minutes_at_most,
            trainee=row_of(trainee),
            valid=tuple(_valid_lines(found)) if found is not None else (),
            unchecked=found is None,
            approval=_approval(approval) if approval is not None else "",
            waits=waits,
            may_approve=waits and version.published_by_id != viewer.id,
        ),
    )


def _approval(approval: Approval) -> str:
    by, at, says = approval.by, approval.at, approval.says
    return phrase("{by}, {at:%-d %B %Y}: {says}", by=by, at=at, says=says)


def _valid_lines(found: Validity) -> list[StartLine]:
    # None is found for an exercise that the model itself does not pass, which an author has to see at once.
    """What the model could fly it at, beside how it begins."""
    if found.celsius is None:
        return [StartLine(name=phrase("Valid for"), value=phrase("nothing: the model's own flight does not pass"))]
    coldest, hottest = found.celsius
    lines = [StartLine(name=phrase("Outside"), value=phrase("{low} to {high} °C", low=coldest, high=hottest))]
    if found.charge is not None:
        lines.append(
            StartLine(
                name=phrase("Battery charge"),
                value=phrase("{low} to {high} %", low=found.charge[0], high=found.charge[1]),
            )
        )
    lines.append(StartLine(name=phrase("The model needs"), value=clock(found.needed_seconds)))
    return lines


@router.post("/exercises/{exercise_id}/start", name="start_run", dependencies=[CheckedForm])
def start(request: Request, exercise_id: str, viewer: Instructor, trainee: RowId) -> Response:
    """Start the exercise for a trainee; it waits at their station until they do something."""
    database = request.app.state.database
    version = database.read(lambda session: current_exercise(session, exercise_id))
    database.read(lambda session: refuse_unapproved(session, version))
    run_id = database.write(lambda s: start_single(s, version.digest, trainee, viewer.id, ENGINE_VERSION))
    return RedirectResponse(urls.station(run_id), 303)


def _start_lines(bundle: Bundle) -> list[StartLine]:
    start, airframe = bundle.exercise.start, bundle.airframe
    lines = [
        StartLine(name=phrase("Outside"), value=f"{start.outside_celsius:g} °C"),
        StartLine(name=phrase("Unpowered for"), value=f"{start.hours_unpowered:g} h"),
        StartLine(
            name=phrase("First flight of the day"), value=phrase("yes") if start.first_flight_of_day else phrase("no")
        ),
    ]
    lines += [StartLine(name=name, value=value) for name, value in start_lines(start, airframe)]
    for known in start.out_of_service:
        lines.append(StartLine(name=phrase("Out of service"), value=known.says))
    for fault in bundle.exercise.faults:
        when = (
            phrase("at {at:g} s", at=fault.at)
            if fault.at is not None
            else phrase("when {condition}", condition=fault.when)
            if fault.when
            else phrase("by hand")
        )
        what = fault_words(airframe, fault.kind, fault.target)
        lines.append(
            StartLine(
                name=phrase("Fault"),
                value=phrase("{what}, {when}", what=what, when=when),
            )
        )
    return lines


def _sections(bundle: Bundle) -> list[BriefSection]:
    # Numbered through all checklists, as on the station and in the debrief.
    sections, number = [], 0
    for checklist in bundle.checklists:
        for section in checklist.sections:
            lines = []
            for item in section.items:
                number += 1
                lines.append(
                    BriefLine(
                        number=number,
                        challenge=item.challenge,
                        response=item.response,
                        critical=item.critical,
                        caution=item.caution,
                    )
                )
            sections.append(BriefSection(title=section.title, order=section.order, lines=tuple(lines)))
    return sections
