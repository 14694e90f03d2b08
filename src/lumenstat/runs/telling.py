"""Events of a log in words, for whoever watches a run or looks back on it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, flow_done
from lumenstat.language.values import position_text

WHO: Mapping[str, str] = {
    "trainee": "trainee", "captain": "captain", "first-officer": "first officer", "ground": "ground",
    "instructor": "instructor",
}  # fmt: skip
JUDGED: Mapping[str, str] = {
    "within": "within limits",
    "below": "below limits",
    "above": "above limits",
    "dead": "dead",
}
CREDITS: Mapping[str, str] = {"full": "full credit", "half": "half credit", "none": "no credit", "out": "not counted"}


def said_of(event: LogEvent, bundle: Bundle) -> str:
    """What an event was, in words."""
    args = event.args
    match event.verb:
        case "set":
            return f"{_name(args['control'], bundle)}: {position_text(args['to'])}"
        case "guard":
            return f"{_name(args['control'], bundle)}: guard {'open' if args['open'] else 'closed'}"
        case "press" | "release":
            return f"{_name(args['control'], bundle)} {'pressed' if event.verb == 'press' else 'let go'}"
        case "see":
            return f"{_name(args['control'], bundle)} seen at {position_text(args['position'])}"
        case "call":
            reading = f"{args['reading']:g}, " if "reading" in args else ""
            return f"{_name(args['instrument'], bundle)} called: {reading}{JUDGED[args['judgement']]}"
        case "decide":
            ways = {way.id: way.says for way in bundle.procedure.by_id[args["item"]].item.ways()}
            return f"{_item(args['item'], bundle)}: {ways.get(args['branch'], args['branch'])}"
        case "respond" | "confirm":
            return f"{_item(args['item'], bundle)}: answered"
        case "request":
            return f"Asked the crew: {args['service'].replace('_', ' ')}, {args['action']}"
        case "hint":
            return f"{_item(args['item'], bundle)}: hint {args['level']} taken"
        case "give":
            return f"{_item(args['item'], bundle)}: given, {CREDITS[args['credit']]}"
        case "fault":
            what = f"{args['kind'].replace('_', ' ')}, {args['target']}" if "kind" in args else args["fault"]
            return f"Fault: {what}" + (f", when {args['when']}" if args.get("when") else "")
        case "clear":
            return f"Fault cleared: {args['fault']}"
        case "note":
            return "Flow done" if flow_done(args) is not None else f"Note: {args['text']}"
        case _:
            return _short(event)


BY_ITSELF = ("rate", "finish")
"""What stands in a log as the instructor's and happens without one."""
CALLED_OUT = "called out: "


def instructors_acts(events: Iterable[LogEvent], bundle: Bundle) -> Iterator[tuple[LogEvent, str]]:
    """What the instructor did in a run, each with its words."""
    for event in events:
        if event.by != "instructor" or event.verb in BY_ITSELF:
            continue
        if event.verb == "note" and str(event.args["text"]).startswith(CALLED_OUT):
            continue
        yield event, said_of(event, bundle)


def _short(event: LogEvent) -> str:
    args = event.args
    match event.verb:
        case "say":
            return f"Said: {args['text']}"
        case "point":
            return f"Pointed at {args['part'].replace('_', ' ')}"
        case "hand":
            return "Hand up" if args["up"] else "Hand down"
        case "hand-over":
            return f"Handed over to {args['to']}"
        case "rate":
            return f"Time passes ×{args['times']:g}"
        case "skip":
            return f"{args['seconds']:g} s passed over"
        case "acknowledge":
            return f"Caution marked seen: {args['caution']}"
        case _:
            return {"freeze": "Frozen", "resume": "Goes on", "finish": "Finished"}.get(event.verb, event.verb)


def _name(part: str, bundle: Bundle) -> str:
    airframe = bundle.airframe
    found = airframe.controls.get(part) or airframe.instruments.get(part)
    return found.name if found is not None else part


def _item(item: str, bundle: Bundle) -> str:
    step = bundle.procedure.by_id.get(item)
    return item if step is None else f"{step.number + 1} {step.item.challenge}"
