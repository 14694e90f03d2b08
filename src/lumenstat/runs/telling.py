"""Events of a log in words, for whoever watches a run or looks back on it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, flow_done
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.systems.registry import fault_words

WHO: Mapping[str, str] = {
    "trainee": phrase("trainee"), "captain": phrase("captain"), "first-officer": phrase("first officer"),
    "ground": phrase("ground"), "instructor": phrase("instructor"),
}  # fmt: skip
JUDGED: Mapping[str, str] = {
    "within": phrase("within limits"),
    "below": phrase("below limits"),
    "above": phrase("above limits"),
    "dead": phrase("dead"),
}
CREDITS: Mapping[str, str] = {
    "full": phrase("full credit"),
    "half": phrase("half credit"),
    "none": phrase("no credit"),
    "out": phrase("not counted"),
}


def said_of(event: LogEvent, bundle: Bundle) -> str:
    """What an event was, in words."""
    args = event.args
    match event.verb:
        case "set":
            return phrase("{part}: {to}", part=part_name(args["control"], bundle), to=position_text(args["to"]))
        case "guard":
            part = part_name(args["control"], bundle)
            return (
                phrase("{part}: guard open", part=part) if args["open"] else phrase("{part}: guard closed", part=part)
            )
        case "press":
            return phrase("{part} pressed", part=part_name(args["control"], bundle))
        case "release":
            return phrase("{part} let go", part=part_name(args["control"], bundle))
        case "see":
            part, at = part_name(args["control"], bundle), position_text(args["position"])
            return phrase("{part} seen at {position}", part=part, position=at)
        case "call":
            part, judged = part_name(args["instrument"], bundle), JUDGED[args["judgement"]]
            if "reading" not in args:
                return phrase("{part} called: {judged}", part=part, judged=judged)
            return phrase("{part} called: {reading:g}, {judged}", part=part, reading=args["reading"], judged=judged)
        case "decide":
            ways = {way.id: way.says for way in bundle.procedure.by_id[args["item"]].item.ways()}
            item, way = _item(args["item"], bundle), ways.get(args["branch"], args["branch"])
            return phrase("{item}: {way}", item=item, way=way)
        case "respond" | "confirm":
            return phrase("{item}: answered", item=_item(args["item"], bundle))
        case "request":
            service, action = bundle.airframe.names_of_request(args["service"], args["action"])
            return phrase("Asked the crew: {service}, {action}", service=service, action=action)
        case "hint":
            return phrase("{item}: hint {level} taken", item=_item(args["item"], bundle), level=args["level"])
        case "give":
            return phrase("{item}: given, {credit}", item=_item(args["item"], bundle), credit=CREDITS[args["credit"]])
        case "fault":
            what = fault_words(bundle.airframe, args["kind"], args["target"]) if "kind" in args else args["fault"]
            if args.get("when"):
                return phrase("Fault: {what}, when {condition}", what=what, condition=args["when"])
            return phrase("Fault: {what}", what=what)
        case "clear":
            return phrase("Fault cleared: {fault}", fault=args["fault"])
        case "note":
            return phrase("Flow done") if flow_done(args) is not None else phrase("Note: {text}", text=args["text"])
        case _:
            return _short(event, bundle)


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


def _short(event: LogEvent, bundle: Bundle) -> str:
    args = event.args
    match event.verb:
        case "say":
            return phrase("Said: {text}", text=args["text"])
        case "point":
            return phrase("Pointed at {part}", part=part_name(args["part"], bundle))
        case "hand":
            return phrase("Hand up") if args["up"] else phrase("Hand down")
        case "hand-over":
            return phrase("Handed over to {to}", to=args["to"])
        case "rate":
            return phrase("Time passes ×{times:g}", times=args["times"])
        case "skip":
            return phrase("{seconds:g} s passed over", seconds=args["seconds"])
        case "acknowledge":
            return phrase("Caution marked seen: {caution}", caution=args["caution"])
        case _:
            return {"freeze": phrase("Frozen"), "resume": phrase("Goes on"), "finish": phrase("Finished")}.get(
                event.verb, event.verb
            )


def part_name(part: str, bundle: Bundle) -> str:
    """What is written beside a part of the deck; its id where the airframe has none of it."""
    airframe = bundle.airframe
    found = airframe.controls.get(part) or airframe.instruments.get(part) or airframe.lamps.get(part)
    return found.name if found is not None else part


def _item(item: str, bundle: Bundle) -> str:
    step = bundle.procedure.by_id.get(item)
    return item if step is None else f"{step.number + 1} {step.item.challenge}"
