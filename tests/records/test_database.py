"""The database: migrated, strict, and safe when a change fails."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from lumenstat.demo import DEMO_PEOPLE, seed_demo, seed_library
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import RecordError
from lumenstat.language.wording import catalogue_of, told
from lumenstat.records import runs
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise, store_bundle
from lumenstat.records.people import add_person, check_password, find_person, now
from lumenstat.records.sign_ins import find_sign_in, sign_in, sign_out
from lumenstat.records.tables import Base, ExerciseVersion, Person, Run, SignIn
from tests.flights import EMPTY_LEDGER, event


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    yield opened
    opened.close()


@pytest.fixture
def run_id(database: Database) -> str:
    database.write(seed_library)
    database.write(seed_demo)

    def create(session: object) -> str:
        trainee = find_person(session, "ines")  # type: ignore[arg-type]
        instructor = find_person(session, "odile")  # type: ignore[arg-type]
        version = current_exercise(session, "frost-on-the-ramp")  # type: ignore[arg-type]
        assert trainee and instructor
        return runs.create_run(session, version.digest, trainee.id, instructor.id, "e").id  # type: ignore[arg-type]

    return database.write(create)


def test_migrations_give_the_tables_that_the_code_uses(database: Database) -> None:
    with database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_pragmas(database: Database) -> None:
    with database.engine.connect() as connection:
        values = [
            connection.execute(text(f"PRAGMA {name}")).scalar()
            for name in ("journal_mode", "foreign_keys", "synchronous")
        ]
    assert values == ["wal", 1, 2]


def test_foreign_keys_hold(database: Database) -> None:
    with pytest.raises(IntegrityError):
        database.write(lambda s: s.add(SignIn(token_hash="x", person_id=99, csrf_token="y", expires=now())))


def test_one_failed_change_spoils_no_other(database: Database) -> None:
    def bad(session: object) -> None:
        add_person(session, "Bad", "bad", "instructor", "long enough password")  # type: ignore[arg-type]
        raise RecordError("no")

    jobs: list[Future[Any]] = [
        database.submit(lambda s: add_person(s, "A", "a", "trainee", "long enough password").id),
        database.submit(bad),
        database.submit(lambda s: add_person(s, "B", "b", "trainee", "long enough password").id),
    ]
    assert isinstance(jobs[0].result(), int)
    with pytest.raises(RecordError):
        jobs[1].result()
    assert isinstance(jobs[2].result(), int)
    assert database.read(lambda s: sorted(s.scalars(select(Person.sign_in_name)))) == ["a", "b"]


def test_passwords_are_hashed_with_argon2_and_checked(database: Database) -> None:
    database.write(lambda s: add_person(s, "A", "Anna ", "trainee", "long enough password") and None)
    person = database.read(lambda s: find_person(s, "ANNA"))
    assert person is not None
    assert person.password_hash.startswith("$argon2id$")
    assert check_password(person, "long enough password")
    assert not check_password(person, "long enough passwore")
    assert not check_password(None, "nobody has this password")


@pytest.mark.parametrize(
    ("name", "password", "says"), [("a", "short", "characters"), ("", "long enough password", "needed")]
)
def test_accounts_that_cannot_be(database: Database, name: str, password: str, says: str) -> None:
    with pytest.raises(RecordError, match=says):
        database.write(lambda s: add_person(s, "A", name, "trainee", password))


def test_sign_ins_expire_and_end(database: Database) -> None:
    person_id = database.write(lambda s: add_person(s, "A", "a", "trainee", "long enough password").id)
    token = database.write(lambda s: sign_in(s, person_id, 1))
    gone = database.write(lambda s: sign_in(s, person_id, -1))
    assert database.read(lambda s: find_sign_in(s, token)) is not None
    assert database.read(lambda s: find_sign_in(s, gone)) is None
    assert database.read(lambda s: token not in [row.token_hash for row in s.scalars(select(SignIn))])
    database.write(lambda s: sign_out(s, token))
    assert database.read(lambda s: find_sign_in(s, token)) is None


def test_a_run_keeps_its_events_in_order_and_closes(database: Database, run_id: str) -> None:
    for number, each in enumerate([event(1, "confirm", item="log"), event(2.5, "set", control="wipers", to="OFF")]):
        database.write(lambda s, n=number, e=each: runs.add_event(s, run_id, n, e, f"c{n}"))  # type: ignore[misc]
    kept = database.read(lambda s: runs.events_of(s, run_id))
    assert [(e.tick, e.verb, client) for e, client in kept] == [(100, "confirm", "c0"), (250, "set", "c1")]
    with pytest.raises(IntegrityError):
        database.write(lambda s: runs.add_event(s, run_id, 2, event(3, "finish"), "c1"))
    database.write(lambda s: runs.end_run(s, run_id, EMPTY_LEDGER, "{}"))
    with pytest.raises(RecordError, match="has ended"):
        database.write(lambda s: runs.add_event(s, run_id, 2, event(3, "finish"), "c2"))


def test_a_new_version_leaves_the_old_one_to_its_runs(database: Database, run_id: str, frost: Bundle) -> None:
    changed = Bundle(frost.airframe, frost.checklists, frost.exercise.model_copy(update={"pass_mark": 90.0}))
    database.write(lambda s: store_bundle(s, changed))
    assert database.read(lambda s: current_exercise(s, "frost-on-the-ramp").digest) == changed.digest
    run = database.read(lambda s: runs.find_run(s, run_id))
    assert Bundle.from_canonical_json(run.exercise.content) == frost
    assert database.read(lambda s: len(list(s.scalars(select(ExerciseVersion))))) >= 2


def test_seeding_twice_changes_nothing(database: Database, run_id: str) -> None:
    database.write(seed_library)
    database.write(seed_demo)
    assert database.read(lambda s: len(list(s.scalars(select(Run))))) == 1
    assert database.read(lambda s: len(list(s.scalars(select(Person))))) == len(DEMO_PEOPLE)


@pytest.mark.parametrize("title", ['{"phrase~": 5}', '{"phrase~": [["{x.__class__}", null, {"x": "y"}]]}'])
def test_a_title_that_looks_like_a_stored_phrase_is_a_title(database: Database, frost: Bundle, title: str) -> None:
    hostile = Bundle(frost.airframe, frost.checklists, frost.exercise.model_copy(update={"title": title}))
    database.write(lambda session: store_bundle(session, hostile))
    named = database.read(lambda session: current_exercise(session, frost.exercise.id).named)
    assert named == title and told(named, catalogue_of("de")) == title
