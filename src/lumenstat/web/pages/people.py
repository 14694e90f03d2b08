"""People: a list that can be searched, one person, slips with first passwords or links."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Form, HTTPException, Query, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, Overtaken, RecordError
from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import phrase
from lumenstat.records.groups import add_members, get_group, group_names, groups, groups_of
from lumenstat.records.invitations import invite
from lumenstat.records.lists import PEOPLE_SORTS, Found, PeopleFilter, find_people
from lumenstat.records.people import (
    ROLE_WORDS,
    PersonChange,
    add_person,
    change_person,
    first_password,
    free_sign_in_name,
    get_person,
    set_password,
)
from lumenstat.records.sign_ins import sign_out_everywhere
from lumenstat.records.tables import Person
from lumenstat.web import urls
from lumenstat.web.pages.choices import GroupChoice
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Edition, Instructor, Row, RowInPath, Viewer, row_of

router = APIRouter()

SlipKind = Literal["password", "link"]
MOST_SLIPS = 200


class PersonRow(Context):
    """One person in the list."""

    id: int
    name: str
    sign_in_name: str
    role: str
    groups: tuple[str, ...]
    active: bool
    waits: bool
    may_change: bool


class PeopleContext(Context):
    """A page of people, how it was chosen, and the form for one more."""

    template: ClassVar[str] = "people.html"
    tab: ClassVar[str] = "people"
    rows: tuple[PersonRow, ...]
    total: int
    number: int
    pages: int
    wanted: PeopleFilter
    groups: tuple[GroupChoice, ...]
    roles: tuple[tuple[str, str], ...]
    sorts: tuple[str, ...]
    form: FormState
    said: str


class PersonContext(Context):
    """One person, to be changed."""

    template: ClassVar[str] = "person.html"
    tab: ClassVar[str] = "people"
    id: int
    name: str
    sign_in_name: str
    role: str
    role_words: str
    active: bool
    edition: int
    groups: tuple[GroupChoice, ...]
    roles: tuple[tuple[str, str], ...]
    may_change: bool
    may_erase: bool
    erased: datetime | None
    own: bool
    form: FormState


class Slip(Context):
    """What somebody is handed to sign in with."""

    name: str
    sign_in_name: str
    password: str | None
    link: str | None


class SlipsContext(Context):
    """Slips to be printed; they are shown once."""

    template: ClassVar[str] = "slips.html"
    tab: ClassVar[str] = "people"
    school: str
    address: str
    slips: tuple[Slip, ...]


def roles_for(viewer: Viewer) -> tuple[tuple[str, str], ...]:
    """The roles that somebody may give to others."""
    return tuple((role, words) for role, words in ROLE_WORDS.items() if viewer.is_head or role == "trainee")


def may_change(viewer: Viewer, person: Person) -> bool:
    """An instructor changes trainees; a head of training everybody."""
    return viewer.is_head or person.role == "trainee"


def _refuse_others(viewer: Viewer, person: Person) -> None:
    if not may_change(viewer, person):
        raise HTTPException(403, phrase("Only a head of training changes instructors."))


def _group_choices(session: Session) -> tuple[GroupChoice, ...]:
    return tuple(GroupChoice(id=each.id, name=each.name) for each in groups(session))


# ---- the list --------------------------------------------------------------------------------------------------------


@router.get("/people", name="people")
def show(
    request: Request,
    viewer: Instructor,
    q: Annotated[str, Query(max_length=80)] = "",
    role: Annotated[str, Query(max_length=12)] = "",
    group: Annotated[str, Query(max_length=20)] = "",
    active: Literal["yes", "no", "all"] = "yes",
    sort: Annotated[str, Query(max_length=12)] = "name",
    page_: Annotated[int, Query(alias="page", ge=1, le=100_000)] = 1,
) -> Response:
    """A page of people."""
    number = row_of(group)
    wanted = PeopleFilter(words=q, role=role, group=number, active=active, sort=sort, page=page_)
    return page(request, _list(request, viewer, wanted))


def _list(
    request: Request, viewer: Viewer, wanted: PeopleFilter, form: FormState | None = None, said: str = ""
) -> PeopleContext:
    def read(session: Session) -> tuple[Found[Person], dict[int, list[str]], tuple[GroupChoice, ...]]:
        found = find_people(session, wanted)
        return found, group_names(session, [each.id for each in found.rows]), _group_choices(session)

    found, names, choices = request.app.state.database.read(read)
    return PeopleContext(
        rows=tuple(_rows(viewer, found.rows, names)),
        total=found.total,
        number=found.page,
        pages=found.pages,
        wanted=wanted,
        groups=choices,
        roles=roles_for(viewer),
        sorts=tuple(PEOPLE_SORTS),
        form=form or FormState(),
        said=said,
    )


def _rows(viewer: Viewer, people: Sequence[Person], names: dict[int, list[str]]) -> Iterator[PersonRow]:
    for person in people:
        yield PersonRow(
            id=person.id,
            name=person.name,
            sign_in_name=person.sign_in_name,
            role=ROLE_WORDS[person.role],
            groups=tuple(names.get(person.id, ())),
            active=person.active,
            waits=person.must_change,
            may_change=may_change(viewer, person),
        )


@router.get("/people.{kind}", name="people_file")
def people_file(request: Request, kind: Literal["csv", "xlsx"], viewer: Instructor) -> Response:
    """Everybody, as a table; no passwords."""

    def read(session: Session) -> list[list[Cell]]:
        rows: list[list[Cell]] = []
        number = pages = 1
        while number <= pages:
            found = find_people(session, PeopleFilter(active="all", page=number))
            names = group_names(session, [person.id for person in found.rows])
            # A page at a time: a school of thousands is not held in memory as objects at once.
            for person in found.rows:
                active = "yes" if person.active else "no"
                groups_of_one = ", ".join(names.get(person.id, ()))
                rows.append([person.name, person.sign_in_name, ROLE_WORDS[person.role], groups_of_one, active])
            number, pages = number + 1, found.pages
        return rows

    heads = ("Name", "Sign-in name", "Role", "Groups", "May sign in")
    return table_file("people", heads, request.app.state.database.read(read), kind)


@router.post("/people", name="add_person", dependencies=[CheckedForm])
def add(
    request: Request,
    viewer: Instructor,
    name: Annotated[str, Form()] = "",
    sign_in_name: Annotated[str, Form()] = "",
    role: Annotated[str, Form()] = "trainee",
    group: Annotated[str, Form()] = "",
) -> Response:
    """Add one person and show the slip to hand them."""
    typed = {"name": name, "sign_in_name": sign_in_name, "role": role, "group": group}
    password = first_password()

    def write(session: Session) -> Person:
        if role not in dict(roles_for(viewer)):
            raise EntryRefused(phrase("Only a head of training adds instructors."), "role")
        # Nobody has to think of a sign-in name for a trainee.
        chosen = sign_in_name.strip() or free_sign_in_name(session, name)
        person = add_person(session, name, chosen, role, password, must_change=True)
        if (chosen_group := row_of(group)) is not None:
            add_members(session, get_group(session, chosen_group).id, [person.id])
        return person

    try:
        person = request.app.state.database.write(write)
    except EntryRefused as error:
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _list(request, viewer, PeopleFilter(), form), 422)
    slip = Slip(name=person.name, sign_in_name=person.sign_in_name, password=password, link=None)
    return slips_page(request, [slip])


# ---- slips -----------------------------------------------------------------------------------------------------------


def slips_page(request: Request, slips: Sequence[Slip]) -> Response:
    """Slips, once; nothing of what is on them is kept as it is."""
    school = request.app.state.settings.school or "Lumenstat"
    return page(request, SlipsContext(school=school, address=address_of(request), slips=tuple(slips)))


def address_of(request: Request) -> str:
    """Where this server is reached, as it is printed."""
    scheme = "https" if request.app.state.settings.tls else request.url.scheme
    return f"{scheme}://{request.headers.get('host', request.url.netloc)}"


@router.post("/people/slips", name="print_slips", dependencies=[CheckedForm])
def print_slips(
    request: Request,
    viewer: Instructor,
    people: Annotated[list[Row] | None, Form()] = None,
    kind: Annotated[SlipKind, Form()] = "password",
) -> Response:
    """New first passwords, or links, for the people chosen; their sign-ins end."""
    chosen = people or []
    if not chosen:
        raise EntryRefused(phrase("Choose the people whose slips are to be printed."), "people")
    # Each password is hashed, on purpose slowly.
    if len(chosen) > MOST_SLIPS:
        raise EntryRefused(phrase("At most {most_slips} slips are printed at once.", most_slips=MOST_SLIPS), "people")

    def write(session: Session) -> list[Slip]:
        return [_slip(request, session, viewer, each, kind) for each in chosen]

    slips = request.app.state.database.write(write)
    request.app.state.sign_outs += 1
    return slips_page(request, slips)


def _slip(request: Request, session: Session, viewer: Viewer, person_id: int, kind: SlipKind) -> Slip:
    person = get_person(session, person_id)
    _refuse_others(viewer, person)
    if not person.active:
        raise RecordError(phrase("{person} may not sign in; let them first.", person=person.name))
    # A slip is printed because the old way in is lost, or known to somebody else.
    sign_out_everywhere(session, person.id)
    if kind == "link":
        link = f"{address_of(request)}{urls.welcome(invite(session, person.id))}"
        return Slip(name=person.name, sign_in_name=person.sign_in_name, password=None, link=link)
    password = first_password()
    set_password(session, person.id, password, must_change=True)
    return Slip(name=person.name, sign_in_name=person.sign_in_name, password=password, link=None)


# ---- one person ------------------------------------------------------------------------------------------------------


@router.get("/people/{person_id}", name="person")
def show_one(request: Request, person_id: RowInPath, viewer: Instructor) -> Response:
    """One person."""
    return page(request, _person(request, viewer, person_id))


def _person(request: Request, viewer: Viewer, person_id: int, form: FormState | None = None) -> PersonContext:
    database = request.app.state.database
    person = database.read(lambda session: get_person(session, person_id))
    stands_in = database.read(lambda session: groups_of(session, person_id))
    return PersonContext(
        id=person.id,
        name=person.name,
        sign_in_name=person.sign_in_name,
        role=person.role,
        role_words=ROLE_WORDS[person.role],
        active=person.active,
        edition=person.edition,
        groups=tuple(GroupChoice(id=each.id, name=each.name) for each in stands_in),
        roles=roles_for(viewer),
        may_change=may_change(viewer, person) and person.erased_at is None,
        may_erase=viewer.is_head and person.role == "trainee" and person.erased_at is None,
        erased=person.erased_at,
        own=person.id == viewer.id,
        form=form or FormState(),
    )


@router.post("/people/{person_id}", name="change_person", dependencies=[CheckedForm])
def change(
    request: Request,
    person_id: RowInPath,
    viewer: Instructor,
    edition: Edition,
    name: Annotated[str, Form()] = "",
    sign_in_name: Annotated[str, Form()] = "",
    role: Annotated[str, Form()] = "trainee",
    active: Annotated[str, Form()] = "",
) -> Response:
    """Change a person; somebody who may not sign in any more is signed out everywhere."""
    wanted = PersonChange(edition, name, sign_in_name, role, active == "yes")

    def write(session: Session) -> None:
        person = get_person(session, person_id)
        _refuse_others(viewer, person)
        if role not in dict(roles_for(viewer)):
            raise EntryRefused(phrase("Only a head of training makes somebody an instructor."), "role")
        changed = change_person(session, person_id, wanted)
        # At once, not at the end of their session.
        if not changed.active:
            sign_out_everywhere(session, person_id)

    try:
        request.app.state.database.write(write)
    except (EntryRefused, Overtaken) as error:
        typed = {"name": name, "sign_in_name": sign_in_name, "role": role, "active": active}
        form = FormState(typed=typed, wrong={getattr(error, "field", ""): str(error)})
        return page(request, _person(request, viewer, person_id, form), 409 if isinstance(error, Overtaken) else 422)
    request.app.state.sign_outs += 1
    return RedirectResponse(urls.person(str(person_id)), 303)
