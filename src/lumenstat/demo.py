"""The demo school: Hollin Bay Flight Academy, with people and exercises made up for it."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

from sqlalchemy.orm import Session

from lumenstat.documents.bundles import SHIPPED, Library, shipped_exercises
from lumenstat.records.courses import add_course, courses, enrol_group
from lumenstat.records.exercises import current_exercises, store_bundle
from lumenstat.records.groups import add_group, find_group, set_opened
from lumenstat.records.marks import LIBRARY, mark, set_mark
from lumenstat.records.people import all_people, find_person, hash_password
from lumenstat.records.tables import Person
from lumenstat.training.course_standing import Requirement

READING = ("language", "systems", "items", "documents")
"""The packages that decide what a document means."""
DEMO_SCHOOL = "Hollin Bay Flight Academy"
DEMO_PASSWORD = "frost-on-the-ramp"  # noqa: S105 - shown on the demo's own sign-in page
DEMO_PEOPLE = (
    ("Rosamund Tegler", "rosamund", "head"),
    ("Odile Marrash", "odile", "instructor"),
    ("Casimir Brandt-Oyelowo", "casimir", "instructor"),
    ("Henrike Solberg-Naidoo", "henrike", "instructor"),
    ("Matthias Quillon", "matthias", "instructor"),
    ("Ines Okafor-Lund", "ines", "trainee"),
    ("Tobias Arkwell", "tobias", "trainee"),
    ("Maribel Sand-Oyelaran", "maribel", "trainee"),
    ("Jonas Thistlewood", "jonas", "trainee"),
    ("Petra Vanterpool", "petra", "trainee"),
    ("Amadou Reyes-Holm", "amadou", "trainee"),
    ("Wilhelmina Achterberg", "wilhelmina", "trainee"),
    ("Kofi Lindqvist", "kofi", "trainee"),
    ("Saoirse Pemberly", "saoirse", "trainee"),
    ("Dario Ekström-Vale", "dario", "trainee"),
    ("Nadezhda Fairholm", "nadezhda", "trainee"),
    ("Ulf Carrasco", "ulf", "trainee"),
    ("Beatriz Hollander", "beatriz", "trainee"),
    ("Tomos Okonjo-Rask", "tomos", "trainee"),
    ("Yrsa Delacourt", "yrsa", "trainee"),
    ("Emeka Stavrou", "emeka", "trainee"),
    ("Liselotte Brandvold", "liselotte", "trainee"),
    ("Rafferty Nakamori", "rafferty", "trainee"),
)
DEMO_GROUPS = (
    ("Autumn course A", "odile", ("ines", "tobias", "maribel", "jonas", "petra", "amadou")),
    ("Autumn course B", "casimir", ("wilhelmina", "kofi", "saoirse", "dario", "nadezhda", "ulf")),
    ("Evening course", "henrike", ("beatriz", "tomos", "yrsa", "emeka", "liselotte", "rafferty")),
)
DEMO_COURSE = "Cold and dark, basic course"
DEMO_COURSE_ABOUT = (
    "From the first switch to engines running, in the order in which the academy teaches it. Frost counts for some "
    "weeks only; the shutdown needs more points than its pass mark."
)
DEMO_STEPS = (
    Requirement("guided-power-up"),
    Requirement("battery-and-apu", at_least=80.0),
    Requirement("frost-on-the-ramp", within_days=15),
    Requirement("apu-and-ground-power-away"),
    Requirement("shutdown-to-dark", at_least=85.0),
    Requirement("full-cold-start", passes=2),
)
DEMO_OPENED = ("frost-on-the-ramp", "guided-power-up", "battery-and-apu")
"""What the groups may practise."""


def _seed_course(session: Session) -> None:
    """The academy's course with everybody of its first two groups, once."""
    if any(course.name == DEMO_COURSE for course in courses(session, archived=True)):
        return
    course = add_course(session, DEMO_COURSE, DEMO_COURSE_ABOUT, DEMO_STEPS)
    for name, _, _ in DEMO_GROUPS[:2]:
        if (group := find_group(session, name)) is not None:
            enrol_group(session, course.id, group.id)
            session.flush()


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


@cache
def library_digest() -> str:
    """SHA-256 of the shipped documents and of the code that reads them: while it stays, so do the exercises."""
    digest = hashlib.sha256()
    code = (path for name in READING for path in (Path(__file__).parent / name).rglob("*.py"))
    for path in sorted((*SHIPPED.glob("*/*.yaml"), *code)):
        digest.update(f"{path.name}\0".encode() + path.read_bytes() + b"\0")
    return digest.hexdigest()


def seed_demo(session: Session) -> None:
    """Add the demo school's people and groups, once."""
    known_people = {person.sign_in_name for person in all_people(session)}
    missing = [each for each in DEMO_PEOPLE if each[1] not in known_people]
    if missing:
        # One password for all of them is hashed once: the demo opens two seconds sooner.
        hashed = hash_password(DEMO_PASSWORD)
        session.add_all(Person(name=n, sign_in_name=s, role=r, password_hash=hashed) for n, s, r in missing)
        session.flush()
    for name, in_charge, members in DEMO_GROUPS:
        if find_group(session, name) is None:
            people = {each: find_person(session, each) for each in (in_charge, *members)}
            numbers = {each: person.id for each, person in people.items() if person is not None}
            group = add_group(session, name, numbers[in_charge], [numbers[each] for each in members])
            # A demo may run on a library of its own, in which an exercise is missing.
            known = {version.exercise_id for version in current_exercises(session)}
            set_opened(session, group.id, [each for each in DEMO_OPENED if each in known], DEMO_PEOPLE[1][0])
    session.flush()
    _seed_course(session)
