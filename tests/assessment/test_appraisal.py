"""What an instructor says of a run: what is kept of it, and what is refused with what would be right."""

from __future__ import annotations

import pytest

from lumenstat.assessment.appraisal import checked_appraisal
from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import RunLog
from lumenstat.errors import EntryRefused

SCALE = ("1", "2", "3")


@pytest.fixture(scope="module")
def ledger(frost: Bundle) -> Ledger:
    return score(frost, RunLog(frost.exercise.id, frost.digest, "test", ())).ledger


def test_a_remark_a_grade_or_a_recommendation_alone_is_enough(ledger: Ledger) -> None:
    assert checked_appraisal(ledger, SCALE, " Calm. ", "", "", ()) == ("Calm.", None, None, ())
    assert checked_appraisal(ledger, SCALE, "", "2", "", ()) == ("", "2", None, ())
    assert checked_appraisal(ledger, SCALE, "", "", "go-on", ()) == ("", None, "go-on", ())


def test_items_are_kept_with_the_recommendation_to_drill_alone(ledger: Ledger) -> None:
    assert checked_appraisal(ledger, SCALE, "", "", "drill", ("log",)) == ("", None, "drill", ("log",))
    assert checked_appraisal(ledger, SCALE, "", "", "go-on", ("log",))[3] == ()


@pytest.mark.parametrize(
    ("entered", "says"),
    [
        (("x" * 2001, "", "", ()), "A remark may have"),
        (("", "9", "", ()), "There is no grade '9'; this school's scale is 1, 2, 3."),
        (("", "", "rest", ()), "There is no recommendation 'rest'"),
        (("", "", "drill", ()), "Choose the items that are to be drilled."),
        (("", "", "drill", ("nothing",)), "There is no item 'nothing' in this ledger."),
        (("  ", "", "", ()), "Write a remark, choose a grade or a recommendation."),
    ],
)
def test_what_is_wrong_is_refused(ledger: Ledger, entered: tuple[str, str, str, tuple[str, ...]], says: str) -> None:
    with pytest.raises(EntryRefused, match=says[:30]) as refused:
        checked_appraisal(ledger, SCALE, *entered)
    assert says in str(refused.value)
