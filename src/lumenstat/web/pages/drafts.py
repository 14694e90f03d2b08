"""Exercises being written: all drafts, and how a new one begins."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from fastapi.responses import RedirectResponse

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Bundle
from lumenstat.drafting.beginnings import copy_of, from_nothing, from_sheet, from_texts
from lumenstat.drafting.draft import Draft, read_draft, shipped_library
from lumenstat.drafting.spreadsheet import read_sheet
from lumenstat.drafting.trees import tree_to_read
from lumenstat.errors import DocumentError, EditRefused, RecordError
from lumenstat.records.drafts import State, create_draft, drafts, states
from lumenstat.records.exercises import current_exercise, current_exercises
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor

router = APIRouter()

LARGEST_FILE = 1_000_000
STATES: dict[State, str] = {
    "draft": "draft",
    "proven": "proven, not published",
    "published": "published",
    "changed since": "published, changed since",
}


class DraftRow(Context):
    """One draft in the list."""

    id: str
    title: str
    owner: str
    changed: str
    state: str


class Named(Context):
    """Something to choose."""

    id: str
    name: str


class DraftsContext(Context):
    """All drafts, and what a new one can begin with."""

    template: ClassVar[str] = "drafts.html"
    tab: ClassVar[str] = "drafts"
    drafts: tuple[DraftRow, ...]
    airframes: tuple[Named, ...]
    exercises: tuple[Named, ...]


@router.get("/drafts")
def show(request: Request, viewer: Instructor) -> Response:
    """All drafts."""
    database = request.app.state.database
    standing = database.read(states)
    rows = tuple(
        DraftRow(
            id=each.id,
            title=each.title,
            owner=each.owner.name,
            changed=f"{each.changed:%-d %B %Y, %H:%M} UTC",
            state=STATES[standing.get(each.id, "draft")],
        )
        for each in database.read(drafts)
    )
    airframes = [_airframe(name) for name in shipped_library().ids(Airframe)]
    return page(
        request,
        DraftsContext(
            drafts=rows,
            airframes=tuple(Named(id=airframe.id, name=airframe.name) for airframe in airframes),
            exercises=tuple(Named(id=v.exercise_id, name=v.title) for v in database.read(current_exercises)),
        ),
    )


@router.post("/drafts/new", dependencies=[CheckedForm])
async def create(
    request: Request,
    viewer: Instructor,
    begins: Annotated[str, Form()],
    title: Annotated[str, Form()] = "",
    airframe: Annotated[str, Form()] = "",
    exercise: Annotated[str, Form()] = "",
    files: Annotated[list[UploadFile] | None, File()] = None,
) -> Response:
    """Begin a draft: from `nothing`, as a `copy`, from a `sheet` or from `yaml`. Raises RecordError."""
    database = request.app.state.database
    contents = [(each.filename or "file", await each.read(LARGEST_FILE + 1)) for each in files or () if each.size]
    if any(len(content) > LARGEST_FILE for _, content in contents):
        raise RecordError(f"A document has at most {LARGEST_FILE // 1_000_000} MB.")
    try:
        match begins:
            case "copy":
                version = database.read(lambda session: current_exercise(session, exercise))
                bundle = Bundle.from_canonical_json(version.content)
                draft, says = copy_of(bundle, title.strip() or f"Copy of {version.title}"), f"copied {version.title}"
            case "sheet":
                rows = read_sheet(contents[0][1] if contents else b"", _airframe(airframe))
                draft, says = from_sheet(_airframe(airframe), _titled(title), rows), f"took in {len(rows)} lines"
            case "yaml":
                texts = [(name, content.decode("utf-8-sig")) for name, content in contents]
                draft, says = from_texts(texts), f"took in {len(texts)} documents"
            case "nothing":
                draft, says = from_nothing(_airframe(airframe), _titled(title)), "began it"
            case _:
                raise RecordError("A draft begins from nothing, as a copy, from a sheet or from yaml.")
    except UnicodeDecodeError:
        raise RecordError("A document is not UTF-8 text; save it as UTF-8.") from None
    except DocumentError as error:
        raise RecordError("; ".join(f"line {p.line}: {p.says}" for p in error.problems)) from None
    except EditRefused as error:
        raise RecordError(str(error)) from None
    name = title_of(draft)
    draft_id = database.write(
        lambda session: create_draft(
            session, viewer.id, viewer.name, name, draft.to_json(), says, read_draft(draft).digest
        )
    )
    return RedirectResponse(urls.builder(draft_id), 303)


def title_of(draft: Draft) -> str:
    """The exercise's title as it is written now."""
    return str(tree_to_read(draft.exercise).get("title") or "Untitled")[:200]


def _titled(title: str) -> str:
    if not title.strip():
        raise RecordError("Give the exercise a title.")
    return title.strip()[:120]


def _airframe(name: str) -> Airframe:
    found = shipped_library().find(Airframe, name)
    if found is None or not isinstance(found.document, Airframe):
        raise RecordError("Choose an airframe.")
    return found.document
