"""Plans of a day as they are kept: who was quicker, and what comes before and after a day."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from lumenstat.errors import Overtaken
from lumenstat.records.database import Database
from lumenstat.records.day_plans import get_plan, move_in_plan, plans_before, plans_from
from lumenstat.standins.today import plan_today
from lumenstat.training.day_plan import Move


@pytest.fixture
def plan_id(database: Database) -> str:
    database.write(plan_today)
    (plan,) = database.read(lambda session: plans_from(session, date(2000, 1, 1)))
    return plan.id


def later(database: Database, plan_id: str, edition: int, minutes: int) -> None:
    slot = database.read(lambda session: get_plan(session, plan_id).plan.slots[0])
    move = Move(slot=slot.key, by_minutes=minutes)
    database.write(lambda session: move_in_plan(session, plan_id, edition, "Odile Brand", move))


def test_whoever_looks_at_an_older_edition_is_told_and_changes_nothing(database: Database, plan_id: str) -> None:
    first = database.read(lambda session: get_plan(session, plan_id).edition)
    later(database, plan_id, first, 5)
    stands = database.read(lambda session: get_plan(session, plan_id).content)
    with pytest.raises(Overtaken, match="Odile Brand changed this plan in the meantime"):
        later(database, plan_id, first, 5)
    assert database.read(lambda session: get_plan(session, plan_id).content) == stands
    later(database, plan_id, first + 1, 5)
    assert database.read(lambda session: get_plan(session, plan_id).edition) == first + 2


def test_a_plan_stands_on_its_day_and_is_over_the_day_after(database: Database, plan_id: str) -> None:
    day = database.read(lambda session: get_plan(session, plan_id).day)
    for looked_at, coming, over in ((day, [plan_id], []), (day + timedelta(days=1), [], [plan_id])):
        assert [each.id for each in database.read(lambda s, d=looked_at: plans_from(s, d))] == coming  # type: ignore[misc]
        assert [each.id for each in database.read(lambda s, d=looked_at: plans_before(s, d, 9))] == over  # type: ignore[misc]
