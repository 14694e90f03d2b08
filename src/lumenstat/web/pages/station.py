"""The trainee's station; an instructor sees the same deck and may end the exercise."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Paper
from lumenstat.items.registry import Item
from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.records.lessons import station_rows, trainee_acted
from lumenstat.records.people import get_person, instructors
from lumenstat.records.preferences import Preferences, preferences_of
from lumenstat.records.runs import find_run
from lumenstat.records.tables import Run
from lumenstat.runs.clock import RATES
from lumenstat.systems.panel.part import Control, Lamp, Panel
from lumenstat.web import urls
from lumenstat.web.drawing.riser import Riser, lay_out, quantities_of_riser
from lumenstat.web.pages.choices import Chosen, FaultChoice, fault_choices
from lumenstat.web.pages.runs import may_see
from lumenstat.web.pages.station_keys import ShownKey, letters_left, shown_keys
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SignedIn

router = APIRouter()

FIRST_PAGE = phrase("Power and systems")
USUAL = Preferences()


class CardItem(Context):
    """One item on the card, with the controls that it is about."""

    number: int
    item: Item
    section: int
    controls: tuple[Control, ...]
    parts: tuple[str, ...]
    line: bool
    in_flow: bool


class CardSection(Context):
    """One section of the card."""

    number: int
    id: str
    title: str
    flow: bool
    items: tuple[CardItem, ...]


class Zone(Context):
    """A panel on the deck: in which row, over which columns, and what it carries."""

    panel: Panel
    bus_name: str
    permitted_min: float
    permitted_max: float
    column: int
    row: int
    span: int


class DeckPage(Context):
    """Zones that are seen together."""

    number: int
    name: str
    zones: tuple[Zone, ...]


class ServiceButton(Context):
    """Something that can be asked of the ground crew, with the key for it."""

    service: str
    service_name: str
    action: str
    action_name: str
    possible_when: tuple[str, ...]
    key: str
    takes_away: bool
    """Whether something goes away with it; its key then has to be pressed twice."""


class OtherStation(Context):
    """Another station of the same lesson."""

    run_id: str
    number: int
    trainee: str


class DeskSide(Context):
    """What an instructor has beside the station: the lesson around it, faults, states, other instructors."""

    lesson_id: str | None
    code: str | None
    neighbours: tuple[OtherStation, ...]
    faults: tuple[FaultChoice, ...]
    states: tuple[tuple[str, str], ...]
    instructors: tuple[Chosen, ...]
    may_take_back: bool


class StationContext(Context):
    """Everything the station is drawn from; what changes comes over the socket."""

    template: ClassVar[str] = "station.html"
    run_id: str
    title: str
    airframe: str
    place: str
    trainee: str
    may_fly: bool
    desk: DeskSide | None
    assist: str
    rates: tuple[int, ...]
    time_lapse: str
    sections: tuple[CardSection, ...]
    count: int
    deck: tuple[DeckPage, ...]
    instruments: tuple[tuple[str, str], ...]
    """Every instrument by its id, with its name and its zone."""
    lamps: tuple[Lamp, ...]
    riser: Riser | None
    """None where the trainee is not to see it while flying."""
    large_riser: Riser | None
    services: tuple[ServiceButton, ...]
    papers: tuple[Paper, ...]
    cautions: tuple[str, ...]
    brief: str
    keys: tuple[ShownKey, ...]
    single_keys: bool
    announces_lamps: bool
    by_doing: bool
    reading_choices: bool
    """Whether it is a draft's flight: what is called out there becomes items."""
    drill: str = ""
    """Of a moment of a drill: which one it is, in words."""


