"""Actions that no item asked for, told apart by what they did: the log is flown again without them and compared."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lumenstat.assessment.ledger import Effect, ExtraRow
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import position_text
from lumenstat.simulation.flight import Flight
from lumenstat.simulation.plan import plan_for
from lumenstat.simulation.variants import Outcome, Variants
from lumenstat.systems.terms import Discrete

ALIVE_TICKS_THAT_MATTER = 100
FLOWN_AGAIN_AT_MOST = 10_000
"""Steps and events, those of some fifteen flights of a whole start. What is left after that is judged together."""

Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class _Group:
    """An action that no item asked for, with the one that took it back, by their indices in the log."""

    index: int
    back: int | None

    @property
    def parts(self) -> frozenset[int]:
        """The indices of both."""
        return frozenset((self.index,) if self.back is None else (self.index, self.back))


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
    variants = Variants(bundle, events, flight.end, groups[0].index)
    rows: list[ExtraRow] = []
    for number, group in enumerate(groups):
        progress(number, len(groups))
        if variants.flown >= FLOWN_AGAIN_AT_MOST and number < len(groups) - 1:
            rows.append(_together(bundle, flight, events, variants, groups[number:]))
            break
        rows.append(_row(bundle, flight, events, variants, group))
    return rows


def _groups(flight: Flight, events: Sequence[LogEvent], left: list[int]) -> list[_Group]:
    groups: list[_Group] = []
    open_ones = dict.fromkeys(left)
    for index in left:
        if index not in open_ones:
            continue
        del open_ones[index]
        back = _put_back(flight, events, open_ones, index)
        if back is not None:
            del open_ones[back]
        groups.append(_Group(index, back))
    return groups


def _row(bundle: Bundle, flight: Flight, events: Sequence[LogEvent], variants: Variants, group: _Group) -> ExtraRow:
    event = events[group.index]
    own = {f"control.{_subject(event)}", f"guard.{_subject(event)}"}
    effect, what = _difference(bundle, flight, variants.base, variants.without(group.parts), own)
    if effect == "harmless" and group.back is not None:
        effect, what = "undone", f"put back at {events[group.back].tick / 100:.1f} s before it mattered"
    return ExtraRow(t=event.tick / 100, control=_subject(event), effect=effect, says=f"{_did(bundle, event)}: {what}.")


def _together(
    bundle: Bundle, flight: Flight, events: Sequence[LogEvent], variants: Variants, groups: Sequence[_Group]
) -> ExtraRow:
    """One row for many actions at once, where telling them apart would take too long."""
    subjects = {_subject(events[group.index]) for group in groups}
    own = {f"{kind}.{name}" for kind in ("control", "guard") for name in subjects}
    parts = frozenset(index for group in groups for index in group.parts)
    effect, what = _difference(bundle, flight, variants.base, variants.without(parts), own, "them")
    first, last = events[min(parts)].tick / 100, events[max(parts)].tick / 100
    says = f"{len(groups)} more acts that no item asked for, from {first:.1f} to {last:.1f} s, judged together: {what}."
    return ExtraRow(t=first, control=", ".join(sorted(subjects)[:3]), effect=effect, says=says)


def _put_back(flight: Flight, events: Sequence[LogEvent], left: Mapping[int, object], index: int) -> int | None:
    """The left-over event that undoes this one, if there is one; `left` holds those that are, in time order."""
    later = (n for n in left if n > index)
    event = events[index]
    if event.verb == "press":
        return next((n for n in later if events[n].verb == "release" and events[n].args == event.args), None)
    if event.verb == "guard":
        closes = {**event.args, "open": not event.args["open"]}
        return next((n for n in later if events[n].verb == "guard" and events[n].args == closes), None)
    if event.verb != "set":
        return None
    control = event.args["control"]
    stood = str(position_text(flight.moments[index].state[f"control.{control}"]))
    for n in range(index + 1, len(events)):
        other = events[n]
        if other.verb == "set" and other.args["control"] == control:
            return n if n in left and str(position_text(other.args["to"])) == stood else None
    return None


def _subject(event: LogEvent) -> str:
    return str(event.args.get("control", event.args.get("service", "")))


def _did(bundle: Bundle, event: LogEvent) -> str:
    name = _subject(event)
    control = bundle.airframe.controls.get(name)
    shown = control.name if control else next((s.name for s in bundle.airframe.services if s.id == name), name)
    match event.verb:
        case "set":
            return f"{shown} set to {position_text(event.args['to'])}"
        case "guard":
            return f"Guard of {shown} {'lifted' if event.args['open'] else 'closed'}"
        case "request":
            return f"{shown}: {event.args['action']} asked for"
        case _:
            return f"{shown} {'pressed' if event.verb == 'press' else 'let go'}"


def _difference(
    bundle: Bundle, flight: Flight, base: Outcome, without: Outcome, own: set[str], it: str = "it"
) -> tuple[Effect, str]:
    """What the action changed, the worst of it first; `own` names what it moved itself."""
    for exceedance in sorted(flight.exceedances, key=lambda e: e.limit.severity != "hazard"):
        if exceedance.limit.id not in without.exceeded:
            effect: Effect = "hazard" if exceedance.limit.severity == "hazard" else "deviation"
            return effect, f"without {it} there would have been no '{exceedance.limit.name}'"
    for bus in bundle.airframe.electrical.buses:
        change = base.alive_ticks[bus.id] - without.alive_ticks[bus.id]
        if abs(change) > ALIVE_TICKS_THAT_MATTER:
            longer = "longer" if change > 0 else "shorter"
            return "deviation", f"{bus.name} was alive {abs(change) / 100:.0f} s {longer} for {it}"
    if base.state is without.state:
        return "harmless", f"{it} changed nothing else"
    if (name := _left_changed(base.state, without.state, own)) is not None:
        return "deviation", f"at the end {it} left {words_of(name)} changed"
    for each in plan_for(bundle.airframe).used_up:
        one, two = base.state[each.quantity], without.state[each.quantity]
        if isinstance(one, float) and isinstance(two, float) and abs(one - two) > each.matters:
            return "deviation", f"{each.name} ended {abs(one - two) * 100:.1f} % of its charge apart"
    return "harmless", f"{it} changed nothing else"


def _left_changed(
    with_: Mapping[str, Discrete | None], other: Mapping[str, Discrete | None], own: set[str]
) -> str | None:
    """The first switch or state, but its own, that stands elsewhere at the end for it."""
    for name, value in with_.items():
        if name in own or name.startswith(("lamp.", "instrument.", "load.", "time")) or isinstance(value, float):
            continue
        if value != other[name]:
            return name
    return None


def words_of(name: str) -> str:
    """A dotted quantity as words."""
    return name.replace(".", " ").replace("_", " ")
