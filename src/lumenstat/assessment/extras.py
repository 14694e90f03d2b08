"""Actions that no item asked for, told apart by what they did: the log is flown again without them and compared."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lumenstat.assessment.ledger import Effect, ExtraRow
from lumenstat.assessment.left_behind import changed_state, left_words
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language import naming
from lumenstat.language.values import clock, lasting, position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Exceedance, Flight
from lumenstat.simulation.plan import plan_for
from lumenstat.simulation.variants import Outcome, Variants
from lumenstat.systems.panel.part import PanelsSection

ALIVE_TICKS_THAT_MATTER = 100
FLOWN_AGAIN_AT_MOST = 10_000
"""Steps and events, those of some fifteen flights of a whole start. What is left after that is judged together."""

Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class _Group:
    """An action that no item asked for, the one that took it back, and all that belongs to it; indices in the log."""

    index: int
    back: int | None
    parts: frozenset[int]


def judge_extras(
    bundle: Bundle,
    flight: Flight,
    events: Sequence[LogEvent],
    left: list[int],
    progress: Progress = lambda done, of: None,
) -> list[ExtraRow]:
    """One row for every left-over action; `left` holds their indices in `events`, in time order.

    `progress` is told how many of how many have been looked at.
    """
    groups = _groups(flight, events, left)
    if not groups:
        return []
    variants = Variants(bundle, events, flight.end, min(min(group.parts) for group in groups))
    rows: list[ExtraRow] = []
    for number, group in enumerate(groups):
        progress(number, len(groups))
        # Each row is a flight; past this many the rest are told apart by nobody's patience.
        if variants.flown >= FLOWN_AGAIN_AT_MOST and number < len(groups) - 1:
            rows.append(_together(bundle, flight, events, variants, groups[number:]))
            break
        rows.append(_row(bundle, flight, events, variants, group))
    return rows


def _groups(flight: Flight, events: Sequence[LogEvent], left: list[int]) -> list[_Group]:
    """Acts that belong together: moves of one control until it stands as it stood, a press with its release, a guard
    with what it guards."""
    groups: list[_Group] = []
    open_ones = dict.fromkeys(left)
    for index in left:
        # Guards go with what they guard, and by themselves only where that was not moved.
        if index not in open_ones or events[index].verb == "guard":
            continue
        del open_ones[index]
        more, back = _belonging(flight, events, open_ones, index)
        guards = _guards(events, open_ones, index, max((*more, index)))
        for each in (*more, *guards):
            del open_ones[each]
        groups.append(_Group(index, back, frozenset((index, *more, *guards))))
    for index in [n for n in left if n in open_ones]:
        if index in open_ones:
            del open_ones[index]
            back = _closed(events, open_ones, index)
            if back is not None:
                del open_ones[back]
            groups.append(_Group(index, back, frozenset((index,) if back is None else (index, back))))
    return sorted(groups, key=lambda group: group.index)


def _belonging(
    flight: Flight, events: Sequence[LogEvent], left: Mapping[int, object], index: int
) -> tuple[list[int], int | None]:
    """What follows an act and belongs to it, and the last of that if it put things back as they stood."""
    event = events[index]
    if event.verb == "press":
        released = next(
            (n for n in left if n > index and events[n].verb == "release" and events[n].args == event.args), None
        )
        return ([] if released is None else [released]), released
    if event.verb != "set":
        return [], None
    stood, more = _stood(flight, index), []
    for n in range(index + 1, len(events)):
        if events[n].verb != "set" or events[n].args["control"] != event.args["control"]:
            continue
        # A move that some item asked for ends what belongs together.
        if n not in left:
            break
        more.append(n)
        if str(position_text(events[n].args["to"])) == stood:
            return more, n
    return more, None


def _stood(flight: Flight, index: int) -> str:
    """Where the control of a move stood just before it."""
    moment = flight.moments[index]
    return str(position_text(moment.state[naming.control(moment.event.args["control"])]))


def _guards(events: Sequence[LogEvent], left: Mapping[int, object], first: int, last: int) -> list[int]:
    """The guard that was lifted for acts from `first` to `last`, and closed after them."""
    control = events[first].args.get("control")
    of_it = [n for n in left if events[n].verb == "guard" and events[n].args["control"] == control]
    before = [n for n in of_it if n < first and events[n].args["open"]]
    after = [n for n in of_it if n > last and not events[n].args["open"]]
    between = [n for n in of_it if first < n < last]
    return [*before[-1:], *between, *after[:1]]


def _closed(events: Sequence[LogEvent], left: Mapping[int, object], index: int) -> int | None:
    """Where a guard that was moved is moved back."""
    closes = {**events[index].args, "open": not events[index].args["open"]}
    return next((n for n in left if n > index and events[n].verb == "guard" and events[n].args == closes), None)


def _row(bundle: Bundle, flight: Flight, events: Sequence[LogEvent], variants: Variants, group: _Group) -> ExtraRow:
    event = events[group.index]
    own = {naming.control(_subject(event)), naming.guard(_subject(event))}
    without = variants.without(group.parts)
    brought = _brought(flight, without)
    effect, what = _difference(bundle, brought, variants.base, without, own)
    # Put back, and nothing had come of it by then.
    if effect == "harmless" and group.back is not None:
        effect, what = "undone", phrase("put back at {at}, before it mattered", at=clock(events[group.back].tick / 100))
    # A hazard is worse than where the control was left; it stays the sentence.
    elif effect != "hazard" and (left := _left_elsewhere(flight, events, group)) is not None:
        what = left if effect == "harmless" else phrase("{what}, and {left}", what=what, left=left)
        effect = "deviation"
    return ExtraRow(
        t=event.tick / 100,
        control=_subject(event),
        effect=effect,
        says=phrase("{did}: {what}.", did=_did(bundle, event), what=what),
        limit=brought.limit.id if brought is not None else None,
    )


def _left_elsewhere(flight: Flight, events: Sequence[LogEvent], group: _Group) -> str | None:
    """In words, where a control was left that stood elsewhere before; None where something moved it later."""
    event, last = events[group.index], max(group.parts)
    if event.verb != "set":
        return None
    control = event.args["control"]
    if any(e.verb == "set" and e.args["control"] == control for e in events[last + 1 :]):
        return None
    stood, stands = _stood(flight, group.index), str(position_text(flight.aircraft.state()[naming.control(control)]))
    return (
        None
        if stands == stood
        else phrase("it stood at {stood} before and was left at {stands}", stands=stands, stood=stood)
    )


def _together(
    bundle: Bundle, flight: Flight, events: Sequence[LogEvent], variants: Variants, groups: Sequence[_Group]
) -> ExtraRow:
    """One row for many actions at once, where telling them apart would take too long."""
    subjects = {_subject(events[group.index]) for group in groups}
    own = {f"{kind}.{name}" for kind in ("control", "guard") for name in subjects}
    parts = frozenset(index for group in groups for index in group.parts)
    without = variants.without(parts)
    brought = _brought(flight, without)
    effect, what = _difference(bundle, brought, variants.base, without, own, phrase("them"))
    first, last = events[min(parts)].tick / 100, events[max(parts)].tick / 100
    says = phrase(
        "{count} more acts that no item asked for, from {first} to {last}, judged together: {what}.",
        count=len(groups),
        first=clock(first),
        last=clock(last),
        what=what,
    )
    limit = brought.limit.id if brought is not None else None
    return ExtraRow(t=first, control=", ".join(sorted(subjects)[:3]), effect=effect, says=says, limit=limit)


def _subject(event: LogEvent) -> str:
    return str(event.args.get("control", event.args.get("service", "")))


def _did(bundle: Bundle, event: LogEvent) -> str:
    if event.verb == "request":
        service, action = bundle.airframe.names_of_request(event.args["service"], event.args["action"])
        return phrase("{service}: {action} asked for", service=service, action=action)
    name = _subject(event)
    control = bundle.airframe.section(PanelsSection).told_apart.get(name)
    shown = control.name if control else name
    match event.verb:
        case "set":
            return phrase("{shown} set to {to}", shown=shown, to=position_text(event.args["to"]))
        case "guard":
            return (
                phrase("Guard of {shown} lifted", shown=shown)
                if event.args["open"]
                else phrase("Guard of {shown} closed", shown=shown)
            )
        case _:
            return (
                phrase("{shown} pressed", shown=shown)
                if event.verb == "press"
                else phrase("{shown} let go", shown=shown)
            )


def _brought(flight: Flight, without: Outcome) -> Exceedance | None:
    """The gravest limit that would not have been exceeded without an action."""
    new = (each for each in flight.exceedances if each.limit.id not in without.exceeded)
    return min(new, key=lambda each: each.limit.severity != "hazard", default=None)


def _difference(
    bundle: Bundle, brought: Exceedance | None, base: Outcome, without: Outcome, own: set[str], it: str = phrase("it")
) -> tuple[Effect, str]:
    """What the action changed, the worst of it first; `own` names what it moved itself."""
    # The worst first, and one sentence: what somebody reads first has to be what mattered most.
    if brought is not None:
        effect: Effect = "hazard" if brought.limit.severity == "hazard" else "deviation"
        return effect, phrase("without {it} there would have been no '{limit}'", it=it, limit=brought.limit.name)
    for bus in bundle.airframe.electrical.buses:
        # What took power away is blamed; what gave it is judged by what it left.
        taken = without.alive_ticks[bus.id] - base.alive_ticks[bus.id]
        if taken > ALIVE_TICKS_THAT_MATTER:
            return "deviation", phrase(
                "{bus} was dead {taken} longer because of {it}", bus=bus.name, taken=lasting(taken / 100), it=it
            )
    # The very same object: the flight without it became the flight with it before the end.
    if base.state is without.state:
        return "harmless", phrase("{it} changed nothing else", it=it)
    if (name := changed_state(base.state, without.state, own)) is not None:
        return "deviation", left_words(bundle, name, base.state[name], without.state[name], it)
    for each in plan_for(bundle.airframe).used_up:
        one, two = base.state[each.quantity], without.state[each.quantity]
        if isinstance(one, float) and isinstance(two, float) and abs(one - two) > each.matters:
            return "deviation", phrase(
                "{battery} ended {percent:.1f} % of its charge apart", battery=each.name, percent=abs(one - two) * 100
            )
    return "harmless", phrase("{it} changed nothing else", it=it)
