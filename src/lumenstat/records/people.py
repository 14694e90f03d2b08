"""People and their passwords."""

from __future__ import annotations

import re
import secrets
import threading
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from typing import Literal, get_args
from zoneinfo import available_timezones

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused, NoSuchRecord, Overtaken, RecordError
from lumenstat.language.wording import joined, phrase
from lumenstat.records.leaked import is_leaked
from lumenstat.records.tables import Person

SHORTEST_PASSWORD = 10
LONGEST_PASSWORD = 200
LONGEST_NAME = 80
LONGEST_SIGN_IN_NAME = 40
SIGN_IN_NAME = re.compile(r"[a-z0-9](?:[a-z0-9._-]*[a-z0-9])?")

Role = Literal["trainee", "instructor", "head"]
ROLES: tuple[Role, ...] = get_args(Role)
ROLE_WORDS: Mapping[str, str] = {
    "trainee": phrase("trainee"), "instructor": phrase("instructor"), "head": phrase("head of training"),
}  # fmt: skip
FIRST_SOUNDS, SECOND_SOUNDS, SYLLABLES = "bdfghjklmnprstvz", "aeiou", 7
"""A first password is made of so many syllables, 45 bits: typed once from a slip, then changed."""

_HASHER = PasswordHasher()
_latest = datetime.min
_clock = threading.Lock()


@cache
def _nobody() -> str:
    """The hash that a password is tried against where there is no such person."""
    return _HASHER.hash("nobody has this password")


def now() -> datetime:
    """The present moment in UTC, as the tables keep it; it never goes back while the server runs."""
    global _latest  # noqa: PLW0603 - the one clock of the process
    with _clock:
        _latest = max(_latest, datetime.now(UTC).replace(tzinfo=None))
        return _latest


# ---- what may be entered ---------------------------------------------------------------------------------------------


def checked_name(name: str) -> str:
    """A person's name as it is kept. Raises EntryRefused."""
    name = " ".join(name.split())
    if not name:
        raise EntryRefused(phrase("A name is needed."), "name")
    if len(name) > LONGEST_NAME:
        raise EntryRefused(phrase("A name has at most {longest_name} characters.", longest_name=LONGEST_NAME), "name")
    return name


def checked_role(role: str) -> Role:
    """A role. Raises EntryRefused that names those there are."""
    # Files from a school's office say the role as a word; forms send its name.
    found = next((each for each in ROLES if role.strip().lower() in (each, ROLE_WORDS[each])), None)
    if found is None:
        raise EntryRefused(
            phrase(
                "There is no role {role}; there is {known}.", role=repr(role), known=joined(", ", ROLE_WORDS.values())
            ),
            "role",
        )
    return found


def checked_sign_in_name(name: str) -> str:
    """A sign-in name as it is kept. Raises EntryRefused."""
    name = name.strip().lower()
    if not name:
        raise EntryRefused(phrase("A sign-in name is needed."), "sign_in_name")
    if len(name) > LONGEST_SIGN_IN_NAME or SIGN_IN_NAME.fullmatch(name) is None:
        says = phrase(
            "A sign-in name has up to {longest_sign_in_name} of a to z, 0 to 9, dot, dash and underscore.",
            longest_sign_in_name=LONGEST_SIGN_IN_NAME,
        )
        raise EntryRefused(says, "sign_in_name")
    return name


def checked_password(password: str, *names: str) -> str:
    """A password that nobody guesses at once. Raises EntryRefused."""
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        says = phrase(
            "A password has {shortest_password} to {longest_password} characters.",
            shortest_password=SHORTEST_PASSWORD,
            longest_password=LONGEST_PASSWORD,
        )
        raise EntryRefused(says, "password")
    if is_leaked(password, *names):
        says = phrase("That password is known to everybody who guesses: it is in lists of leaked ones, or is the name.")
        raise EntryRefused(says, "password")
    return password


def checked_time_zone(name: str) -> str:
    """A time zone by its name. Raises EntryRefused."""
    if name not in time_zones():
        raise EntryRefused(phrase("There is no time zone {name}.", name=repr(name)), "time_zone")
    return name


@cache
def time_zones() -> tuple[str, ...]:
    """The names of time zones, without those that only an abbreviation or an old spelling stands for."""
    return ("UTC", *sorted(name for name in available_timezones() if "/" in name and not name.startswith("Etc/")))


def first_password() -> str:
    """A password to be typed once: syllables in groups, which can be read out and not be mistaken."""
    sounds = [secrets.choice(FIRST_SOUNDS) + secrets.choice(SECOND_SOUNDS) for _ in range(SYLLABLES)]
    return "-".join(("".join(sounds[:2]), "".join(sounds[2:4]), "".join(sounds[4:])))


def plain(name: str) -> str:
    """A name as a sign-in name: lower case, no accents, dots between its parts."""
    bare = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", ".", bare).strip(".")[:LONGEST_SIGN_IN_NAME].strip(".")


