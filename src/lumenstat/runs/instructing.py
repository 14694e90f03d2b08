"""What a trainee is told of what the instructor does in their exercise: everything that they could not see coming."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import position_text

YOURS = "Your instructor"


def told(event: LogEvent, bundle: Bundle) -> str | None:
    """What is said to the trainee; None for what is for the record alone, and for faults, which are to be found."""
    args = event.args
    match event.verb:
        case "say":
            return f"{YOURS}: {args['text']}"
        case "point":
            return f"{YOURS} points at {_part(str(args['part']), bundle)}."
        case "set":
            return f"{YOURS} set {_part(str(args['control']), bundle)} to {position_text(args['to'])}."
        case "press" | "release":
            return f"{YOURS} {'pressed' if event.verb == 'press' else 'let go'} {_part(str(args['control']), bundle)}."
        case "request":
            return f"{YOURS} asked the ground crew: {args['service'].replace('_', ' ')}, {args['action']}."
        case "give":
            item = bundle.procedure.by_id[str(args["item"])].item
            done = "gave you" if args["credit"] in ("full", "half") else "skipped"
            return f"{YOURS} {done} '{item.challenge}'."
        case "freeze":
            return f"{YOURS} froze the exercise."
        case "resume":
            return f"{YOURS} lets the exercise go on."
        case "hand":
            return f"{YOURS} has seen your hand."
        case "hand-over":
            return f"{args['to']} is your instructor from here on."
        case _:
            return None


def _part(name: str, bundle: Bundle) -> str:
    airframe = bundle.airframe
    for parts in (airframe.controls, airframe.instruments, airframe.lamps):
        if name in parts:
            return f"'{parts[name].name}'"
    return f"'{name}'"
