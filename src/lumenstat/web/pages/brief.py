"""An exercise's brief: what it is, how it begins, and who is to fly it."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Paper
from lumenstat.records.exercises import current_exercise
from lumenstat.records.people import trainees
from lumenstat.records.runs import create_run
from lumenstat.systems.registry import start_lines
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, RowId

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


@router.get("/exercises/{exercise_id}", name="brief")
def show(request: Request, exercise_id: str, viewer: Instructor) -> Response:
    """The brief."""
    database = request.app.state.database
    version = database.read(lambda session: current_exercise(session, exercise_id))
    bundle = version.bundle
    exercise, airframe = bundle.exercise, bundle.airframe
    return page(
        request,
        BriefContext(
            id=exercise.id,
            title=exercise.title,
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
        ),
    )


@router.post("/exercises/{exercise_id}/start", name="start_run", dependencies=[CheckedForm])
def start(request: Request, exercise_id: str, viewer: Instructor, trainee: RowId) -> Response:
    """Start the exercise for a trainee; it waits at their station until they do something."""
    database = request.app.state.database
    version = database.read(lambda session: current_exercise(session, exercise_id))
    run_id = database.write(lambda session: create_run(session, version.digest, trainee, viewer.id, ENGINE_VERSION).id)
    return RedirectResponse(urls.station(run_id), 303)


def _start_lines(bundle: Bundle) -> list[StartLine]:
    start, airframe = bundle.exercise.start, bundle.airframe
    lines = [
        StartLine(name="Outside", value=f"{start.outside_celsius:g} °C"),
        StartLine(name="Unpowered for", value=f"{start.hours_unpowered:g} h"),
        StartLine(name="First flight of the day", value="yes" if start.first_flight_of_day else "no"),
    ]
    lines += [StartLine(name=name, value=value) for name, value in start_lines(start, airframe)]
    for known in start.out_of_service:
        lines.append(StartLine(name="Out of service", value=known.says))
    for fault in bundle.exercise.faults:
        when = f"at {fault.at:g} s" if fault.at is not None else f"when {fault.when}" if fault.when else "by hand"
        lines.append(StartLine(name="Fault", value=f"{fault.kind.replace('_', ' ')}, {fault.target}, {when}"))
    return lines


def _sections(bundle: Bundle) -> list[BriefSection]:
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
