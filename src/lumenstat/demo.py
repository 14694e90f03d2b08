"""The demo school: Hollin Bay Flight Academy, with people and exercises made up for it."""

from __future__ import annotations

from sqlalchemy.orm import Session

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.records.exercises import store_bundle
from lumenstat.records.people import add_person, find_person

DEMO_SCHOOL = "Hollin Bay Flight Academy"
DEMO_PASSWORD = "frost-on-the-ramp"  # noqa: S105 - shown on the demo's own sign-in page
DEMO_PEOPLE = (
    ("Odile Marrash", "odile", "instructor"),
    ("Ines Okafor-Lund", "ines", "trainee"),
    ("Tobias Arkwell", "tobias", "trainee"),
)


def seed_library(session: Session) -> None:
    """Store every shipped exercise."""
    library = Library()
    for path in shipped_exercises():
        store_bundle(session, library.bundle(path))


def seed_demo(session: Session) -> None:
    """Add the demo school's people, once."""
    for name, sign_in_name, role in DEMO_PEOPLE:
        if find_person(session, sign_in_name) is None:
            add_person(session, name, sign_in_name, role, DEMO_PASSWORD)
