"""The demo school: Hollin Bay Flight Academy, with people and exercises made up for it."""

from __future__ import annotations

import hashlib
from pathlib import Path

from sqlalchemy.orm import Session

from lumenstat.documents.bundles import SHIPPED, Library, shipped_exercises
from lumenstat.records.exercises import store_bundle
from lumenstat.records.marks import LIBRARY, mark, set_mark
from lumenstat.records.people import add_person, find_person

READING = ("language", "systems", "items", "documents")
"""The packages that decide what a document means."""
DEMO_SCHOOL = "Hollin Bay Flight Academy"
DEMO_PASSWORD = "frost-on-the-ramp"  # noqa: S105 - shown on the demo's own sign-in page
DEMO_PEOPLE = (
    ("Odile Marrash", "odile", "instructor"),
    ("Ines Okafor-Lund", "ines", "trainee"),
    ("Tobias Arkwell", "tobias", "trainee"),
)


def seed_library(session: Session) -> None:
    """Store every shipped exercise, unless just these were stored already."""
    digest = library_digest()
    kept = mark(session, LIBRARY)
    if kept is not None and kept[0] == digest:
        return
    library = Library()
    for path in shipped_exercises():
        store_bundle(session, library.bundle(path))
    set_mark(session, LIBRARY, digest)


def library_digest() -> str:
    """SHA-256 of the shipped documents and of the code that reads them: while it stays, so do the exercises."""
    digest = hashlib.sha256()
    code = (path for name in READING for path in (Path(__file__).parent / name).rglob("*.py"))
    for path in sorted((*SHIPPED.glob("*/*.yaml"), *code)):
        digest.update(f"{path.name}\0".encode() + path.read_bytes() + b"\0")
    return digest.hexdigest()


def seed_demo(session: Session) -> None:
    """Add the demo school's people, once."""
    for name, sign_in_name, role in DEMO_PEOPLE:
        if find_person(session, sign_in_name) is None:
            add_person(session, name, sign_in_name, role, DEMO_PASSWORD)
