"""Small exercises on the shipped aircraft, written for one test each."""

from __future__ import annotations

from functools import cache
from typing import Any

from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Exercise


@cache
def shipped(name: str) -> Bundle:
    return Library().bundle(next(path for path in shipped_exercises() if path.stem == name))


def every_shipped() -> list[Bundle]:
    return [shipped(path.stem) for path in shipped_exercises()]


def small(*items: dict[str, Any], order: str = "strict", base: str = "guided-power-up", **changes: Any) -> Bundle:
    """An exercise of just these items; `changes` go into the exercise, `start` into its start."""
    found = shipped(base)
    filled = [
        {"challenge": item["id"], "response": "So", "who": "either", "why": "For a test.", **item} for item in items
    ]
    checklist = Checklist.model_validate(
        {
            "format": "lumenstat/checklist/1", "id": "small", "name": "Small", "airframe": found.airframe.id,
            "procedure_set": "Test", "version": "1",
            "sections": [{"id": "s", "title": "S", "order": order, "items": filled}],
        }
    )  # fmt: skip
    content = found.exercise.model_dump(mode="json", by_alias=True)
    content["start"] |= {"controls": {}} | changes.pop("start", {})
    exercise = Exercise.model_validate({**content, "checklists": ["small"], "bands": [], **changes})
    return Bundle(found.airframe, (checklist,), exercise)


BATTERY_ON = {"id": "battery", "kind": "set", "control": "battery_main", "to": "ON"}
ESSENTIAL = {
    "id": "essential", "kind": "check", "instrument": "essential_volts", "expect": {"min": 22, "max": 29}, "read_tolerance": 0.2
}  # fmt: skip
ASK = {"id": "ask", "kind": "request", "service": "ground_power", "action": "connect"}
READY = {"id": "ready", "kind": "wait", "until": "lamp.ground_ready"}
FEED = {"id": "feed", "kind": "set", "control": "ground_power", "to": "FEED"}
LEFT_DC = {
    "id": "left", "kind": "check", "instrument": "left_volts", "expect": {"min": 26, "max": 29}, "read_tolerance": 0.2
}  # fmt: skip
