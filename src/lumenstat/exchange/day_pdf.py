"""The plan of a day on paper, to pin up: by time, with who is where."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.exchange.day_ics import DayFacts, names_of
from lumenstat.exchange.printed_sheet import BRICK, QUIET, Sheet
from lumenstat.training.day_plan import DayPlan, Slot, clashes, on_the_wall

HEADS = ("From", "To", "What", "Where", "Instructor", "Trainees")


def day_rows(plan: DayPlan) -> list[list[str]]:
    """The plan as a table, by time."""
    return [_row(plan, slot) for slot in sorted(plan.slots, key=lambda each: (each.begins, each.wave))]


def _row(plan: DayPlan, slot: Slot) -> list[str]:
    names = names_of(plan)
    places = dict(zip(slot.trainees, slot.stations, strict=False))
    who = [names.get(each, "") + (f" ({places[each]})" if each in places else "") for each in slot.trainees]
    begins, ends = on_the_wall(plan.wanted, slot.begins), on_the_wall(plan.wanted, slot.ends)
    where = slot.room or ", ".join(slot.stations)
    return [begins, ends, f"{slot.title}, {slot.phase}", where, names.get(slot.instructor, ""), ", ".join(who)]


def day_pdf(plan: DayPlan, facts: DayFacts) -> bytes:
    """The plan as a page or two."""
    sheet = Sheet(facts.title, facts.school)
    sheet.title_line(facts.title)
    sheet.say(f"{plan.wanted.day:%A, %-d %B %Y}, times of {plan.wanted.zone}.", colour=QUIET)
    for clash in clashes(plan):
        sheet.say(f"{clash.says}.", colour=BRICK)
    for left in plan.left_over:
        sheet.say(f"Does not fit: {left}.", colour=BRICK)
    sheet.heading("By time")
    rows: Sequence[Sequence[str]] = day_rows(plan)
    sheet.rows(HEADS, rows, (14, 14, 45, 34, 30, 48))
    return sheet.finished()
