"""Commands that take things in and out: a record, a log, an archive; and the stand-in for a record store."""

from __future__ import annotations

import json
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from lumenstat.cli_database import USUAL_DATABASE, DatabasePath, Json, fail
from lumenstat.errors import LumenstatError, StorageError

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

COMMAND_LINE = "the command line"


class RecordKind(StrEnum):
    """As what a record leaves."""

    JSON = "json"
    CSV = "csv"
    XAPI = "xapi"
    PDF = "pdf"
    ICS = "ics"


Out = Annotated[Path | None, typer.Option("--out", help="The file to write; standard output where none is given.")]


def export_run(
    run_id: Annotated[str, typer.Argument(metavar="RUN", help="The id of a judged run.")],
    kind: Annotated[RecordKind, typer.Option("--as", help="As what it leaves.")] = RecordKind.JSON,
    out: Out = None,
    database: DatabasePath = USUAL_DATABASE,
) -> None:
    """Take a judged record away as JSON, CSV, xAPI statements, PDF or ICS."""
    _write(out, _read(database, lambda session: _record(session, run_id, kind)))


def _record(session: Session, run_id: str, kind: RecordKind) -> bytes:
    from lumenstat.exchange import day_ics, record_file  # noqa: PLC0415 - only where something leaves
    from lumenstat.records.runs import find_run  # noqa: PLC0415
    from lumenstat.runs.record_files import ledger_csv, record_pdf  # noqa: PLC0415
    from lumenstat.runs.run_statements import run_statements  # noqa: PLC0415

    run = find_run(session, run_id)
    match kind:
        case RecordKind.JSON:
            return record_file.as_text(record_file.record_json(session, run_id)).encode()
        case RecordKind.CSV:
            return ledger_csv(session, run_id).content
        case RecordKind.XAPI:
            return json.dumps(run_statements(session, run_id), ensure_ascii=False, indent=2).encode()
        case RecordKind.PDF:
            return record_pdf(session, run_id, "")
        case RecordKind.ICS:
            began = run.started or run.created
            return day_ics.run_ics(run.id, run.exercise.title, run.trainee.name, began, run.tick / 100)


def _read(database: Path, job: Any) -> Any:
    from lumenstat.records.database import Database  # noqa: PLC0415

    if not database.exists():
        fail(StorageError(f"There is no database {database}; name it with --database."))
    try:
        opened = Database(database)
        try:
            return opened.read(job)
        finally:
            opened.close()
    except LumenstatError as error:
        fail(error)


def _write(out: Path | None, content: bytes) -> None:
    if out is None:
        typer.get_binary_stream("stdout").write(content)
        return
    try:
        out.write_bytes(content)
    except OSError as error:
        fail(StorageError(f"{out}: cannot be written: {error.strerror}"))
    typer.echo(f"{out}: written, {len(content):,} bytes")


def archive(
    course: Annotated[str, typer.Option("--course", help="This course alone, by its name.")] = "",
    out: Out = None,
    school: Annotated[str, typer.Option("--school", help="The school's name, for the manifest.")] = "",
    database: DatabasePath = USUAL_DATABASE,
) -> None:
    """Take the whole school, or one course, away as one archive."""

    def job(session: Session) -> bytes:
        from lumenstat.exchange.archive import course_archive, school_archive  # noqa: PLC0415
        from lumenstat.records.courses import courses  # noqa: PLC0415

        if not course:
            return school_archive(session, school)
        # By its name, which is what whoever types a command knows.
        found = next((c for c in courses(session, archived=True) if c.name.lower() == course.strip().lower()), None)
        if found is None:
            raise LumenstatError(f"there is no course {course!r}")
        return course_archive(session, found.id, school)

    _write(out, _read(database, job))


def import_file(
    file: Annotated[Path, typer.Argument(help="An archive of a school or a course.")],
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Take an archive in, all of it or nothing; a school's goes into an empty one."""
    from lumenstat.exchange.archive import read_archive, take_in  # noqa: PLC0415
    from lumenstat.records.acting import acting_as  # noqa: PLC0415
    from lumenstat.records.database import Database  # noqa: PLC0415

    try:
        read = read_archive(file.read_bytes())
        opened = Database(database)
        try:
            with acting_as(COMMAND_LINE):
                taken = opened.write(lambda session: take_in(session, read))
        finally:
            opened.close()
    except OSError as error:
        fail(StorageError(f"{file}: cannot be read: {error.strerror}"))
    except LumenstatError as error:
        fail(error)
    if as_json:
        typer.echo(json.dumps({"taken_in": taken.counts, "known": taken.known}, ensure_ascii=False))
        return
    for name, count in taken.counts.items():
        typer.echo(f"{count:>7} {name.replace('_', ' ')}")


def record_store_stand_in(
    file: Annotated[Path, typer.Option("--file", help="Where it keeps what it takes.")] = Path(
        "var/record-store.sqlite"
    ),
    key: Annotated[str, typer.Option("--key", help="The key that it knows, as name:secret.")] = "demo:demo",
    port: Annotated[int, typer.Option("--port", min=1, max=65535)] = 8590,
    out_of_order: Annotated[int, typer.Option("--out-of-order", help="So many calls fail first.", min=0)] = 0,
) -> None:
    """Run a small record store of our own at the loopback address, to try the sending with."""
    import uvicorn  # noqa: PLC0415

    from lumenstat.standins.record_store import record_store  # noqa: PLC0415

    file.parent.mkdir(parents=True, exist_ok=True)
    typer.echo(f"A record store at http://127.0.0.1:{port}; it keeps what it takes in {file}.")
    uvicorn.run(record_store(file, key, out_of_order), host="127.0.0.1", port=port, log_level="warning")


def checked_record_store(address: str, key: str) -> str:
    """Where statements go, as it was given; stops where it cannot be used."""
    if address and not address.startswith(("http://", "https://")):
        fail(LumenstatError(f"--record-store is an address that begins with http:// or https://, not {address!r}"))
    if address and ":" not in key:
        fail(LumenstatError("--record-store needs --record-store-key as name:secret"))
    return address
