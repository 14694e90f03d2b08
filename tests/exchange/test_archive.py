"""Archives: a school restored into an empty one has the same ledgers to the last digit; what is wrong is refused whole."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, text

from lumenstat.assessment.scoring import score
from lumenstat.demo import DEMO_COURSE
from lumenstat.documents.runlog import RunLog
from lumenstat.exchange.archive import ArchiveRefused, course_archive, read_archive, school_archive, take_in
from lumenstat.exchange.archived import KINDS
from lumenstat.language.wording import catalogue_of, told
from lumenstat.records.courses import courses, enrolled, steps_of
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise, current_exercises
from lumenstat.records.keeping import faults_of
from lumenstat.records.logbook import mastery_of
from lumenstat.records.people import add_person, find_person
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import verify
from lumenstat.records.statistics import missed_in
from lumenstat.records.tables import Base, Run
from lumenstat.standins.today import plan_today
from tests.flights import about, perfect_frost, without
from tests.school import flown, ledger_of, person, signed

SLIPPED = without(perfect_frost(), about("see", control="wipers"))


@pytest.fixture
def full(database: Database) -> Database:
    """A school with signed, open and practised runs and a plan."""
    signed(database, events=SLIPPED)
    flown(database, "tobias", mode="practice")
    database.write(plan_today)
    return database


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Database]:
    """A school in which there is a head of training whose number is somebody else's in the other school."""
    opened = Database(tmp_path / "empty.sqlite")
    opened.write(lambda s: add_person(s, "Somebody New", "new", "head", "frost-on-the-ramp-2"))
    opened.write(lambda s: add_person(s, "Rosamund Tegler", "rosamund", "head", "frost-on-the-ramp-2"))
    yield opened
    opened.close()


def run_of(database: Database, run_id: str) -> Run:
    return database.read(lambda session: find_run(session, run_id))


def log_in(database: Database, run_id: str) -> RunLog:
    return database.read(lambda session: log_of(session, find_run(session, run_id)))


def current_digest(database: Database, name: str) -> str:
    return database.read(lambda session: current_exercise(session, name).digest)


def archive_of(database: Database) -> bytes:
    return database.read(lambda session: school_archive(session, "Hollin Bay Flight Academy"))


def taken(database: Database, content: bytes) -> None:
    read = read_archive(content)
    database.write(lambda session: take_in(session, read))


def rows(database: Database) -> dict[str, int]:
    with database.engine.connect() as connection:
        return {
            name: connection.execute(text(f"SELECT count(*) FROM {name}")).scalar_one() for name in Base.metadata.tables
        }


def test_a_school_goes_into_an_empty_one_and_is_the_same(full: Database, empty: Database, tmp_path: Path) -> None:
    taken(empty, archive_of(full))
    runs = full.read(lambda s: list(s.scalars(select(Run.id))))
    assert len(runs) == 2
    for run_id in runs:
        before, after = run_of(full, run_id), run_of(empty, run_id)
        assert after.ledger == before.ledger and after.trace == before.trace
        assert after.trainee.name == before.trainee.name and after.percent == before.percent
        log = log_in(empty, run_id)
        assert score(after.exercise.bundle, log).ledger == ledger_of(full, run_id), (
            "flown again from its log it comes to the same"
        )
    (one,) = [run_id for run_id in runs if run_of(empty, run_id).signed_by]
    assert empty.read(lambda s: verify(s, one)).ok, "the seal still holds"
    assert empty.read(lambda s: missed_in(s, 1)) == full.read(lambda s: missed_in(s, 1))
    here, there = person(empty, "ines"), person(full, "ines")
    assert here != there, "numbers are others, what refers to them follows"
    assert empty.read(lambda s: mastery_of(s, here)) == full.read(lambda s: mastery_of(s, there))
    (course,) = empty.read(courses)
    names = empty.read(lambda s: [p.name for p, _ in enrolled(s, course.id)])
    assert names == full.read(lambda s: [p.name for p, _ in enrolled(s, 1)])
    assert list(faults_of(tmp_path / "empty.sqlite")) == []


def test_an_exercise_keeps_its_words_of_other_languages(full: Database, empty: Database) -> None:
    taken(empty, archive_of(full))
    named = empty.read(lambda s: current_exercise(s, "guided-power-up").named)
    assert told(named, catalogue_of("de")) == "Zum ersten Mal am Platz: Strom, geführt"


def test_nobody_signs_in_by_an_archive_and_who_is_known_stays_who_they_are(full: Database, empty: Database) -> None:
    content = archive_of(full)
    assert b"argon2" not in b"".join(_files(content).values())
    taken(empty, content)
    rosamund, ines = empty.read(lambda s: (find_person(s, "rosamund"), find_person(s, "ines")))
    assert rosamund is not None and rosamund.password_hash.startswith("$argon2")
    assert ines is not None and ines.must_change and not ines.password_hash.startswith("$argon2")


def test_the_same_school_gives_the_same_files(full: Database) -> None:
    one, other = _files(archive_of(full)), _files(archive_of(full))
    one.pop("manifest.json")
    other.pop("manifest.json")
    assert one == other


def test_every_table_is_archived_or_left_out_on_purpose() -> None:
    left_out = {
        "sign_ins", "sign_in_tries", "known_browsers", "invitations", "marks", "proofs", "model_facts", "statements",
    }  # fmt: skip
    assert {kind.name for kind in KINDS} | left_out == set(Base.metadata.tables)


