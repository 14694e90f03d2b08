"""What can be ticked or chosen in forms of several pages."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.systems.registry import fault_named, fault_targets
from lumenstat.web.rendering import Context


class Chosen(Context):
    """A person or an exercise that can be ticked."""

    id: str
    name: str
    ticked: bool
    beside: str = ""


class GroupChoice(Context):
    """A group that can be chosen."""

    id: int
    name: str


class FaultChoice(Context):
    """A fault that the airframe knows, in words."""

    value: str
    words: str


def fault_choices(airframe: Airframe) -> list[FaultChoice]:
    """Every fault that an airframe knows, by kind and target."""
    found = [
        FaultChoice(value=f"{kind}|{target}", words=fault_named(kind, part))
        for kind, targets in fault_targets(airframe).items()
        for target, part in targets.items()
    ]
    return sorted(found, key=lambda choice: choice.words)
