"""Actions that no item asked for, told apart by what they did: the log is flown again without them and compared."""

from __future__ import annotations

from collections.abc import Sequence

from lumenstat.assessment.ledger import Effect, ExtraRow
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.documents.values import position_text
from lumenstat.simulation.flight import Flight, fly

ALIVE_SECONDS_THAT_MATTER = 1.0
CHARGE_THAT_MATTERS = 0.002


def judge_extras(bundle: Bundle, flight: Flight, events: Sequence[LogEvent], left: list[int]) -> list[ExtraRow]:
    """One row for every left-over action; `left` holds their indices in `events`, in time order."""
    rows: list[ExtraRow] = []
    taken: set[int] = set()
    for index in left:
        if index in taken:
            continue
        event = events[index]
        pair = _put_back(flight, events, [n for n in left if n > index and n not in taken], index)
        group = [index] if pair is None else [index, pair]
        taken.update(group)
        without = fly(bundle, [e for n, e in enumerate(events) if n not in group], end=flight.end, lenient=True)
        effect, what = _difference(bundle, flight, without, event)
        if effect == "harmless" and pair is not None:
            effect, what = "undone", f"put back at {events[pair].tick / 100:.1f} s before it mattered"
        rows.append(
            ExtraRow(
                t=event.tick / 100,
                control=_subject(event),
                effect=effect,
                says=f"{_did(bundle, event)}: {what}.",
            )
        )
    return rows


def _put_back(flight: Flight, events: Sequence[LogEvent], later: list[int], index: int) -> int | None:
    """The left-over event that undoes this one, if there is one."""
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
            return n if n in later and str(position_text(other.args["to"])) == stood else None
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


def _difference(bundle: Bundle, flight: Flight, without: Flight, event: LogEvent) -> tuple[Effect, str]:
    """What the action changed, the worst of it first."""
    avoided = {e.limit.id for e in without.exceedances}
    for exceedance in sorted(flight.exceedances, key=lambda e: e.limit.severity != "hazard"):
        if exceedance.limit.id not in avoided:
            effect: Effect = "hazard" if exceedance.limit.severity == "hazard" else "deviation"
            return effect, f"without it there would have been no '{exceedance.limit.name}'"
    names = {bus.id: bus.name for bus in bundle.airframe.electrical.buses}
    for bus, name in names.items():
        change = _alive_seconds(flight, bus) - _alive_seconds(without, bus)
        if abs(change) > ALIVE_SECONDS_THAT_MATTER:
            return (
                "deviation",
                f"{name} was alive {abs(change):.0f} s {'longer' if change > 0 else 'shorter'} for it",
            )
    with_, other = flight.aircraft.state(), without.aircraft.state()
    own = {f"control.{_subject(event)}", f"guard.{_subject(event)}"}
    for name, value in with_.items():
        if name in own or name.startswith(("lamp.", "instrument.", "load.", "time")) or isinstance(value, float):
            continue
        if value != other[name]:
            return "deviation", f"at the end it left {bundle_words(name)} changed"
    for battery in bundle.airframe.electrical.batteries:
        name = f"battery.{battery.id}.charge"
        one, two = with_[name], other[name]
        if isinstance(one, float) and isinstance(two, float) and abs(one - two) > CHARGE_THAT_MATTERS:
            return "deviation", f"{battery.name} ended {abs(one - two) * 100:.1f} % of its charge apart"
    return "harmless", "it changed nothing else"


def bundle_words(name: str) -> str:
    """A dotted quantity as words."""
    return name.replace(".", " ").replace("_", " ")


def _alive_seconds(flight: Flight, bus: str) -> float:
    slot = flight.aircraft.plan.d.numbers[f"bus.{bus}.alive"]
    total = 0
    for point, after in zip(flight.trace, flight.trace[1:], strict=False):
        if point.d[slot]:
            total += after.tick - point.tick
    return total / 100
