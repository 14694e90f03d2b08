"""What a day's plan has now and next, for the desk and for home pages."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy.orm import Session

from lumenstat.language.wording import joined, phrase
from lumenstat.records.day_plans import plans_around
from lumenstat.training.day_plan import PHASE_WORDS, DayPlan, Slot, minutes_since, now_and_next, on_the_wall
from lumenstat.web.rendering import Context
from lumenstat.web.security import Viewer

A_DAY = 24 * 60


class NowNext(Context):
    """What a plan has now and next, in words."""

    id: str
    title: str
    now: tuple[str, ...]
    next: tuple[str, ...]
    short: str
    """The same in one line, without names."""


def now_next_of(session: Session, viewer: Viewer, group: int | None = None) -> tuple[NowNext, ...]:
    """What today's plans have now and next: an instructor's own, a trainee's own, or those of a group."""
    found = []
    at = datetime.now(UTC)
    for record in plans_around(session, at.date()):
        plan = record.plan
        mine = [s for s in plan.slots if viewer.id in (s.instructor, *s.trainees)]
        of_group = group is not None and record.group_id == group
        seen = now_and_next(plan if of_group else plan.model_copy(update={"slots": tuple(mine)}), at)
        # A plan of the day after tomorrow is not yet what is next.
        if seen.now or (seen.next and seen.next[0].begins - minutes_since(plan.wanted, at) <= 24 * 60):
            words = [tuple(_slot_words(plan, slot) for slot in slots) for slots in (seen.now, seen.next)]
            # Several slots of a wave say the same of it; on a narrow screen once is enough.
            short = joined("; ", dict.fromkeys([*_short(plan, True, seen.now), *_short(plan, False, seen.next)]))
            found.append(NowNext(id=record.id, title=record.title, now=words[0], next=words[1], short=short))
    return tuple(found)


def _short(plan: DayPlan, now: bool, slots: tuple[Slot, ...]) -> list[str]:
    def clock(slot: Slot) -> str:
        if now:
            return phrase("until {time}", time=on_the_wall(plan.wanted, slot.ends))
        return phrase("at {time}", time=on_the_wall(plan.wanted, slot.begins))

    return [
        phrase(
            "{when} {phase} of {title}, {time}",
            when=phrase("now") if now else phrase("next"),
            phase=PHASE_WORDS[slot.phase],
            title=slot.title,
            time=clock(slot),
        )
        for slot in slots
    ]


def _slot_words(plan: DayPlan, slot: Slot) -> str:
    start, end = on_the_wall(plan.wanted, slot.begins), on_the_wall(plan.wanted, slot.ends)
    names = {who.id: who.name for who in plan.wanted.trainees}
    who = ", ".join(names.get(each, "") for each in slot.trainees)
    where = slot.room or ", ".join(slot.stations)
    return phrase(
        "{start} to {end} {title}, {phase}, {where}: {who}",
        start=start,
        end=end,
        title=slot.title,
        phase=PHASE_WORDS[slot.phase],
        where=where,
        who=who,
    )
