"""The plan of a day on paper, to pin up: by time, with who is where."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.exchange.day_ics import DayFacts, names_of
from lumenstat.exchange.printed_sheet import BRICK, QUIET, Sheet
from lumenstat.language.wording import SOURCE_LANGUAGE, phrase
from lumenstat.training.day_plan import PHASE_WORDS, DayPlan, Slot, on_the_wall
from lumenstat.training.day_rules import clashes

HEADS = (phrase("From"), phrase("To"), phrase("What"), phrase("Where"), phrase("Instructor"), phrase("Trainees"))


def day_rows(plan: DayPlan) -> list[list[str]]:
    """The plan as a table, by time."""
    return [_row(plan, slot) for slot in sorted(plan.slots, key=lambda each: (each.begins, each.wave))]


def _row(plan: DayPlan, slot: Slot) -> list[str]:
    names = names_of(plan)
    places = dict(zip(slot.trainees, slot.stations, strict=False))
    who = [names.get(each, "") + (f" ({places[each]})" if each in places else "") for each in slot.trainees]
    begins, ends = on_the_wall(plan.wanted, slot.begins), on_the_wall(plan.wanted, slot.ends)
    where = slot.room or ", ".join(slot.stations)
    return [
        begins,
        ends,
        phrase("{title}, {phase}", title=slot.title, phase=PHASE_WORDS[slot.phase]),
        where,
        names.get(slot.instructor, ""),
        ", ".join(who),
    ]


def day_pdf(plan: DayPlan, facts: DayFacts, language: str = SOURCE_LANGUAGE) -> bytes:
    """The plan as a page or two."""
    sheet = Sheet(facts.title, facts.school, language)
    sheet.title_line(facts.title)
    sheet.say(phrase("{day:%A, %-d %B %Y}, times of {zone}.", day=plan.wanted.day, zone=plan.wanted.zone), colour=QUIET)
    for clash in clashes(plan):
        sheet.say(phrase("{clash}.", clash=clash.says), colour=BRICK)
    for left in plan.left_over:
        sheet.say(phrase("Does not fit: {left}.", left=left), colour=BRICK)
    sheet.heading(phrase("By time"))
    rows: Sequence[Sequence[str]] = day_rows(plan)
    sheet.rows(HEADS, rows, (14, 14, 45, 34, 30, 48))
    return sheet.finished()
