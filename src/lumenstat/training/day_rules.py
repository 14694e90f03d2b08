"""The rules of a day: nobody and nothing in two places, within hours, phases in order, breaks; what breaks one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from lumenstat.language.wording import phrase
from lumenstat.training.day_plan import PHASE_WORDS, PHASES, Clash, DayPlan, Slot, Wanted, on_the_wall


def at_once(one: Slot, other: Slot) -> bool:
    """Whether two slots overlap in time."""
    return one.begins < other.ends and other.begins < one.ends


def clashes(plan: DayPlan) -> list[Clash]:
    """Every rule that a plan breaks."""
    return clashes_of(plan.wanted, plan.slots)


def clashes_of(wanted: Wanted, slots: Sequence[Slot], wave: int | None = None) -> list[Clash]:
    """The rules that these slots break; of one wave where only that is asked for."""
    ordered = sorted(slots, key=lambda slot: (slot.begins, slot.wave, slot.ends))
    found = [*_twice(wanted, ordered, wave), *_hours(wanted, ordered, wave), *_order(ordered, wave)]
    return [*found, *_breaks(wanted, ordered, wave)]


def _twice(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    names = {who.id: who.name for who in (*wanted.trainees, *wanted.instructors)}
    for n, one in enumerate(slots):
        for other in slots[n + 1 :]:
            # Slots come by their begin, so none of those that follow can meet this one either.
            if other.begins >= one.ends:
                break
            if wave is not None and wave not in (one.wave, other.wave):
                continue
            when = on_the_wall(wanted, max(one.begins, other.begins))
            keys = (one.key, other.key)
            if one.instructor == other.instructor:
                yield Clash(
                    says=phrase(
                        "{person} is in two places at {when}",
                        person=names.get(one.instructor, phrase("An instructor")),
                        when=when,
                    ),
                    slots=keys,
                )
            for person in set(one.trainees) & set(other.trainees):
                yield Clash(
                    says=phrase(
                        "{person} is in two places at {when}", person=names.get(person, phrase("A trainee")), when=when
                    ),
                    slots=keys,
                )
            for station in set(one.stations) & set(other.stations):
                yield Clash(says=phrase("{station} is used twice at {when}", station=station, when=when), slots=keys)
            if one.room and one.room == other.room:
                yield Clash(says=phrase("{room} is used twice at {when}", room=one.room, when=when), slots=keys)


def _hours(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    known = {who.id: who for who in (*wanted.trainees, *wanted.instructors)}
    for slot in slots:
        if wave is not None and slot.wave != wave:
            continue
        if slot.begins < wanted.begins or slot.ends > wanted.ends:
            day = _span(wanted, wanted.begins, wanted.ends)
            yield Clash(
                says=phrase(
                    "{title}, {phase}, is outside of the day, {day}",
                    title=slot.title,
                    phase=PHASE_WORDS[slot.phase],
                    day=day,
                ),
                slots=(slot.key,),
            )
        for person in (slot.instructor, *slot.trainees):
            who = known.get(person)
            if who is not None and (slot.begins < who.from_minute or slot.ends > who.to_minute):
                here = _span(wanted, who.from_minute, who.to_minute)
                yield Clash(says=phrase("{who} is there from {here} only", who=who.name, here=here), slots=(slot.key,))


def _span(wanted: Wanted, begins: int, ends: int) -> str:
    return phrase("{start} to {end}", start=on_the_wall(wanted, begins), end=on_the_wall(wanted, ends))


def _order(slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    waves: dict[int, list[Slot]] = {}
    for slot in slots:
        if wave is None or slot.wave == wave:
            waves.setdefault(slot.wave, []).append(slot)
    for own in waves.values():
        # By phase, since a move may have brought the debriefing before the flight.
        own.sort(key=lambda slot: PHASES.index(slot.phase))
        for one, other in pairwise(own):
            if other.begins < one.ends:
                says = phrase(
                    "{title}: the {phase} begins before the {before} has ended",
                    title=one.title,
                    phase=PHASE_WORDS[other.phase],
                    before=PHASE_WORDS[one.phase],
                )
                yield Clash(says=says, slots=(one.key, other.key))


def _breaks(wanted: Wanted, slots: Sequence[Slot], wave: int | None) -> Iterator[Clash]:
    """Nobody works for longer than the rule without a break of at least so long; one wave is never torn apart."""
    people = {person: who.name for who in (*wanted.instructors, *wanted.trainees) for person in (who.id,)}
    for person, name in people.items():
        own = [slot for slot in slots if person in (slot.instructor, *slot.trainees)]
        stretch: list[Slot] = []
        for slot in own:
            if stretch and slot.begins - max(each.ends for each in stretch) >= wanted.break_minutes:
                stretch = []
            stretch.append(slot)
            worked = max(each.ends for each in stretch) - stretch[0].begins
            # One wave that is longer than the rule has no better place anywhere.
            waves = {each.wave for each in stretch}
            # A wave that is put between two others can take the break from one that comes after it.
            if worked > wanted.work_at_most and len(waves) > 1 and (wave is None or wave in waves):
                says = phrase(
                    "{name} has no break of {break_minutes} min in {worked} min",
                    name=name,
                    break_minutes=wanted.break_minutes,
                    worked=worked,
                )
                yield Clash(says=says, slots=tuple(each.key for each in stretch))
                break