def free_sign_in_name(session: Session, name: str) -> str:
    """A sign-in name that nobody has yet, after a person's name."""
    base = plain(name) or "person"
    number, found = 1, base
    while find_person(session, found) is not None:
        number += 1
        # Room for the number: a long name must not be cut into one that is taken.
        found = f"{base[: LONGEST_SIGN_IN_NAME - 4]}{number}"
    return found


# ---- adding and changing ---------------------------------------------------------------------------------------------


def add_person(
    session: Session, name: str, sign_in_name: str, role: str, password: str, must_change: bool = False
) -> Person:
    """Add somebody who can sign in. Raises EntryRefused that says which field is wrong."""
    kept_name, kept_role = checked_name(name), checked_role(role)
    sign_in_name = checked_sign_in_name(sign_in_name)
    _refuse_taken(session, sign_in_name, None)
    person = Person(
        # Refused here as well as by the column, for a message that names who has it.
        name=kept_name,
        sign_in_name=sign_in_name,
        role=kept_role,
        password_hash=hash_password(checked_password(password, sign_in_name, name)),
        must_change=must_change,
    )
    session.add(person)
    session.flush()
    return person


def _refuse_taken(session: Session, sign_in_name: str, person_id: int | None) -> None:
    taken = find_person(session, sign_in_name)
    if taken is not None and taken.id != person_id:
        raise EntryRefused(
            phrase(
                "The sign-in name {sign_in_name} is taken, by {taken}.",
                sign_in_name=repr(sign_in_name),
                taken=taken.name,
            ),
            "sign_in_name",
        )


@dataclass(frozen=True)
class PersonChange:
    """What somebody changes of a person, who stood at `edition` when they looked."""

    edition: int
    name: str
    sign_in_name: str
    role: str
    active: bool


def change_person(session: Session, person_id: int, change: PersonChange) -> Person:
    """Change a person. Raises EntryRefused, Overtaken, or RecordError where nobody could administer any more."""
    person = get_person(session, person_id)
    if person.edition != change.edition:
        raise Overtaken(
            phrase("Somebody else changed {person} in the meantime. Look at how it stands now.", person=person.name)
        )
    role, sign_in_name = checked_role(change.role), checked_sign_in_name(change.sign_in_name)
    _refuse_taken(session, sign_in_name, person.id)
    # Else nobody could make anybody head again.
    if person.role == "head" and person.active and (role != "head" or not change.active):
        _refuse_last_head(session, person)
    person.name, person.sign_in_name = checked_name(change.name), sign_in_name
    person.role, person.active = role, change.active
    person.edition += 1
    return person


def _refuse_last_head(session: Session, person: Person) -> None:
    heads = select(func.count()).select_from(Person).where(Person.role == "head", Person.active, Person.id != person.id)
    if not session.scalar(heads):
        raise RecordError(
            phrase("{person} is the only head of training; make somebody else one first.", person=person.name)
        )


def hash_password(password: str) -> str:
    """A password as it is kept."""
    return _HASHER.hash(password)


def set_password(session: Session, person_id: int, password: str, must_change: bool = False) -> Person:
    """Give somebody another password. Raises EntryRefused."""
    person = get_person(session, person_id)
    person.password_hash = hash_password(checked_password(password, person.sign_in_name, person.name))
    person.must_change = must_change
    person.edition += 1
    return person


def set_account(session: Session, person_id: int, name: str, time_zone: str) -> None:
    """What somebody changes of themselves. Raises EntryRefused."""
    person = get_person(session, person_id)
    person.name, person.time_zone = checked_name(name), checked_time_zone(time_zone)
    person.edition += 1


# ---- looking ---------------------------------------------------------------------------------------------------------


def get_person(session: Session, person_id: int) -> Person:
    """A person by number. Raises NoSuchRecord."""
    person = session.get(Person, person_id)
    if person is None:
        raise NoSuchRecord(phrase("There is no such person."))
    return person


def find_person(session: Session, sign_in_name: str) -> Person | None:
    """The person of that sign-in name."""
    return session.scalar(select(Person).where(Person.sign_in_name == sign_in_name.strip().lower()))


def anybody(session: Session) -> bool:
    """Whether there is any account yet."""
    return bool(session.scalar(select(func.count()).select_from(Person)))


def all_people(session: Session) -> list[Person]:
    """Everybody, by sign-in name."""
    return list(session.scalars(select(Person).order_by(Person.sign_in_name)))


def trainees(session: Session) -> list[Person]:
    """Everybody who can be given an exercise."""
    query = select(Person).where(Person.role == "trainee", Person.active)
    return list(session.scalars(query.order_by(Person.name)))


def instructors(session: Session) -> list[Person]:
    """Everybody who can be in charge of a group or of a run."""
    query = select(Person).where(Person.role.in_(("instructor", "head")), Person.active)
    return list(session.scalars(query.order_by(Person.name)))


def check_password(person: Person | None, password: str) -> bool:
    """Whether the password is right; takes as long for somebody who does not exist or may not sign in any more."""
    known = person if person is not None and person.active else None
    try:
        right = _HASHER.verify(known.password_hash if known else _nobody(), password[:LONGEST_PASSWORD])
    except (VerifyMismatchError, InvalidHashError):
        return False
    return right and known is not None
