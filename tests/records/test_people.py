"""People, groups, links: who may sign in, who stands where, and two who change the same thing."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from lumenstat.errors import EntryRefused, NoSuchRecord, Overtaken, RecordError
from lumenstat.records import groups as records
from lumenstat.records.database import Database
from lumenstat.records.groups import GroupChange
from lumenstat.records.invitations import invite, invited, use_up
from lumenstat.records.people import (
    PersonChange,
    add_person,
    change_person,
    check_password,
    checked_time_zone,
    first_password,
    free_sign_in_name,
    get_person,
    plain,
    set_account,
    set_password,
    trainees,
)

PASSWORD = "long enough words"


@pytest.fixture
def database(tmp_path: Path, quick_hashes: None) -> Iterator[Database]:
    opened = Database(tmp_path / "school.sqlite")
    opened.write(lambda s: add_person(s, "Hilde Orme", "hilde", "head", PASSWORD) and None)
    opened.write(lambda s: add_person(s, "Piet van Loon", "piet", "instructor", PASSWORD) and None)
    for name in ("ada", "bo", "cy"):
        opened.write(lambda s, n=name: add_person(s, n.title(), n, "trainee", PASSWORD) and None)  # type: ignore[misc]
    yield opened
    opened.close()


@pytest.mark.parametrize(
    ("name", "sign_in", "role", "password", "field"),
    [
        ("  ", "x", "trainee", PASSWORD, "name"),
        ("N" * 81, "x", "trainee", PASSWORD, "name"),
        ("New", "", "trainee", PASSWORD, "sign_in_name"),
        ("New", "new one", "trainee", PASSWORD, "sign_in_name"),
        ("New", "ADA", "trainee", PASSWORD, "sign_in_name"),
        ("New", "new", "pilot", PASSWORD, "role"),
        ("New", "new", "trainee", "short", "password"),
        ("New", "new", "trainee", "1234567890", "password"),
    ],
)
def test_what_cannot_be_kept_names_its_field(
    database: Database, name: str, sign_in: str, role: str, password: str, field: str
) -> None:
    with pytest.raises(EntryRefused) as refused:
        database.write(lambda s: add_person(s, name, sign_in, role, password) and None)
    assert refused.value.field == field


def test_names_to_sign_in_with_are_made_of_names() -> None:
    assert plain("Dario Ekström-Vale") == "dario.ekstrom.vale"
    assert plain("李") == ""


def test_a_name_that_is_taken_gets_a_number(database: Database) -> None:
    assert database.read(lambda s: free_sign_in_name(s, "Ada")) == "ada2"
    assert database.read(lambda s: free_sign_in_name(s, "李")) == "person"


def test_first_passwords_are_long_enough_and_never_the_same() -> None:
    made = {first_password() for _ in range(200)}
    assert len(made) == 200
    assert all(len(each) >= 14 and each.replace("-", "").isalpha() for each in made)


def test_two_who_change_the_same_person_are_told(database: Database) -> None:
    ada = database.read(trainees)[0]
    change = PersonChange(ada.edition, "Ada Quill", "ada", "trainee", True)
    database.write(lambda s: change_person(s, ada.id, change) and None)
    with pytest.raises(Overtaken, match="Ada Quill"):
        database.write(lambda s: change_person(s, ada.id, change) and None)


def test_the_last_head_of_training_stays_one(database: Database) -> None:
    head = database.read(lambda s: get_person(s, 1))
    for role, active in (("instructor", True), ("head", False)):
        wanted = PersonChange(head.edition, head.name, head.sign_in_name, role, active)
        with pytest.raises(RecordError, match="only head of training"):
            database.write(lambda s, w=wanted: change_person(s, 1, w) and None)  # type: ignore[misc]


def test_whoever_is_kept_out_signs_in_no_more(database: Database) -> None:
    ada = database.read(trainees)[0]
    assert check_password(ada, PASSWORD)
    kept_out = PersonChange(ada.edition, ada.name, ada.sign_in_name, "trainee", False)
    database.write(lambda s: change_person(s, ada.id, kept_out) and None)
    ada = database.read(lambda s: get_person(s, ada.id))
    assert not check_password(ada, PASSWORD)
    assert [each.name for each in database.read(trainees)] == ["Bo", "Cy"]


def test_an_account_is_ones_own(database: Database) -> None:
    database.write(lambda s: set_account(s, 3, " Ada  Quill ", "Pacific/Chatham"))
    assert database.read(lambda s: get_person(s, 3)).name == "Ada Quill"
    with pytest.raises(EntryRefused, match="no time zone"):
        checked_time_zone("Moon/Crater")
    database.write(lambda s: set_password(s, 3, "another long one", must_change=True) and None)
    changed = database.read(lambda s: get_person(s, 3))
    assert changed.must_change and check_password(changed, "another long one")


def test_a_link_is_good_once_and_the_last_one_only(database: Database) -> None:
    first, second = (database.write(lambda s: invite(s, 3)) for _ in range(2))
    assert database.read(lambda s: invited(s, first)) is None
    found = database.read(lambda s: invited(s, second))
    assert found is not None and found.sign_in_name == "ada"
    database.write(lambda s: use_up(s, 3))
    assert database.read(lambda s: invited(s, second)) is None


def test_groups_have_trainees_an_instructor_and_a_name_of_their_own(database: Database) -> None:
    made = database.write(lambda s: records.add_group(s, "Autumn A", 2, [3, 4]).id)
    assert [p.name for p in database.read(lambda s: records.members_of(s, made))] == ["Ada", "Bo"]
    assert database.read(records.member_counts) == {made: 2}
    for name, charge, members, field in (
        ("autumn a", 2, (), "name"), ("", 2, (), "name"), ("B", 3, (), "instructor"), ("B", 2, (1,), "members"),
    ):  # fmt: skip
        with pytest.raises(EntryRefused) as refused:
            database.write(lambda s, n=name, c=charge, m=members: records.add_group(s, n, c, m) and None)  # type: ignore[misc]
        assert refused.value.field == field
    database.write(lambda s: records.add_members(s, made, [5]))
    edition = database.read(lambda s: records.get_group(s, made)).edition
    change = GroupChange(edition, "Autumn B", 1, (5,), archived=True)
    database.write(lambda s: records.change_group(s, made, change))
    assert database.read(records.groups) == []
    assert [g.name for g in database.read(lambda s: records.groups(s, archived=True))] == ["Autumn B"]
    with pytest.raises(Overtaken):
        database.write(lambda s: records.change_group(s, made, change))
    with pytest.raises(NoSuchRecord):
        database.read(lambda s: records.get_group(s, 99))
