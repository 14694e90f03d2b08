"""Commands about a database: check it, back it up, restore it, verify a record."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from lumenstat.errors import LumenstatError, StorageError

DatabasePath = Annotated[Path, typer.Option("--database", envvar="LUMENSTAT_DATABASE", help="The SQLite file.")]
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
USUAL_DATABASE = Path("var/lumenstat.sqlite")
UNUSABLE = 2


def fail(error: LumenstatError) -> NoReturn:
    """Say what cannot be used and stop."""
    typer.echo(str(error), err=True)
    raise typer.Exit(UNUSABLE)


def check_database(database: DatabasePath = USUAL_DATABASE, as_json: Json = False) -> None:
    """Read a whole database: its file, what belongs to what, every log, every signed record. It is not changed."""
    from lumenstat.records.keeping import faults_of  # noqa: PLC0415 - only where a database is opened

    try:
        faults = faults_of(database)
    except StorageError as error:
        fail(error)
    if as_json:
        typer.echo(json.dumps({"database": str(database), "ok": not faults, "problems": faults}, ensure_ascii=False))
    else:
        typer.echo("\n".join([f"{database}: {'whole' if not faults else 'not whole'}", *(f"  {f}" for f in faults)]))
    if faults:
        raise typer.Exit(1)


def backup(
    to: Annotated[Path | None, typer.Argument(help="The copy's name; beside the database where none is given.")] = None,
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Copy the database, also while the server runs, and read the copy back."""
    from lumenstat.records.keeping import back_up  # noqa: PLC0415

    usual = database.parent / "backups" / f"{database.stem}-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite"
    target = to or usual
    try:
        back_up(database, target)
    # The one thing that a script needs to know of a backup: where it is.
    except StorageError as error:
        fail(error)
    typer.echo(json.dumps({"backup": str(target)}) if as_json else f"{target}: made and read back, it is whole")


def restore(
    backup_file: Annotated[Path, typer.Argument(metavar="BACKUP", help="The backup to put in place.")],
    at_next_start: Annotated[
        bool, typer.Option("--at-next-start", help="While a server runs: it is put in place when that starts next.")
    ] = False,
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Put a backup in the database's place. What was there is kept under another name."""
    from lumenstat.records.keeping import restore as put_in_place  # noqa: PLC0415
    from lumenstat.records.keeping import restore_at_next_start  # noqa: PLC0415

    try:
        if at_next_start:
            waiting = restore_at_next_start(backup_file, database)
            said = {"waits": str(waiting)}
            typer.echo(json.dumps(said) if as_json else f"{waiting}: waits; the next start of the server takes it in")
            return
        aside = put_in_place(backup_file, database)
    except StorageError as error:
        fail(error)
    if as_json:
        typer.echo(json.dumps({"database": str(database), "kept_as": str(aside) if aside else None}))
    else:
        typer.echo(f"{database} is {backup_file} now" + (f"; what was there is kept as {aside}" if aside else ""))


def verify(
    run_id: Annotated[str, typer.Argument(metavar="RUN", help="The id of a signed run.")],
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Check that a signed record is still what was signed: its log, ledger and overrides."""
    from lumenstat.records.database import Database  # noqa: PLC0415
    from lumenstat.records.sealing import verify as check_record  # noqa: PLC0415

    if not database.exists():
        fail(StorageError(f"There is no database {database}; name it with --database."))
    try:
        opened = Database(database)
        try:
            found = opened.read(lambda session: check_record(session, run_id))
        finally:
            opened.close()
    except LumenstatError as error:
        fail(error)
    if as_json:
        report = {"run": run_id, "ok": found.ok, "signed_by": found.signed_by, "problems": list(found.says)}
        report["explained"] = found.explained
        typer.echo(json.dumps(report, ensure_ascii=False))
    else:
        whole = found.explained or f"unaltered since {found.signed_by} signed it"
        typer.echo(f"{run_id}: {whole if found.ok else '; '.join(found.says)}")
    if not found.ok:
        raise typer.Exit(1)
