"""Exercises being written: all drafts, and how a new one begins."""

from __future__ import annotations

from collections import Counter
from datetime import datetime
from typing import Annotated, ClassVar

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.beginnings import copy_of, from_nothing
from lumenstat.drafting.draft import read_draft, shipped_library
from lumenstat.drafting.taking_in import SECONDS_AT_MOST, ImportedDraft, airframe_of, take_in, title_of
from lumenstat.errors import DocumentError, EditRefused, EntryRefused, InputRefused, WorkerError
from lumenstat.language.wording import joined, phrase
from lumenstat.records.drafts import State, archive_draft, create_draft, find_drafts, states
from lumenstat.records.exercises import current_exercise, current_exercises
from lumenstat.records.lists import a_page_of
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm, Instructor, Viewer

router = APIRouter()

LARGEST_FILE = 200_000
MOST_FILES = 12
PROBLEMS_SAID = 30
STATES: dict[State, str] = {
    "draft": phrase("draft"),
    "proven": phrase("proven, not published"),
    "published": phrase("published"),
    "changed since": phrase("published, changed since"),
}


class DraftRow(Context):
    """One draft in the list."""

    id: str
    title: str
    owner: str
    changed: datetime
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
    words: str
    whose: str
    sort: str
    archived: bool
    number: int
    pages: int
    total: int
    airframes: tuple[Named, ...]
    exercises: tuple[Named, ...]


@router.get("/drafts", name="drafts")
def show(
    request: Request,
    viewer: Instructor,
    q: Annotated[str, Query(max_length=80)] = "",
    whose: Annotated[str, Query(max_length=8)] = "all",
    archived: Annotated[str, Query(max_length=4)] = "",
    sort: Annotated[str, Query(max_length=8)] = "changed",
    page_: Annotated[int, Query(alias="page", ge=1, le=1_000_000)] = 1,
) -> Response:
    """Drafts, searched, filtered and sorted, a page at a time."""
    database = request.app.state.database
    standing = database.read(states)
    owner, put_away = viewer.id if whose == "mine" else None, archived == "yes"
    found = a_page_of(database.read(lambda session: find_drafts(session, q, owner, put_away, sort)), page_)
    rows = tuple(
        DraftRow(
            id=each.id,
            title=each.title,
            owner=each.owner.name,
            changed=each.changed,
            state=STATES[standing.get(each.id, "draft")],
        )
        for each in found.rows
    )
    versions = database.read(current_exercises)
    # What is flown most at this school is what the next draft is most likely for.
    flown = Counter(version.bundle.exercise.airframe for version in versions)
    airframes = [airframe_of(name) for name in shipped_library().ids(Airframe)]
    airframes.sort(key=lambda each: (-flown[each.id], each.name))
    return page(
        request,
        DraftsContext(
            drafts=rows,
            words=q,
            whose=whose,
            sort=sort,
            archived=put_away,
            number=found.page,
            pages=found.pages,
            total=found.total,
            airframes=tuple(Named(id=airframe.id, name=airframe.name) for airframe in airframes),
            exercises=tuple(Named(id=v.exercise_id, name=v.named) for v in versions),
        ),
    )


@router.post("/drafts/{draft_id}/archive", name="archive_draft", dependencies=[CheckedForm])
def archive(
    request: Request, draft_id: str, viewer: Instructor, archived: Annotated[str, Form(max_length=4)] = "yes"
) -> Response:
    """Put a draft out of the usual list, or back into it."""
    request.app.state.database.write(lambda session: archive_draft(session, draft_id, archived == "yes"))
    return RedirectResponse(urls.drafts(), 303)


@router.post("/drafts/new", name="new_draft", dependencies=[CheckedForm])
async def create(
    request: Request,
    viewer: Instructor,
    begins: Annotated[str, Form()],
    title: Annotated[str, Form()] = "",
    airframe: Annotated[str, Form()] = "",
    exercise: Annotated[str, Form()] = "",
    files: Annotated[list[UploadFile] | None, File()] = None,
) -> Response:
    """Begin a draft: from `nothing`, as a `copy` or from `yaml`; a sheet has a page of its own. Raises RecordError."""
    database = request.app.state.database
    # One byte more than is allowed, to tell a file of just that size from a longer one.
    contents = [(each.filename or "file", await each.read(LARGEST_FILE + 1)) for each in files or () if each.size]
    if len(contents) > MOST_FILES or any(len(content) > LARGEST_FILE for _, content in contents):
        raise EntryRefused(
            phrase(
                "At most {most_files} files of {largest} kB each are taken in.",
                most_files=MOST_FILES,
                largest=LARGEST_FILE // 1000,
            ),
            "files",
        )
    if begins == "nothing":
        # Refused before anything is read, so that the form can say it at the field.
        title = titled(title)
    try:
        begun = await run_in_threadpool(_begun, request, viewer, begins, contents, airframe, exercise, title)
    except DocumentError as error:
        # The first few: what follows is often the same again.
        first = error.problems[:PROBLEMS_SAID]
        says = joined("; ", (phrase("line {line}: {says}", line=p.line, says=p.says) for p in first))
        raise EntryRefused(says, "files") from None
    except (EditRefused, InputRefused, WorkerError) as error:
        raise EntryRefused(str(error), "files" if begins == "yaml" else "") from None
    draft_id = await run_in_threadpool(
        database.write,
        lambda session: create_draft(
            session, viewer.id, viewer.name, begun.title, begun.content, viewer.says(begun.says), begun.digest
        ),
    )
    return RedirectResponse(urls.builder(draft_id), 303)


def _begun(
    request: Request,
    viewer: Viewer,
    begins: str,
    contents: list[tuple[str, bytes]],
    airframe: str,
    exercise: str,
    title: str,
) -> ImportedDraft:
    """What a draft begins with. Files are read by another process, which has a time limit."""
    match begins:
        case "yaml":
            taken: ImportedDraft = request.app.state.reader.call(take_in, contents, seconds=SECONDS_AT_MOST)
            return taken
        case "copy":
            version = request.app.state.database.read(lambda session: current_exercise(session, exercise))
            draft = copy_of(
                version.bundle, title.strip() or viewer.says(phrase("Copy of {title}", title=version.named))
            )
            return ImportedDraft(
                draft.to_json(),
                title_of(draft),
                phrase("copied {title}", title=version.named),
                read_draft(draft).digest,
            )
        case "nothing":
            draft = from_nothing(airframe_of(airframe), title)
            return ImportedDraft(draft.to_json(), title_of(draft), phrase("began it"), read_draft(draft).digest)
        case _:
            raise EntryRefused(phrase("A draft begins from nothing, as a copy, or from yaml."))


def titled(title: str) -> str:
    """A title as it is kept. Raises EntryRefused where there is none."""
    if not title.strip():
        raise EntryRefused(phrase("Give the exercise a title."), "title")
    return title.strip()[:120]
