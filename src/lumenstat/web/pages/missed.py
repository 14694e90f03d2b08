"""The items that cost points most often, in words: of a person, or of a class."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import VERDICT_WORDS
from lumenstat.errors import NoSuchRecord
from lumenstat.language.wording import phrase
from lumenstat.records.exercises import current_exercise
from lumenstat.records.statistics import MissedItem
from lumenstat.web.rendering import Context


class MissedLine(Context):
    """An item that costs points, in words."""

    exercise: str
    item: str
    times: int
    missed: int
    verdict: str
    choice: str = ""
    """How a drill names it; empty where the exercise has it no more."""


def missed_lines(session: Session, missed: Sequence[MissedItem]) -> tuple[MissedLine, ...]:
    """What is missed, in words; the documents of each exercise are looked at once."""
    words = {str(verdict): text for verdict, text in VERDICT_WORDS.items()}
    items = {name: _items(session, name) for name in {each.exercise_id for each in missed}}
    return tuple(
        MissedLine(
            exercise=each.title,
            item=items[each.exercise_id].get(each.item, each.item),
            times=each.times,
            missed=each.missed,
            verdict=phrase("{verdict:low}", verdict=words.get(each.worst, each.worst)),
            # Without a choice where the item is gone, for nobody can drill it.
            choice=f"{each.exercise_id}|{each.item}" if each.item in items[each.exercise_id] else "",
        )
        for each in missed
    )


def _items(session: Session, exercise_id: str) -> Mapping[str, str]:
    """The items of an exercise as they are called now, by id; none where it is there no more."""
    try:
        bundle = current_exercise(session, exercise_id).bundle
    except NoSuchRecord:
        return {}
    return {s.item.id: f"{s.number + 1} " + bundle.worded(s.item.challenge) for s in bundle.procedure.steps}


class SlipLine(Context):
    """A kind of slip: its verdict, in words, and how often."""

    verdict: str
    words: str
    times: int


def slip_lines(slips: Sequence[tuple[str, int]]) -> tuple[SlipLine, ...]:
    """Kinds of slip, in words."""
    words = {str(verdict): text for verdict, text in VERDICT_WORDS.items()}
    return tuple(SlipLine(verdict=kind, words=words.get(kind, kind), times=times) for kind, times in slips)