def test_a_course_goes_into_another_school(full: Database, empty: Database) -> None:
    content = full.read(lambda s: course_archive(s, 1, "Hollin Bay"))
    assert not any(name.startswith(("people", "runs")) for name in _files(content))
    taken(empty, content)
    (course,) = empty.read(courses)
    assert course.name == DEMO_COURSE
    assert empty.read(lambda s: steps_of(s, course.id)) == full.read(lambda s: steps_of(s, 1))
    for step in empty.read(lambda s: steps_of(s, course.id)):
        name = step.exercise_id
        assert current_digest(empty, name) == current_digest(full, name)
    with pytest.raises(ArchiveRefused, match="there is a course"):
        taken(empty, content)


def test_a_course_leaves_the_current_version_of_an_exercise_alone(full: Database, empty: Database) -> None:
    content = full.read(lambda s: course_archive(s, 1, ""))
    taken(empty, content)
    assert len(empty.read(current_exercises)) == len({v.exercise_id for v in empty.read(current_exercises)})


# ---- refused ---------------------------------------------------------------------------------------------------------


def _files(content: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def packed(files: dict[str, bytes], honest: bool = False) -> bytes:
    """Files as an archive; with hashes that are true of them, where somebody took the trouble."""
    if honest:
        manifest = json.loads(files["manifest.json"])
        manifest["files"] = {
            name: {"sha256": hashlib.sha256(each).hexdigest(), "bytes": len(each)}
            for name, each in files.items()
            if name != "manifest.json"
        }
        files = {**files, "manifest.json": json.dumps(manifest).encode()}
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, each in files.items():
            archive.writestr(name, each)
    return made.getvalue()


def _altered(name: str, change: Callable[[bytes], bytes], honest: bool = False) -> Callable[[bytes], bytes]:
    def altered(content: bytes) -> bytes:
        files = _files(content)
        return packed({**files, name: change(files[name])}, honest)

    return altered


def _row(name: str, change: Callable[[dict[str, Any]], None]) -> Callable[[bytes], bytes]:
    def changed(content: bytes) -> bytes:
        lines = content.decode().splitlines()
        row = json.loads(lines[0])
        change(row)
        return "".join(f"{line}\n" for line in [json.dumps(row), *lines[1:]]).encode()

    return _altered(name, changed, honest=True)


def _manifest(**changes: object) -> Callable[[bytes], bytes]:
    return _altered("manifest.json", lambda text: json.dumps({**json.loads(text), **changes}).encode())


def _without(name: str, honest: bool) -> Callable[[bytes], bytes]:
    return lambda content: packed({k: v for k, v in _files(content).items() if k != name}, honest)


WRONG: dict[str, tuple[Callable[[bytes], bytes], str]] = {
    "cut": (lambda c: c[: len(c) // 2], "cut or damaged"),
    "empty": (lambda _: b"", "cut or damaged"),
    "no archive": (lambda _: b"%PDF-1.7", "cut or damaged"),
    "another program's": (lambda _: packed({"data.txt": b"x"}), "no manifest.json"),
    "newer": (_manifest(format="lumenstat/archive/2"), "a newer Lumenstat wrote it"),
    "foreign": (_manifest(format="other/1"), "this version reads 'lumenstat/archive/1'"),
    "holds nothing known": (_manifest(holds="weather"), "there is school and course"),
    "a ledger altered": (_altered("runs.jsonl", lambda t: t.replace(b"pass", b"Pass", 1)), "runs.jsonl was altered"),
    "a file taken out": (_without("people.jsonl", honest=False), "people.jsonl is missing"),
    "a file put in": (lambda c: packed({**_files(c), "x.jsonl": b""}), "x.jsonl is not in its manifest"),
    "an unknown file": (lambda c: packed({**_files(c), "x.jsonl": b""}, honest=True), "no archive of this format"),
    "no JSON": (_altered("groups.jsonl", lambda t: b"{" + t, honest=True), "groups.jsonl, line 1 is no JSON"),
    "another field": (_row("groups.jsonl", lambda r: r.update(colour="red")), "groups.jsonl, line 1 does not have"),
    "nobody's group": (_row("groups.jsonl", lambda r: r.update(instructor_id=999)), "refers to nothing in people"),
    "a word for a figure": (_row("runs.jsonl", lambda r: r.update(tick="soon")), "runs.jsonl, line 1: tick is 'soon'"),
    "no time": (_row("runs.jsonl", lambda r: r.update(created="once")), "runs.jsonl, line 1"),
    "an exercise gone": (lambda c: packed({k: v for k, v in _files(c).items() if not k.startswith("exercises/")}, honest=True),
                         "is missing"),
    "a role that is none": (_row("people.jsonl", lambda r: r.update(role="owner", sign_in_name="x")), "people.jsonl"),
}  # fmt: skip


@pytest.mark.parametrize("what", WRONG)
def test_what_is_wrong_is_refused_and_nothing_is_half_there(what: str, full: Database, empty: Database) -> None:
    spoil, says = WRONG[what]
    content, before = spoil(archive_of(full)), rows(empty)
    with pytest.raises(ArchiveRefused) as refused:
        taken(empty, content)
    assert says in str(refused.value) and "Nothing was changed" in str(refused.value)
    assert rows(empty) == before


def test_a_school_does_not_go_into_one_that_has_flown(full: Database) -> None:
    before = rows(full)
    with pytest.raises(ArchiveRefused, match="goes into an empty one"):
        taken(full, archive_of(full))
    assert rows(full) == before


def test_a_file_of_noughts_is_not_unpacked(empty: Database) -> None:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("manifest.json", "w") as file:
        for _ in range(410):
            file.write(bytes(1_000_000))
    with pytest.raises(ArchiveRefused, match="more than 400 MB"):
        taken(empty, made.getvalue())