@router.get("/runs/{run_id}/station", name="station")
def show(request: Request, run_id: str, viewer: SignedIn) -> Response:
    """The station of a run, or its debrief once it has ended."""
    run: Run = request.app.state.database.read(lambda session: find_run(session, run_id))
    may_see(viewer, run)
    if run.state == "ended":
        return RedirectResponse(urls.debrief(run_id), 303)
    bundle = run.exercise.bundle.told_in(viewer.language)
    # An instructor who opens a station watches it, also one that they started.
    may_fly = viewer.id == run.trainee_id
    desk = request.app.state.database.read(lambda session: _desk_side(session, run, bundle)) if not may_fly else None
    wants = request.app.state.database.read(lambda session: preferences_of(get_person(session, viewer.id)))
    names = run.exercise.bundle.names_in(viewer.language)
    context = station_context(run, bundle, may_fly, desk, wants)
    return page(request, context.model_copy(update={"document_names": names}))


def _desk_side(session: Session, run: Run, bundle: Bundle) -> DeskSide:
    rows = station_rows(session, run.lesson_id) if run.lesson_id else []
    states = [q for q in bundle.airframe.quantities.values() if q.kind == "truth"]
    return DeskSide(
        lesson_id=run.lesson_id,
        code=run.join_code,
        neighbours=tuple(OtherStation(run_id=r.run_id, number=r.station, trainee=r.trainee) for r in rows),
        faults=tuple(fault_choices(bundle.airframe)),
        # Lamps and instruments are on the deck already.
        states=tuple((q.name, q.meaning) for q in states if not q.name.startswith(("lamp.", "instrument."))),
        instructors=tuple(
            Chosen(id=str(each.id), name=each.name, ticked=False)
            for each in instructors(session)
            if each.id != run.instructor_id
        ),
        may_take_back=not trainee_acted(session, run.id),
    )


def station_context(
    run: Run, bundle: Bundle, may_fly: bool, desk: DeskSide | None = None, wants: Preferences = USUAL
) -> StationContext:
    """The station of a run, with the keys that its viewer wants."""
    airframe, exercise = bundle.airframe, bundle.exercise
    sections = tuple(_sections(bundle))
    # Whoever watches sees the riser in any case.
    shows_riser = exercise.riser_while_flown or not may_fly
    return StationContext(
        run_id=run.id,
        title=exercise.shown if may_fly else exercise.title,
        airframe=airframe.name,
        place=exercise.start.place.name,
        trainee=run.trainee.name,
        may_fly=may_fly,
        desk=desk,
        assist=exercise.assist,
        rates=RATES,
        time_lapse=exercise.time_lapse,
        sections=sections,
        count=sum(len(section.items) for section in sections),
        deck=deck_of(airframe),
        instruments=tuple((i.id, f"{i.name}, {panel.name}") for panel in airframe.panels for i in panel.instruments),
        lamps=tuple(airframe.lamps.values()),
        riser=lay_out(airframe) if shows_riser else None,
        large_riser=lay_out(airframe, "large") if shows_riser else None,
        services=tuple(services_of(airframe, letters_left(wants))),
        papers=exercise.handed_out,
        cautions=airframe.cautions,
        brief=exercise.brief,
        keys=tuple(shown_keys(wants, _there(bundle, shows_riser))),
        single_keys=wants.single_keys,
        announces_lamps=wants.announces_lamps,
        by_doing=run.draft_id is not None,
        reading_choices=exercise.reading_choices,
        drill=_drill_words(run, bundle),
    )


def _there(bundle: Bundle, shows_riser: bool) -> frozenset[str]:
    """What the page of a bundle has that keys are about."""
    pages = {panel.page for panel in bundle.airframe.panels}
    assist = bundle.exercise.assist
    found = {
        "pages": len(pages) > 1,
        "riser": shows_riser,
        "guided": assist == "guided",
        "taught": assist != "examined",
    }
    return frozenset(name for name, there in found.items() if there)


def _drill_words(run: Run, bundle: Bundle) -> str:
    if run.drill_item is None:
        return ""
    item = bundle.procedure.by_id[run.drill_item].item
    return phrase(
        "Drill, moment {station}: {challenge}, {response}",
        station=run.station,
        challenge=item.challenge,
        response=item.response,
    )


