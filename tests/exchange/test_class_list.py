"""Class lists as schools have them, with every problem at once."""

from __future__ import annotations

import pytest

from lumenstat.exchange.class_list import Listed, read_class_list
from lumenstat.language.foreign_tables import read_table


def names(text: str) -> list[tuple[str, str, str, str]]:
    listed = read_class_list(read_table(text.encode()))
    assert listed.problems == ()
    return [(each.name, each.sign_in_name, each.role, each.group) for each in listed.people]


@pytest.mark.parametrize(
    "text",
    [
        "Irmgard Solano\nPiet van Loon\n",
        "Name\nIrmgard Solano\nPiet van Loon\n",
        "No;Surname;First name\n1;Solano;Irmgard\n2;van Loon;Piet\n",
        "Trainee name,Remarks\nIrmgard  Solano,late\nPiet van Loon,\n",
        'Name\n"Solano, Irmgard"\n"van Loon, Piet"\n',
    ],
)
def test_names_are_found_however_they_stand(text: str) -> None:
    assert [name for name, *_ in names(text)] == ["Irmgard Solano", "Piet van Loon"]


def test_sign_in_names_roles_and_groups_are_taken_where_they_are_given() -> None:
    text = "Class\tName\tLogin\tFunction\nA\tIrmgard Solano\tIRM\tInstructor\nB\tPiet\t\t\n"
    assert names(text) == [("Irmgard Solano", "irm", "instructor", "A"), ("Piet", "", "trainee", "B")]


def test_every_problem_is_told_by_its_line() -> None:
    text = "Name,Login,Role\nAda,ada,\n,bo,\nCy,c y,\nAda,ada,\nDo,,boss\n"
    found = read_class_list(read_table(text.encode()))
    assert [line for line, _ in found.problems] == [3, 4, 5, 5, 6]
    for line, says in ((3, "name is needed"), (4, "a to z"), (5, "stands on line 2"), (6, "no role 'boss'")):
        assert any(at == line and says in what for at, what in found.problems)


def test_a_heading_with_nobody_below_it_is_told() -> None:
    assert "nobody on the list" in read_class_list(read_table(b"Name,Group\n")).problems[0][1]


def test_a_list_is_not_without_end() -> None:
    found = read_class_list(read_table("".join(f"Person {n}\n" for n in range(201)).encode()))
    assert found.problems == ((201, "A list has at most 200 people; split it."),)
    assert found.people[0] == Listed(1, "Person 0", "", "trainee", "")
