"""What a trainee is told of what the instructor does in their exercise: everything that they could not see coming."""

from __future__ import annotations

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.runs.telling import part_name


def told(event: LogEvent, bundle: Bundle) -> str | None:
    """What is said to the trainee; None for what is for the record alone, and for faults, which are to be found."""
    args = event.args
    match event.verb:
        case "say":
            return phrase("Your instructor: {text}", text=args["text"])
        case "point":
            return phrase("Your instructor points at {part}.", part=_part(str(args["part"]), bundle))
        case "set":
            part, to = _part(str(args["control"]), bundle), position_text(args["to"])
            return phrase("Your instructor set {part} to {position}.", part=part, position=to)
        case "press":
            return phrase("Your instructor pressed {part}.", part=_part(str(args["control"]), bundle))
        case "release":
            return phrase("Your instructor let go {part}.", part=_part(str(args["control"]), bundle))
        case "request":
            service, action = bundle.airframe.names_of_request(args["service"], args["action"])
            return phrase("Your instructor asked the ground crew: {service}, {action}.", service=service, action=action)
        case "give":
            item = bundle.procedure.by_id[str(args["item"])].item.challenge
            if args["credit"] in ("full", "half"):
                return phrase("Your instructor gave you '{item}'.", item=item)
            return phrase("Your instructor skipped '{item}'.", item=item)
        case "freeze":
            return phrase("Your instructor froze the exercise.")
        case "resume":
            return phrase("Your instructor lets the exercise go on.")
        case "hand":
            return phrase("Your instructor has seen your hand.")
        case "hand-over":
            return phrase("{name} is your instructor from here on.", name=args["to"])
        case _:
            return None


def _part(name: str, bundle: Bundle) -> str:
    return phrase("'{item}'", item=part_name(name, bundle))
