"""What an instructor says of a run as a whole: a remark, a grade on the school's own scale, and what comes next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from lumenstat.assessment.ledger import Ledger
from lumenstat.errors import EntryRefused
from lumenstat.language.wording import phrase

Advice = Literal["go-on", "repeat", "drill"]
ADVICE: Mapping[Advice, str] = {
    "go-on": phrase("Go on"),
    "repeat": phrase("Repeat it"),
    "drill": phrase("Drill these items"),
}
LONGEST_REMARK = 2000


class Appraisal(BaseModel):
    """One appraisal. `drill` holds ids of items, where those are to be drilled."""

    model_config = ConfigDict(frozen=True)
    remark: str
    grade: str | None
    advice: Advice | None
    drill: tuple[str, ...] = ()
    by: str
    at: str
    when: datetime | None = Field(default=None, exclude=True)
    """The same moment, in UTC, for pages that tell it in their reader's zone; records keep `at`."""

    @property
    def advice_words(self) -> str | None:
        """The recommendation as pages say it."""
        return None if self.advice is None else ADVICE[self.advice]


def checked_appraisal(
    ledger: Ledger, scale: Sequence[str], remark: str, grade: str, advice: str, drill: Sequence[str]
) -> tuple[str, str | None, Advice | None, tuple[str, ...]]:
    """Remark, grade, recommendation and items as they are kept. Raises EntryRefused that says what would be right."""
    if len(remark) > LONGEST_REMARK:
        raise EntryRefused(
            phrase("A remark may have {longest_remark:,} characters.", longest_remark=LONGEST_REMARK), "remark"
        )
    if grade and grade not in scale:
        raise EntryRefused(
            phrase(
                "There is no grade {grade}; this school's scale is {scale}.", grade=repr(grade), scale=", ".join(scale)
            ),
            "grade",
        )
    # By the list itself, so that a new recommendation is known here at once.
    found: Advice | None = next((each for each in get_args(Advice) if each == advice), None)
    if advice and found is None:
        raise EntryRefused(
            phrase(
                "There is no recommendation {advice}; there is {known}.",
                advice=repr(advice),
                known=", ".join(ADVICE),
            ),
            "advice",
        )
    known = {row.item for row in ledger.items}
    if missing := [name for name in drill if name not in known]:
        raise EntryRefused(phrase("There is no item {missing} in this ledger.", missing=repr(missing[0])))
    if found == "drill" and not drill:
        raise EntryRefused(phrase("Choose the items that are to be drilled."), "drill")
    if not (remark.strip() or grade or found):
        raise EntryRefused(phrase("Write a remark, choose a grade or a recommendation."), "remark")
    return remark.strip(), grade or None, found, tuple(drill) if found == "drill" else ()
