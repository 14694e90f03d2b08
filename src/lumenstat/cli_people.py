"""Commands about people: list, add, take in a list, give a new password, let in or keep out; also beside a server."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from lumenstat.cli_database import USUAL_DATABASE, DatabasePath, Json, fail
from lumenstat.errors import LumenstatError

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from lumenstat.records.database import Database
    from lumenstat.records.tables import Person

people = typer.Typer(no_args_is_help=True, help="People who may sign in: a way in for a school that is locked out.")
Who = Annotated[str, typer.Argument(metavar="SIGN-IN-NAME", help="The name somebody signs in with.")]


@contextmanager
def _opened(path: Path) -> Iterator[Database]:
    """The database, beside a server that may be using it; what is refused is said."""
    from lumenstat.records.database import Database  # noqa: PLC0415 - only where a database is opened

    try:
        database = Database(path)
        try:
            yield database
        finally:
            database.close()
    except LumenstatError as error:
        fail(error)


def _found(database: Database, name: str) -> Person:
    from lumenstat.records.people import find_person  # noqa: PLC0415

    person = database.read(lambda session: find_person(session, name))
    if person is None:
        raise LumenstatError(f"nobody signs in as {name!r}; `lumenstat people list` tells who does")
    return person


def _tell(as_json: bool, said: dict[str, object], words: str) -> None:
    typer.echo(json.dumps(said, ensure_ascii=False) if as_json else words)


@people.command("list")
def list_people(database: DatabasePath = USUAL_DATABASE, as_json: Json = False) -> None:
    """Everybody, with role and whether they may sign in."""
    from lumenstat.records.people import all_people  # noqa: PLC0415

    with _opened(database) as opened:
        everybody = opened.read(all_people)
    found = [{"name": p.name, "sign_in_name": p.sign_in_name, "role": p.role, "active": p.active} for p in everybody]
    kept_out = {True: "", False: " (kept out)"}
    lines = [f"{p.sign_in_name:<24} {p.role:<11} {p.name}{kept_out[p.active]}" for p in everybody]
    _tell(as_json, {"people": found}, "\n".join(lines) or "Nobody yet. `lumenstat people add` adds somebody.")


@people.command()
def add(
    name: Annotated[str, typer.Argument(help="The person's name.")],
    role: Annotated[str, typer.Option(help="trainee, instructor or head")] = "trainee",
    sign_in_name: Annotated[str, typer.Option("--as", help="What they sign in with; made from the name.")] = "",
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Add somebody, and print the first password, which they have to change."""
    from lumenstat.records.people import add_person, first_password, free_sign_in_name  # noqa: PLC0415

    # Made here and told once; only its hash is kept.
    password = first_password()
    with _opened(database) as opened:
        person = opened.write(
            lambda s: add_person(s, name, sign_in_name or free_sign_in_name(s, name), role, password, must_change=True)
        )
    said: dict[str, object] = {"sign_in_name": person.sign_in_name, "role": person.role, "password": password}
    _tell(as_json, said, f"{person.name} signs in as {person.sign_in_name}, with the password {password}")


@people.command("take-in")
def take_in(
    file: Annotated[Path, typer.Argument(help="A class list, CSV or XLSX.")],
    group: Annotated[str, typer.Option(help="The group of those who have none on the list.")] = "",
    in_charge: Annotated[str, typer.Option(help="Sign-in name of the instructor of a new group.")] = "",
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Add everybody on a list, or nobody; prints the first passwords."""
    from lumenstat.exchange.class_list import add_listed, read_class_list  # noqa: PLC0415
    from lumenstat.language.foreign_tables import read_table  # noqa: PLC0415
    from lumenstat.records.people import instructors  # noqa: PLC0415

    with _opened(database) as opened:
        try:
            listed = read_class_list(read_table(file.read_bytes()))
        except OSError as error:
            raise LumenstatError(f"{file}: {error.strerror}") from None
        if listed.problems:
            raise LumenstatError("\n".join(f"line {line}: {says}" for line, says in listed.problems))
        # Without a name the first instructor leads new groups: a small school has only one.
        leads = opened.read(instructors)
        chosen = _found(opened, in_charge) if in_charge else next(iter(leads), None)
        if chosen is None:
            raise LumenstatError("there is no instructor yet; add one first")
        added = opened.write(lambda session: add_listed(session, listed, group, chosen.id))
    rows = [{"name": a.name, "sign_in_name": a.sign_in_name, "password": a.password} for a in added]
    lines = [f"{a.sign_in_name:<24} {a.password or '(is here already)':<24} {a.name}" for a in added]
    _tell(as_json, {"people": rows}, "\n".join(lines))


@people.command()
def password(who: Who, database: DatabasePath = USUAL_DATABASE, as_json: Json = False) -> None:
    """Give somebody a new first password, end their sign-ins, and let them in if they were kept out."""
    from lumenstat.records.people import first_password, get_person, set_password  # noqa: PLC0415
    from lumenstat.records.sign_ins import sign_out_everywhere  # noqa: PLC0415

    made = first_password()
    with _opened(database) as opened:
        person = _found(opened, who)

        def write(session: Session) -> None:
            set_password(session, person.id, made, must_change=True)
            get_person(session, person.id).active = True
            sign_out_everywhere(session, person.id)

        opened.write(write)
    _tell(as_json, {"sign_in_name": who, "password": made}, f"{person.name} signs in with the password {made}")


@people.command()
def role(
    who: Who,
    to: Annotated[str, typer.Argument(help="trainee, instructor or head")],
    database: DatabasePath = USUAL_DATABASE,
    as_json: Json = False,
) -> None:
    """Give somebody another role."""
    _change(who, database, as_json, role=to)


@people.command("keep-out")
def keep_out(who: Who, database: DatabasePath = USUAL_DATABASE, as_json: Json = False) -> None:
    """Let somebody sign in no more; what they flew stays."""
    _change(who, database, as_json, active=False)


@people.command("let-in")
def let_in(who: Who, database: DatabasePath = USUAL_DATABASE, as_json: Json = False) -> None:
    """Let somebody sign in again."""
    _change(who, database, as_json, active=True)


def _change(who: str, path: Path, as_json: bool, role: str | None = None, active: bool | None = None) -> None:
    from lumenstat.records.people import PersonChange, change_person  # noqa: PLC0415
    from lumenstat.records.sign_ins import sign_out_everywhere  # noqa: PLC0415

    with _opened(path) as opened:
        person = _found(opened, who)
        stays = person.active if active is None else active
        change = PersonChange(person.edition, person.name, person.sign_in_name, role or person.role, stays)

        def write(session: Session) -> None:
            change_person(session, person.id, change)
            if not stays:
                sign_out_everywhere(session, person.id)

        opened.write(write)
    said: dict[str, object] = {"sign_in_name": who, "role": change.role, "active": stays}
    _tell(as_json, said, f"{person.name}: {change.role}, {'may sign in' if stays else 'kept out'}")
