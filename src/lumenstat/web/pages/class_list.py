"""Takes in a class list, pasted or as a file: everybody at once, or nobody with every problem beside its line."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool

from lumenstat.errors import EntryRefused, InputRefused, WorkerError
from lumenstat.exchange.class_list import ClassList, add_listed, read_class_list
from lumenstat.language.foreign_tables import LARGEST_BYTES, TableRow
from lumenstat.language.wording import phrase, phrases
from lumenstat.records.groups import groups
from lumenstat.runs.reader_jobs import read_rows
from lumenstat.web.pages.choices import GroupChoice
from lumenstat.web.pages.people import Slip, roles_for, slips_page
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, Viewer

router = APIRouter()

READ_SECONDS = 20.0
TEMPLATE = "Name,Sign-in name,Group\r\nIrmgard Solano,,Autumn A\r\nPiet van Loon,piet,Autumn A\r\n"


class ListLine(Context):
    """One line of a list that could not be taken in, with what is wrong with it."""

    line: int
    cells: tuple[str, ...]
    says: str


class ClassListContext(Context):
    """The form for a list, and what was wrong with the last one."""

    template: ClassVar[str] = "class_list.html"
    tab: ClassVar[str] = "people"
    text: str = ""
    group: str = ""
    groups: tuple[GroupChoice, ...] = ()
    says: str | None = None
    lines: tuple[ListLine, ...] = ()
    wrong_count: int = 0


@router.get("/people/list", name="class_list")
def show(request: Request, viewer: Instructor, group: str = "") -> Response:
    """The form."""
    return page(request, _context(request, group=group))


@router.get("/people/list/template.csv", name="class_list_template")
def template(viewer: Instructor) -> Response:
    """A list to fill in."""
    headers = {"Content-Disposition": 'attachment; filename="class-list.csv"'}
    return Response(TEMPLATE, media_type="text/csv; charset=utf-8", headers=headers)


def _context(request: Request, **given: object) -> ClassListContext:
    choices = request.app.state.database.read(groups)
    return ClassListContext.model_validate(
        {"groups": tuple(GroupChoice(id=each.id, name=each.name) for each in choices)} | given
    )


@router.post("/people/list", dependencies=[CheckedForm])
async def take_in(
    request: Request,
    viewer: Instructor,
    text: Annotated[str, Form(max_length=40_000)] = "",
    group: Annotated[str, Form(max_length=80)] = "",
    file: Annotated[UploadFile | None, File()] = None,
) -> Response:
    """Add everybody on the list, and show their slips; with anything wrong nobody is added and all of it is said."""
    content = await file.read(LARGEST_BYTES + 1) if file is not None and file.filename else text.encode()
    return await run_in_threadpool(_take_in, request, viewer, content, group)


def _take_in(request: Request, viewer: Viewer, content: bytes, group: str) -> Response:
    try:
        # Read by another process, with a time limit: a table can be made to be read for ever.
        rows: list[TableRow] = request.app.state.reader.call(read_rows, content, seconds=READ_SECONDS)
    except (InputRefused, WorkerError) as error:
        return page(request, _context(request, says=f"{error}.", text=_as_text(content), group=group), 422)
    listed = read_class_list(rows)
    problems = [*listed.problems, *_not_theirs(viewer, listed)]
    # All or nobody: half a class taken in is harder to mend than none.
    if problems:
        return _with_problems(request, rows, problems, group)
    try:
        added = request.app.state.database.write(lambda session: add_listed(session, listed, group, viewer.id))
    except EntryRefused as error:
        return page(request, _context(request, says=str(error), text=_text_of(rows), group=group), 422)
    slips = [Slip(name=a.name, sign_in_name=a.sign_in_name, password=a.password, link=None) for a in added]
    return slips_page(request, slips)


def _not_theirs(viewer: Viewer, listed: ClassList) -> list[tuple[int, str]]:
    roles = dict(roles_for(viewer))
    says = phrase("Only a head of training adds instructors.")
    return [(each.line, says) for each in listed.people if each.role not in roles]


def _with_problems(request: Request, rows: list[TableRow], problems: list[tuple[int, str]], group: str) -> Response:
    says: dict[int, str] = {}
    # Several things can be wrong with one line, and all of them are told at once.
    for line, what in problems:
        says[line] = says[line] + " " + what if line in says else what
    lines = tuple(ListLine(line=row.line, cells=row.cells, says=says.get(row.line, "")) for row in rows)
    count = phrases(
        "{count} line cannot be taken in; nobody was added.",
        "{count} lines cannot be taken in; nobody was added.",
        len(says),
    )
    context = _context(request, says=count, lines=lines, wrong_count=len(says), text=_text_of(rows), group=group)
    return page(request, context, 422)


def _as_text(content: bytes) -> str:
    return content.decode("utf-8", "replace")[:40_000] if content[:2] != b"PK" else ""


def _text_of(rows: list[TableRow]) -> str:
    """The list as it can be mended on the page."""
    return "\n".join("\t".join(row.cells) for row in rows)
