"""What a line of a checklist could mean on an airframe: its challenge and response matched to the parts there are."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import SequenceMatcher
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.edits import slug
from lumenstat.drafting.pointing import for_control, for_instrument, for_request, for_state, spoken
from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.systems.panel.part import Control, Instrument

ALIKE = 0.72
SUGGESTIONS = 3
_FIGURE = r"(-?\d+(?:\.\d+)?)"
_BAND = re.compile(rf"{_FIGURE}\s*(?:to|-|–)\s*{_FIGURE}")
_LEAST = re.compile(rf"{_FIGURE}\s*\S*\s*(?:or more|minimum|min)|(?:at least|over|above|>=?)\s*{_FIGURE}", re.I)
_MOST = re.compile(rf"{_FIGURE}\s*\S*\s*(?:or less|maximum|max)|(?:at most|under|below|<=?)\s*{_FIGURE}", re.I)
_LIT = re.compile(r"\b(lit|ready|available|light|on)\b", re.I)
_ASKED = re.compile(r"\b(request|requested|ask|asked|called for)\b", re.I)


Scored = tuple[float, dict[str, Any]]


def matches(airframe: Airframe, challenge: str, response: str) -> list[dict[str, Any]]:
    """Items that a line could mean, the likeliest first; only those whose part reads alike and whose response fits."""
    kinds = (_controls, _instruments, _services, _lamps)
    found = [pair for kind in kinds for pair in kind(airframe, challenge, response) if pair[0] >= ALIKE]
    return [item for _, item in sorted(found, key=lambda pair: -pair[0])]


def _controls(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    for control in airframe.controls.values():
        position = _position(control, response)
        if position is not None and control.kind != "momentary":
            name = spoken(airframe, "controls", control.id)
            yield likeness(challenge, name), for_control(airframe, control.id, position)


def _instruments(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    if limits := _limits(response):
        for instrument in airframe.instruments.values():
            yield likeness(challenge, instrument.name), _read(airframe, instrument, limits)


def _services(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    for service in airframe.services:
        for number, action in enumerate(service.actions if _ASKED.search(response) else ()):
            both = max(likeness(challenge, service.name), likeness(challenge, f"{service.name} {action.name}"))
            yield both - 0.01 * number, for_request(airframe, service.id, action.id)
        if response.strip().lower() in service.states:
            yield likeness(challenge, service.name), for_state(airframe, service.id, response.strip().lower())


def _lamps(airframe: Airframe, challenge: str, response: str) -> Iterator[Scored]:
    if not _LIT.search(response):
        return
    for lamp in airframe.lamps.values():
        both = max(
            likeness(challenge, spoken(airframe, "lamps", lamp.id)), likeness(f"{challenge} {response}", lamp.name)
        )
        yield both - 0.05, {"kind": "wait", "until": naming.lamp(lamp.id)}


def suggestions(airframe: Airframe, challenge: str, response: str) -> list[tuple[str, dict[str, Any]]]:
    """What an unmatched line could be about, with a name for each: the parts that read most alike."""
    found: list[tuple[float, str, dict[str, Any]]] = []
    for control in airframe.controls.values():
        item = for_control(airframe, control.id, _position(control, response))
        found.append(
            (
                likeness(challenge, spoken(airframe, "controls", control.id)),
                phrase("control {name}", name=control.name),
                item,
            )
        )
    for instrument in airframe.instruments.values():
        limits = _limits(response)
        item = _read(airframe, instrument, limits) if limits else for_instrument(airframe, instrument.id)
        found.append((likeness(challenge, instrument.name), phrase("instrument {name}", name=instrument.name), item))
    for lamp in airframe.lamps.values():
        item = {"kind": "wait", "until": naming.lamp(lamp.id)}
        found.append((likeness(challenge, lamp.name), phrase("lamp {name}", name=lamp.name), item))
    # The likeliest few: a longer list is read no better than the panel itself.
    best = sorted(found, key=lambda each: -each[0])[:SUGGESTIONS]
    return [(words, item) for _, words, item in best]


def likeness(one: str, other: str) -> float:
    """How much two names read alike, 0 to 1: by their words first, then by their letters."""
    a, b = set(slug(one).split("-")), set(slug(other).split("-"))
    shared = len(a & b) / max(len(a), len(b))
    letters = SequenceMatcher(None, slug(one), slug(other)).ratio()
    return max(shared, letters)


def _position(control: Control, response: str) -> str | None:
    wanted = response.strip().lower().rstrip(".")
    return next((position for position in control.positions if position.lower() == wanted), None)


def _limits(response: str) -> dict[str, float]:
    if band := _BAND.search(response):
        low, high = float(band.group(1)), float(band.group(2))
        return {"min": min(low, high), "max": max(low, high)}
    found: dict[str, float] = {}
    for name, pattern in (("min", _LEAST), ("max", _MOST)):
        if match := pattern.search(response):
            found[name] = float(match.group(1) or match.group(2))
    return found


def _read(airframe: Airframe, instrument: Instrument, limits: dict[str, float]) -> dict[str, Any]:
    item = for_instrument(airframe, instrument.id)
    return item | {"expect": dict(limits)}
