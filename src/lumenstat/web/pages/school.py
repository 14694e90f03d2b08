"""The school: what it settles, backups, what is kept how long, what comes in and goes out, who changed what."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, ClassVar, Literal

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, RecordError
from lumenstat.exchange.list_files import Cell
from lumenstat.language.wording import phrase
from lumenstat.records.approvals import approve
from lumenstat.records.audit import AuditFilter, audit_kinds, find_lines
from lumenstat.records.erasing import TooOld, erase_person, too_old
from lumenstat.records.marks import LAST_BACKUP, backup_trouble, mark
from lumenstat.records.people import plain
from lumenstat.records.school import School, school, settle
from lumenstat.records.statements import counts, last_trouble, try_again
from lumenstat.web import urls
from lumenstat.web.pages.list_downloads import table_file
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import CheckedForm, Head, Instructor, PostedForm, RowInPath

router = APIRouter()

LARGEST_ARCHIVE = 60_000_000
BACKUPS_SHOWN = 6


class SettingField(Context):
    """One thing that the school settles, as the form has it."""

    name: str
    title: str
    value: str
    choices: tuple[tuple[str, str], ...] = ()


class BackupLine(Context):
    """A backup that is there."""

    name: str
    at: datetime
    megabytes: float


class SchoolContext(Context):
    """The school."""

    template: ClassVar[str] = "school.html"
    tab: ClassVar[str] = "school"
    name: str
    fields: tuple[SettingField, ...]
    last_backup: tuple[str, datetime] | None
    backup_trouble: str
    backups: tuple[BackupLine, ...]
    backup_hours: int
    too_old: TooOld
    statements: dict[str, int]
    statement_trouble: str | None
    record_store: str
    form: FormState


class AuditRow(Context):
    """One line of the audit list."""

    at: datetime
    by: str
    kind: str
    subject: str
    says: str


class AuditContext(Context):
    """Who changed what."""

    template: ClassVar[str] = "audit.html"
    tab: ClassVar[str] = "school"
    rows: tuple[AuditRow, ...]
    total: int
    number: int
    pages: int
    words: str
    kind: str
    kinds: tuple[str, ...]


CHOICES = {
    "mastery_by": (("anybody", phrase("anybody who assesses")), ("two", phrase("at least two instructors"))),
    "approval": (("no", phrase("not asked for")), ("yes", phrase("asked for"))),
}


@router.get("/school", name="school")
def show(request: Request, viewer: Head) -> Response:
    """The school."""
    return page(request, _school(request))


def _school(request: Request, form: FormState | None = None) -> SchoolContext:
    state = request.app.state

    def read(session: Session) -> SchoolContext:
        settled = school(session)
        return SchoolContext(
            name=state.settings.school,
            fields=tuple(_fields(settled)),
            last_backup=mark(session, LAST_BACKUP),
            backup_trouble=backup_trouble(session),
            backups=tuple(_backups(request)),
            backup_hours=settled.backup_hours,
            too_old=too_old(session, settled),
            statements=counts(session),
            statement_trouble=last_trouble(session),
            record_store=state.settings.record_store,
            form=form or FormState(),
        )

    context: SchoolContext = state.database.read(read)
    return context


def _fields(settled: School) -> list[SettingField]:
    values = settled.model_dump(mode="json")
    return [
        SettingField(name=name, title=field.title or name, value=str(values[name]), choices=CHOICES.get(name, ()))
        for name, field in School.model_fields.items()
    ]


def _backups(request: Request) -> list[BackupLine]:
    found = []
    for path in request.app.state.housekeeping.backups()[:BACKUPS_SHOWN]:
        stat = path.stat()
        at = datetime.fromtimestamp(stat.st_mtime, UTC).replace(tzinfo=None)
        found.append(BackupLine(name=path.name, at=at, megabytes=stat.st_size / 1e6))
    return found


@router.post("/school", name="settle_school", dependencies=[CheckedForm])
def change(request: Request, viewer: Head, posted: PostedForm) -> Response:
    """Settle things for the school."""
    typed = {key: str(value) for key, value in posted.items() if key in School.model_fields}
    try:
        request.app.state.database.write(lambda session: settle(session, typed))
    except EntryRefused as error:
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _school(request, form), 422)
    return RedirectResponse(urls.school(), 303)


@router.post("/school/backup", name="back_up_now", dependencies=[CheckedForm])
def back_up_now(request: Request, viewer: Head) -> Response:
    """Make a backup now and read it back."""
    request.app.state.housekeeping.back_up()
    return RedirectResponse(f"{urls.school()}#backups", 303)


@router.post("/school/clear-out", name="clear_out", dependencies=[CheckedForm])
def clear(request: Request, viewer: Head, sure: Annotated[str, Form(max_length=4)] = "") -> Response:
    """Take out what is kept no longer."""
    if sure != "yes":
        raise EntryRefused(phrase("What is taken out does not come back. Tick that you mean it."), "sure")
    request.app.state.housekeeping.clear_out()
    return RedirectResponse(f"{urls.school()}#kept", 303)


@router.post("/school/send-again", name="send_again", dependencies=[CheckedForm])
def send_again(request: Request, viewer: Head) -> Response:
    """Have statements sent that were not taken."""
    request.app.state.database.write(try_again)
    request.app.state.sender.wake()
    return RedirectResponse(f"{urls.school()}#exchange", 303)


# ---- archives --------------------------------------------------------------------------------------------------------


@router.get("/school/archive.zip", name="school_archive")
def take_away(request: Request, viewer: Head) -> Response:
    """The whole school as one archive."""
    from lumenstat.exchange.archive import school_archive  # noqa: PLC0415 - only where it is taken away

    name = request.app.state.settings.school
    content = request.app.state.database.read(lambda session: school_archive(session, name))
    return _zip(content, f"school-{plain(name) or 'lumenstat'}-{datetime.now(UTC):%Y%m%d}.zip")


@router.get("/courses/{course_id}/archive.zip", name="course_archive")
def take_course_away(request: Request, course_id: RowInPath, viewer: Instructor) -> Response:
    """A course with its exercises as an archive, for another school."""
    from lumenstat.exchange.archive import course_archive  # noqa: PLC0415

    name = request.app.state.settings.school
    content = request.app.state.database.read(lambda session: course_archive(session, course_id, name))
    return _zip(content, f"course-{course_id}.zip")


def _zip(content: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type="application/zip", headers=headers)


@router.post("/school/archive", name="take_in_archive", dependencies=[CheckedForm])
async def take_in_archive(request: Request, viewer: Head, archive: Annotated[UploadFile, File()]) -> Response:
    """Import an archive, all of it or nothing. Raises ArchiveRefused that says what is wrong with it."""
    content = await archive.read(LARGEST_ARCHIVE + 1)
    if len(content) > LARGEST_ARCHIVE:
        says = phrase(
            "An archive of more than {at} MB is taken in with `lumenstat import`.", at=LARGEST_ARCHIVE // 1000000
        )
        raise EntryRefused(says, "archive")

    def work() -> None:
        from lumenstat.exchange.archive import read_archive, take_in  # noqa: PLC0415

        read = read_archive(content)
        request.app.state.database.write(lambda session: take_in(session, read))

    await run_in_threadpool(work)
    return RedirectResponse(f"{urls.audit()}?kind=school", 303)


# ---- who changed what ------------------------------------------------------------------------------------------------


@router.get("/audit", name="audit")
def show_audit(
    request: Request,
    viewer: Head,
    q: Annotated[str, Query(max_length=80)] = "",
    kind: Annotated[str, Query(max_length=20)] = "",
    subject: Annotated[str, Query(max_length=64)] = "",
    page_: Annotated[int, Query(alias="page", ge=1, le=100_000)] = 1,
) -> Response:
    """Who changed what, newest first."""

    def read(session: Session) -> AuditContext:
        found = find_lines(session, AuditFilter(q, kind, subject, page_))
        return AuditContext(
            rows=tuple(
                AuditRow(at=row.at, by=row.by, kind=row.kind, subject=row.subject, says=row.says) for row in found.rows
            ),
            total=found.total,
            number=found.page,
            pages=found.pages,
            words=q,
            kind=kind,
            kinds=tuple(audit_kinds()),
        )

    return page(request, request.app.state.database.read(read))


@router.get("/audit.{kind}", name="audit_file")
def audit_file(request: Request, kind: Literal["csv", "xlsx"], viewer: Head) -> Response:
    """The whole audit list as a table."""

    def read(session: Session) -> list[list[Cell]]:
        rows: list[list[Cell]] = []
        number = pages = 1
        while number <= pages:
            found = find_lines(session, AuditFilter(page=number))
            rows += [[row.at, row.by, row.kind, row.subject, row.says] for row in found.rows]
            number, pages = number + 1, found.pages
        return rows

    heads = ("At, UTC", "By", "Kind", "Which", "What")
    return table_file("audit", heads, request.app.state.database.read(read), kind)


# ---- a person, a version ---------------------------------------------------------------------------------------------


@router.post("/people/{person_id}/erase", name="erase_person", dependencies=[CheckedForm])
def erase(
    request: Request, person_id: RowInPath, viewer: Head, name: Annotated[str, Form(max_length=200)] = ""
) -> Response:
    """Erase a trainee, once their name was typed."""
    request.app.state.database.write(lambda session: erase_person(session, person_id, name))
    request.app.state.sign_outs += 1
    return RedirectResponse(urls.person(str(person_id)), 303)


@router.post("/exercises/{exercise_id}/approve", name="approve", dependencies=[CheckedForm])
def approve_version(
    request: Request, exercise_id: str, viewer: Instructor, says: Annotated[str, Form(max_length=4000)] = ""
) -> Response:
    """Approve the current version of an exercise. Raises RecordError where it is one's own."""
    if viewer.run_id is not None:
        raise RecordError(phrase("Sign in with your name for this."))
    request.app.state.database.write(lambda session: approve(session, exercise_id, viewer.id, says))
    return RedirectResponse(urls.brief(exercise_id), 303)
