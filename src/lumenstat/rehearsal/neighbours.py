"""Different starts of one exercise for people who sit side by side: drawn from a range by a seed, and flown once each.

What is drawn is only given out where the model can fly the exercise from it.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Exercise, Fault, Start
from lumenstat.errors import LumenstatError, ModelError
from lumenstat.language.wording import joined, phrase
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.systems.registry import fault_words, start_fields

TRIES = 8
SHARE = "0 to 1"
"""The unit of a figure of a start that says how full something is."""
WEATHER_LINE = "temperature"
"""A line of a paper that tells the outside temperature: it follows what is drawn."""


@dataclass(frozen=True)
class Range:
    """From what neighbours' starts are drawn: charge of the batteries, 0 to 1; outside degC; one of some faults."""

    charge: tuple[float, float] | None = None
    celsius: tuple[float, float] | None = None
    faults: tuple[Fault, ...] = ()

    def __bool__(self) -> bool:
        return self.charge is not None or self.celsius is not None or bool(self.faults)


@dataclass(frozen=True)
class Neighbour:
    """One start that was drawn, and how it differs, for the instructor."""

    bundle: Bundle
    says: str


def neighbour(bundle: Bundle, wanted: Range, seed: str, number: int, taken: frozenset[str] = frozenset()) -> Neighbour:
    """The start for place `number`, unlike those with the digests `taken` where the range has room for another.

    The same seed and `taken` always give the same. Raises ModelError where none can be flown.
    """
    rngs = (random.Random(f"{seed}/{number}/{tried}") for tried in range(TRIES))  # noqa: S311 - nobody guesses it
    drawn = [_draw(bundle, wanted, rng) for rng in rngs]
    for each in sorted(drawn, key=lambda one: one.bundle.digest in taken):
        # The fault is the instructor's to choose, so the model flies without it: the start itself must be sound.
        if flyable(with_changes(each.bundle, faults=bundle.exercise.faults)):
            return each
    raise ModelError(
        phrase(
            "of {count} starts drawn for place {number} the model could fly none: choose a narrower range",
            count=TRIES,
            number=number,
        )
    )


def flyable(bundle: Bundle) -> bool:
    """Whether the model can do every item."""
    try:
        return rehearse(bundle).ok
    except LumenstatError:
        return False


def _draw(bundle: Bundle, wanted: Range, rng: random.Random) -> Neighbour:
    says: list[str] = []
    start = bundle.exercise.start.model_dump(mode="json", by_alias=True)
    if wanted.charge is not None:
        charges = []
        for path in charges_of(bundle):
            charges.append(round(rng.uniform(*wanted.charge), 2))
            put(start, path, charges[-1])
        says.append(
            phrase(
                "charge {charges}", charges=joined(phrase(" and "), (f"{100 * each:.0f}\u00a0%" for each in charges))
            )
        )
    if wanted.celsius is not None:
        start["outside_celsius"] = round(rng.uniform(*wanted.celsius))
        says.append(f"{start['outside_celsius']}\u00a0°C")
    faults = bundle.exercise.faults
    if wanted.faults:
        fault = rng.choice(wanted.faults)
        faults = (*faults, fault)
        says.append(fault_words(bundle.airframe, fault.kind, fault.target))
    drawn = with_changes(bundle, start=Start.model_validate(start), faults=faults)
    return Neighbour(drawn, joined("; ", says))


def charges_of(bundle: Bundle) -> Iterator[list[str]]:
    """Where a start says how full something is, as a share."""
    return (field.path.split(".") for field in start_fields(bundle.airframe) if field.unit == SHARE)


def put(tree: dict[str, Any], path: list[str], value: float) -> None:
    """Set a value of a start, by its path."""
    for key in path[:-1]:
        tree = tree[key]
    tree[path[-1]] = value


def with_changes(bundle: Bundle, **changes: Any) -> Bundle:
    """The exercise with other values, checked as a document is."""
    exercise = bundle.exercise.model_copy(update=changes)
    celsius = exercise.start.outside_celsius
    papers = [paper.model_dump(mode="json", by_alias=True) for paper in exercise.papers]
    if celsius != bundle.exercise.start.outside_celsius:
        for line in _weather_lines(papers):
            line["value"] = celsius
    written = exercise.model_dump(mode="json", by_alias=True) | {"papers": papers}
    return Bundle(bundle.airframe, bundle.checklists, Exercise.model_validate(written))


def _weather_lines(papers: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    return (line for paper in papers for line in paper["lines"] if line["id"] == WEATHER_LINE)