def shown_quantities(bundle: Bundle, flies: bool = False) -> tuple[str, ...]:
    """The quantities that stand on a run's page, on deck, riser and card: what is sent to its viewers.

    Whoever `flies` it sees the riser only where the exercise shows it; else, of buses, whether their zones are lit.
    """
    airframe, exercise = bundle.airframe, bundle.exercise
    names = [naming.control(name) for name in airframe.controls]
    names += [naming.guard(c.id) for c in airframe.controls.values() if c.kind == "guarded-toggle"]
    names += [naming.reads(name) for name in airframe.instruments]
    names += [naming.lamp(name) for name in airframe.lamps]
    for service in airframe.services:
        names += [naming.service(service.id), naming.service_busy(service.id)]
    # What is not shown is not sent either: whoever looks into the frames of an examined run learns nothing.
    if exercise.riser_while_flown or not flies:
        names += quantities_of_riser(lay_out(airframe))
    names += [naming.bus_alive(panel.bus) for panel in airframe.panels]
    items = [step.item for step in bundle.procedure.steps]
    if exercise.assist != "examined" or not flies:
        names += [name for item in items for name in item.shows]
    # A battery's inner state is for the judge; its voltmeter is an instrument.
    return tuple(name for name in dict.fromkeys(names) if not name.startswith("battery."))


def deck_of(airframe: Airframe) -> tuple[DeckPage, ...]:
    """The zones of an airframe, page by page."""
    zones = _zones(airframe)
    names = list(dict.fromkeys(zone.panel.page or FIRST_PAGE for zone in zones))
    return tuple(
        DeckPage(number=n, name=name, zones=tuple(z for z in zones if (z.panel.page or FIRST_PAGE) == name))
        for n, name in enumerate(names)
    )


def _zones(airframe: Airframe) -> tuple[Zone, ...]:
    buses = airframe.buses
    return tuple(
        Zone(
            panel=panel,
            bus_name=buses[panel.bus].name,
            permitted_min=buses[panel.bus].permitted.min,
            permitted_max=buses[panel.bus].permitted.max,
            column=panel.place[0] + 1,
            row=panel.place[1] + 1,
            span=panel.place[2],
        )
        for panel in airframe.panels
    )


def _sections(bundle: Bundle) -> list[CardSection]:
    procedure = bundle.procedure
    controls = bundle.airframe.controls
    return [
        CardSection(
            number=number + 1,
            id=section.id,
            title=section.title,
            flow=section.style == "flow-then-check" and bundle.exercise.assist != "guided",
            items=tuple(
                CardItem(
                    number=step.number + 1,
                    item=step.item,
                    section=number + 1,
                    parts=_parts(step.item),
                    line=section.line_after == step.item.id,
                    in_flow=section.style == "flow-then-check" and bundle.exercise.assist != "guided",
                    controls=tuple(controls[name] for name in step.item.all_controls),
                )
                for step in procedure.steps
                if step.section == number
            ),
        )
        for number, section in enumerate(procedure.sections)
    ]


def _parts(item: Item) -> tuple[str, ...]:
    """The parts of the deck that an item is about."""
    return tuple(name for kind, name in item.parts() if kind in ("control", "instrument"))


def services_of(airframe: Airframe, letters: Sequence[str] = ()) -> list[ServiceButton]:
    """Everything that can be asked of the ground crew, with a letter for each as long as there are letters."""
    pairs = [(service, action) for service in airframe.services for action in service.actions]
    return [
        ServiceButton(
            service=service.id,
            service_name=service.name,
            action=action.id,
            action_name=action.name,
            possible_when=action.possible_when,
            key=letters[n] if n < len(letters) else "",
            # What leaves the first state of a service behind is there; what brings it back takes it away.
            takes_away=action.leaves == service.states[0],
        )
        for n, (service, action) in enumerate(pairs)
    ]
