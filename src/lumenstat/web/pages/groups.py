"""Groups: who stands in them, who is in charge, what they may practise."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, Overtaken
from lumenstat.exchange.list_files import Cell
from lumenstat.language.code_words import code_words
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import current_exercises
from lumenstat.records.groups import (
    GroupChange,
    add_group,
    change_group,
    get_group,
    groups,
    member_counts,
    members_of,
    opened_to,
    set_opened,
)
from lumenstat.records.people import instructors, trainees
from lumenstat.records.tables import Group
from lumenstat.web import urls
from lumenstat.web.pages.choices import Chosen
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Edition, Instructor, Row, RowInPath, row_of

router = APIRouter()


class GroupRow(Context):
    """One group in the list."""

    id: int
    name: str
    instructor: str
    members: int
    archived: bool
    mine: bool


class GroupsContext(Context):
    """All groups, and the form for one more."""

    template: ClassVar[str] = "groups.html"
    tab: ClassVar[str] = "people"
    groups: tuple[GroupRow, ...]
    instructors: tuple[Chosen, ...]
    form: FormState


class GroupContext(Context):
    """One group, to be changed."""

    template: ClassVar[str] = "group.html"
    tab: ClassVar[str] = "people"
    id: int
    name: str
    archived: bool
    edition: int
    instructors: tuple[Chosen, ...]
    people: tuple[Chosen, ...]
    exercises: tuple[Chosen, ...]
    member_count: int
    form: FormState


@router.get("/groups", name="groups")
def show(request: Request, viewer: Instructor) -> Response:
    """All groups."""
    return page(request, _groups(request, viewer.id))


def _groups(request: Request, viewer_id: int, form: FormState | None = None) -> GroupsContext:
    def read(session: Session) -> GroupsContext:
        counts = member_counts(session)
        rows = [
            GroupRow(
                id=each.id,
                name=each.name,
                instructor=each.instructor.name,
                members=counts.get(each.id, 0),
                archived=each.archived,
                mine=each.instructor_id == viewer_id,
            )
            for each in groups(session, archived=True)
        ]
        # One's own first, and what was put away last, since nobody looks for it.
        rows.sort(key=lambda row: (row.archived, not row.mine, row.name))
        return GroupsContext(groups=tuple(rows), instructors=_instructors(session, viewer_id), form=form or FormState())

    context: GroupsContext = request.app.state.database.read(read)
    return context


def _instructors(session: Session, chosen: int) -> tuple[Chosen, ...]:
    return tuple(Chosen(id=str(each.id), name=each.name, ticked=each.id == chosen) for each in instructors(session))


@router.get("/groups.{kind}", name="groups_file")
def groups_file(request: Request, kind: Literal["csv", "xlsx"], viewer: Instructor) -> Response:
    """Every group with who stands in it, as a table."""

    def read(session: Session) -> list[list[Cell]]:
        return [
            [group.name, group.instructor.name, person.name, "yes" if group.archived else "no"]
            for group in groups(session, archived=True)
            for person in members_of(session, group.id)
        ]

    heads = ("Group", "In charge", "Trainee", "Put away")
    return table_file("groups", heads, request.app.state.database.read(read), kind)


@router.post("/groups", name="add_group", dependencies=[CheckedForm])
def add(
    request: Request, viewer: Instructor, name: Annotated[str, Form()] = "", instructor: Annotated[str, Form()] = ""
) -> Response:
    """A new group."""
    charge = row_of(instructor) or viewer.id
    try:
        made = request.app.state.database.write(lambda session: add_group(session, name, charge).id)
    except EntryRefused as error:
        form = FormState(typed={"name": name}, wrong={error.field: str(error)})
        return page(request, _groups(request, viewer.id, form), 422)
    return RedirectResponse(urls.group(str(made)), 303)


@router.get("/groups/{group_id}", name="group")
def show_one(request: Request, group_id: RowInPath, viewer: Instructor) -> Response:
    """One group."""
    return page(request, _group(request, group_id))


def _group(request: Request, group_id: int, form: FormState | None = None) -> GroupContext:
    def read(session: Session) -> GroupContext:
        group: Group = get_group(session, group_id)
        members = {each.id for each in members_of(session, group_id)}
        opened = set(opened_to(session, group_id))
        people = [Chosen(id=str(p.id), name=p.name, ticked=p.id in members) for p in trainees(session)]
        exercises = [
            Chosen(
                id=v.exercise_id,
                name=v.named,
                ticked=v.exercise_id in opened,
                beside=phrase(
                    "{airframe}, {assist}", airframe=v.bundle.airframe.name, assist=code_words(v.bundle.exercise.assist)
                ),
            )
            for v in current_exercises(session)
        ]
        return GroupContext(
            id=group.id,
            name=group.name,
            archived=group.archived,
            edition=group.edition,
            instructors=_instructors(session, group.instructor_id),
            # Members first: they are who is looked for and unticked.
            people=tuple(sorted(people, key=lambda each: (not each.ticked, each.name))),
            exercises=tuple(exercises),
            member_count=len(members),
            form=form or FormState(),
        )

    context: GroupContext = request.app.state.database.read(read)
    return context


@router.post("/groups/{group_id}", name="change_group", dependencies=[CheckedForm])
def change(
    request: Request,
    group_id: RowInPath,
    viewer: Instructor,
    edition: Edition,
    name: Annotated[str, Form()] = "",
    instructor: Annotated[str, Form()] = "",
    members: Annotated[list[Row] | None, Form()] = None,
    archived: Annotated[str, Form()] = "",
) -> Response:
    """Change a group."""
    charge = row_of(instructor) or viewer.id
    wanted = GroupChange(edition, name, charge, tuple(members or ()), archived == "yes")
    try:
        request.app.state.database.write(lambda session: change_group(session, group_id, wanted))
    except (EntryRefused, Overtaken) as error:
        form = FormState(typed={"name": name}, wrong={getattr(error, "field", ""): str(error)})
        return page(request, _group(request, group_id, form), 409 if isinstance(error, Overtaken) else 422)
    return RedirectResponse(urls.group(str(group_id)), 303)


@router.post("/groups/{group_id}/opened", name="open_exercises", dependencies=[CheckedForm])
def open_exercises(
    request: Request, group_id: RowInPath, viewer: Instructor, exercises: Annotated[list[str] | None, Form()] = None
) -> Response:
    """Choose what the group may practise."""

    def write(session: Session) -> None:
        set_opened(session, get_group(session, group_id).id, exercises or (), viewer.name)

    request.app.state.database.write(write)
    return RedirectResponse(f"{urls.group(str(group_id))}#opened", 303)
