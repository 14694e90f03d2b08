"""Archives: a school or a course in one file that anybody can read, `lumenstat/archive/1`.

A ZIP file with `manifest.json` (format, what it holds, when and by which version it was made, SHA-256 and size of every
other file), a JSON Lines file for each kind of record, and each exercise version as its canonical JSON under its
digest. `docs/archive.md` describes it. What is taken in is read and checked whole before the first row is written.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import Date, DateTime, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.documents.bundles import Bundle, bundle_for
from lumenstat.errors import EntryRefused, LumenstatError
from lumenstat.exchange.archived import KINDS, Kind
from lumenstat.language.wording import phrase
from lumenstat.records.audit import note
from lumenstat.records.courses import CourseStep, get_course
from lumenstat.records.exercises import current_exercise
from lumenstat.records.lists import anything_flown
from lumenstat.records.tables import Base, ExerciseVersion, Person

FORMAT = "lumenstat/archive/1"
FAMILY = "lumenstat/archive/"
MANIFEST = "manifest.json"
LARGEST_BYTES = 400_000_000
"""So much may an archive hold once unpacked: a file of nothing but noughts packs into very little."""
MOST_FILES = 20_000
STAMP = (1980, 1, 1, 0, 0, 0)
"""The time of every file inside, so that the same school gives the same bytes."""


class ArchiveRefused(EntryRefused):
    """An archive cannot be taken in; nothing of it was."""

    def __init__(self, says: str) -> None:
        super().__init__(phrase("This archive was not taken in: {says}. Nothing was changed.", says=says), "archive")


# ---- out -------------------------------------------------------------------------------------------------------------


def school_archive(session: Session, school: str) -> bytes:
    """The whole school: people without passwords, groups, courses, exercises, runs with their logs, plans, settings."""
    rows = {kind.name: [kind.written(row) for row in session.scalars(kind.query())] for kind in KINDS}
    versions = session.scalars(select(ExerciseVersion).order_by(ExerciseVersion.digest))
    return _packed("school", school, rows, {version.digest: version.content for version in versions})


def course_archive(session: Session, course_id: int, school: str) -> bytes:
    """One course with the current versions of its exercises, and nobody in it."""
    course = get_course(session, course_id)
    steps = session.scalars(select(CourseStep).where(CourseStep.course_id == course_id).order_by(CourseStep.number))
    kinds = {kind.name: kind for kind in KINDS}
    steps_rows = [kinds["course_steps"].written(row) for row in steps]
    # Each exercise once, however many steps ask for it.
    versions = [current_exercise(session, name) for name in dict.fromkeys(row["exercise_id"] for row in steps_rows)]
    rows = {
        "courses": [kinds["courses"].written(course)],
        "course_steps": steps_rows,
        "exercise_versions": [kinds["exercise_versions"].written(version) for version in versions],
    }
    return _packed("course", school, rows, {version.digest: version.content for version in versions})


def _packed(holds: str, school: str, rows: Mapping[str, list[dict[str, Any]]], exercises: Mapping[str, str]) -> bytes:
    files = {f"{name}.jsonl": _lines(each) for name, each in rows.items()}
    files |= {f"exercises/{digest}.json": content.encode() for digest, content in exercises.items()}
    manifest = {
        "format": FORMAT,
        "holds": holds,
        "school": school,
        "made": f"{datetime.now(UTC):%Y-%m-%dT%H:%M:%SZ}",
        "engine": ENGINE_VERSION,
        "files": {
            name: {"sha256": hashlib.sha256(content).hexdigest(), "bytes": len(content)}
            for name, content in sorted(files.items())
        },
    }
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in [(MANIFEST, json.dumps(manifest, indent=2).encode()), *sorted(files.items())]:
            # With a fixed date, so that the same content makes the same file.
            archive.writestr(zipfile.ZipInfo(name, STAMP), content, zipfile.ZIP_DEFLATED)
    return packed.getvalue()


def _lines(rows: Iterable[dict[str, Any]]) -> bytes:
    return "".join(f"{json.dumps(row, ensure_ascii=False, sort_keys=True)}\n" for row in rows).encode()


# ---- in --------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Archive:
    """An archive that was read and checked: its manifest, rows by kind, and exercises by digest."""

    manifest: Mapping[str, Any]
    rows: Mapping[str, list[dict[str, Any]]]
    exercises: Mapping[str, str]

    @property
    def holds(self) -> str:
        """`school` or `course`."""
        return str(self.manifest["holds"])


def read_archive(content: bytes) -> Archive:
    """Read an archive. Raises ArchiveRefused that says what is wrong with it."""
    files = _unpacked(content)
    manifest = _manifest(files.pop(MANIFEST, None))
    # Before a line of it is read: what was altered is not to be believed in any part.
    _check_hashes(manifest, files)
    known = {f"{kind.name}.jsonl": kind for kind in KINDS}
    rows: dict[str, list[dict[str, Any]]] = {}
    exercises: dict[str, str] = {}
    for name, each in sorted(files.items()):
        if name in known:
            rows[known[name].name] = list(_read_lines(name, each, known[name]))
        elif name.startswith("exercises/"):
            exercises[name.removeprefix("exercises/").removesuffix(".json")] = _exercise(name, each)
        else:
            raise ArchiveRefused(phrase("it holds {name}, which no archive of this format holds", name=repr(name)))
    return Archive(manifest, rows, exercises)


def _unpacked(content: bytes) -> dict[str, bytes]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            infos = archive.infolist()
            # By what it says that it holds, before a byte is unpacked.
            if len(infos) > MOST_FILES or sum(info.file_size for info in infos) > LARGEST_BYTES:
                raise ArchiveRefused(phrase("it holds more than {at} MB", at=LARGEST_BYTES // 1000000))
            # Two files of one name: readers differ in which of them they take.
            if len({info.filename for info in infos}) != len(infos):
                raise ArchiveRefused(phrase("it holds a file twice"))
            return {info.filename: archive.read(info) for info in infos}
    except ArchiveRefused:
        raise
    except Exception:  # a damaged file can fail anywhere in the library
        raise ArchiveRefused(phrase("it is no ZIP file, or is cut or damaged")) from None


def _manifest(content: bytes | None) -> dict[str, Any]:
    if content is None:
        raise ArchiveRefused(phrase("it has no manifest.json, so it is no archive of Lumenstat"))
    try:
        manifest = json.loads(content)
        written, files, holds = str(manifest["format"]), dict(manifest["files"]), manifest["holds"]
    except (ValueError, KeyError, TypeError, RecursionError):
        raise ArchiveRefused(phrase("its manifest.json cannot be read")) from None
    if written != FORMAT:
        newer = written.startswith(FAMILY)
        says = phrase("it is {written}, and this version reads {format}", written=repr(written), format=repr(FORMAT))
        raise ArchiveRefused(phrase("{says}; a newer Lumenstat wrote it", says=says) if newer else says)
    if holds not in ("school", "course"):
        raise ArchiveRefused(phrase("it says that it holds {holds}; there is school and course", holds=repr(holds)))
    return {**manifest, "files": files}


def _check_hashes(manifest: Mapping[str, Any], files: Mapping[str, bytes]) -> None:
    listed: dict[str, Any] = manifest["files"]
    if missing := listed.keys() - files.keys():
        raise ArchiveRefused(phrase("{missing} is missing", missing=min(missing)))
    if foreign := files.keys() - listed.keys():
        raise ArchiveRefused(phrase("{foreign} is not in its manifest", foreign=min(foreign)))
    for name, content in files.items():
        entry = listed[name]
        if not isinstance(entry, dict) or entry.get("sha256") != hashlib.sha256(content).hexdigest():
            raise ArchiveRefused(phrase("{name} was altered: it is not what the manifest's hash says", name=name))


def _read_lines(name: str, content: bytes, kind: Kind) -> Iterator[dict[str, Any]]:
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError:
        raise ArchiveRefused(phrase("{name} is not UTF-8", name=name)) from None
    # What follows the last line break is no line.
    for number, line in enumerate(text.split("\n")[:-1] if text else [], 1):
        try:
            row = json.loads(line)
        except (ValueError, RecursionError):
            raise ArchiveRefused(phrase("{name}, line {number} is no JSON", name=name, number=number)) from None
        # Exactly these: a field that is not known here would be lost without a word.
        if not isinstance(row, dict) or row.keys() != set(kind.columns):
            raise ArchiveRefused(
                phrase(
                    "{name}, line {number} does not have the fields {columns}",
                    name=name,
                    number=number,
                    columns=", ".join(kind.columns),
                )
            )
        yield row


def _exercise(name: str, content: bytes) -> str:
    text, digest = content.decode("utf-8", "replace"), name.removeprefix("exercises/").removesuffix(".json")
    if hashlib.sha256(content).hexdigest() != digest:
        raise ArchiveRefused(phrase("{name} is not what its name says", name=name))
    try:
        Bundle.from_canonical_json(text)
    except (LumenstatError, ValueError, KeyError, TypeError):
        raise ArchiveRefused(phrase("{name} is no exercise that this version can read", name=name)) from None
    return text


@dataclass
class ImportedArchive:
    """What was taken in: how many rows by kind, and people who were there already."""

    counts: dict[str, int] = field(default_factory=dict)
    known: list[str] = field(default_factory=list)


def take_in(session: Session, archive: Archive) -> ImportedArchive:
    """Take an archive in, all of it or nothing. A school's goes into an empty one: nobody has flown there yet.

    Rows with a number get one that is free here, and what refers to them follows. People who sign in by the same name
    are the same; the others may sign in once they were given a password. Raises ArchiveRefused.
    """
    if archive.holds == "school" and anything_flown(session):
        raise ArchiveRefused(phrase("a school goes into an empty one, and here runs were flown already"))
    numbers: dict[str, dict[Any, Any]] = {}
    taken = ImportedArchive()
    # In an order in which whatever a row refers to came before it.
    for kind in KINDS:
        mapped = numbers.setdefault(kind.name, {})
        for number, row in enumerate(archive.rows.get(kind.name, []), 1):
            where = phrase("{kind}.jsonl, line {number}", kind=kind.name, number=number)
            try:
                _keep(session, kind, row, numbers, mapped, archive, taken)
            except ArchiveRefused:
                raise
            except (LumenstatError, ValueError, TypeError, KeyError) as error:
                raise ArchiveRefused(f"{where}: {error}") from None
            except SQLAlchemyError as error:
                raise ArchiveRefused(
                    phrase("{where} does not fit what stands here: {error}", where=where, error=_short(error))
                ) from None
        # Here, so that what does not fit is told with the file that it came from.
        try:
            session.flush()
        except SQLAlchemyError as error:
            raise ArchiveRefused(
                phrase("{kind}.jsonl does not fit what stands here: {error}", kind=kind.name, error=_short(error))
            ) from None
    total = ", ".join(f"{count} {name.replace('_', ' ')}" for name, count in taken.counts.items())
    note(session, "school", "archive", f"archive of a {archive.holds} taken in: {total}")
    return taken


def _short(error: Exception) -> str:
    return str(getattr(error, "orig", error)).splitlines()[0][:200]


def _keep(
    session: Session,
    kind: Kind,
    row: dict[str, Any],
    numbers: Mapping[str, Mapping[Any, Any]],
    mapped: dict[Any, Any],
    archive: Archive,
    taken: ImportedArchive,
) -> None:
    values = {name: _value(kind.table, name, row[name]) for name in kind.columns}
    for name, of in kind.refers.items():
        if values[name] is not None:
            if values[name] not in numbers[of]:
                raise ArchiveRefused(
                    phrase(
                        "{kind}: {name} {values} refers to nothing in {of}",
                        kind=kind.name,
                        name=name,
                        values=repr(values[name]),
                        of=of,
                    )
                )
            values[name] = numbers[of][values[name]]
    own = values.get(kind.key) if kind.key else None
    # Here already: the row stands for the one that is there, and what refers to it follows.
    if (there := kind.known(session, values)) is not None:
        mapped[own] = getattr(there, kind.key) if kind.key else None
        if isinstance(there, Person):
            taken.known.append(there.name)
        return
    kind.settled(session, values, numbers)
    if kind.table is ExerciseVersion:
        digest = str(values["digest"])
        values["content"] = _content_of(archive, digest)
        values["named"] = bundle_for(digest, values["content"]).title
    # Numbers are given anew; those of the archive may be taken here.
    if kind.numbered:
        values.pop(kind.key)
    made = kind.table(**{**kind.added, **values})
    session.add(made)
    if kind.numbered:
        session.flush()
    if kind.key:
        mapped[own] = getattr(made, kind.key)
    taken.counts[kind.name] = taken.counts.get(kind.name, 0) + 1


def _content_of(archive: Archive, digest: str) -> str:
    if digest not in archive.exercises:
        raise ArchiveRefused(phrase("exercises/{digest}.json is missing", digest=digest))
    return archive.exercises[digest]


def _value(table: type[Base], name: str, value: Any) -> Any:
    column = table.__table__.columns[name]
    if value is None:
        if not column.nullable:
            raise ValueError(phrase("{name} is empty", name=name))
        return None
    if isinstance(column.type, DateTime):
        return datetime.fromisoformat(str(value)).replace(tzinfo=None)
    if isinstance(column.type, Date):
        return date.fromisoformat(str(value))
    expected = column.type.python_type
    # JSON writes 50.0 as 50 where another program made the file.
    if expected is float and isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    if not isinstance(value, expected) or (expected is int and isinstance(value, bool)):
        raise ValueError(
            phrase("{name} is {value}, where {kind} is expected", name=name, value=repr(value), kind=expected.__name__)
        )
    return value
