"""Addresses of people: signing in, accounts, groups."""

from __future__ import annotations

from lumenstat.web.urls.binding import path


def sign_in() -> str:
    """The sign-in page."""
    return path("sign_in")


def sign_in_beside() -> str:
    """Signs in again beside a page that is open, and tells who is signed in."""
    return path("sign_in_beside")


def sign_out() -> str:
    """Ends the sign-in."""
    return path("sign_out")


def sign_out_everywhere() -> str:
    """Ends all sign-ins of whoever is signed in."""
    return path("sign_out_everywhere")


def first_instructor() -> str:
    """Where the very first account is made."""
    return path("first_instructor")


def help_home() -> str:
    """Help: its topics and its search."""
    return path("help_home")


def words(language: str) -> str:
    """What scripts say in a language."""
    return path("words", language=language)


def help_topic(topic: str) -> str:
    """A page of help."""
    return path("help_topic", topic=topic)


def home() -> str:
    """Everybody's home page."""
    return path("home")


def people() -> str:
    """The list of people."""
    return path("people")


def people_file(kind: str) -> str:
    """Everybody as CSV or XLSX."""
    return path("people_file", kind=kind)


def add_person() -> str:
    """Adds one person."""
    return path("add_person")


def person(person_id: str) -> str:
    """One person."""
    return path("person", person_id=person_id)


def change_person(person_id: str) -> str:
    """Changes a person."""
    return path("change_person", person_id=person_id)


def print_slips() -> str:
    """Makes slips with first passwords or links."""
    return path("print_slips")


def class_list() -> str:
    """Takes in a class list."""
    return path("class_list")


def class_list_template() -> str:
    """A class list to fill in."""
    return path("class_list_template")


def groups() -> str:
    """All groups."""
    return path("groups")


def groups_file(kind: str) -> str:
    """Every group as CSV or XLSX."""
    return path("groups_file", kind=kind)


def add_group() -> str:
    """Adds a group."""
    return path("add_group")


def group(group_id: str) -> str:
    """One group."""
    return path("group", group_id=group_id)


def change_group(group_id: str) -> str:
    """Changes a group."""
    return path("change_group", group_id=group_id)


def open_exercises(group_id: str) -> str:
    """Chooses what a group may practise."""
    return path("open_exercises", group_id=group_id)


def account() -> str:
    """One's own account."""
    return path("account")


def put_hint_away() -> str:
    """Where a hint that was read is put away."""
    return path("put_hint_away")


def own_keys() -> str:
    """The form for one's own keys of the station."""
    return path("own_keys")


def own_password() -> str:
    """Changes one's own password."""
    return path("own_password")


def end_other_sign_ins() -> str:
    """Ends one's sign-ins elsewhere."""
    return path("end_other_sign_ins")


def welcome(token: str) -> str:
    """Where the link of a slip leads."""
    return path("welcome", token=token)


def join() -> str:
    """Joins a run by its code."""
    return path("join")


def erase_person(person_id: str) -> str:
    """Erases a person."""
    return path("erase_person", person_id=person_id)
