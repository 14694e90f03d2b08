"""What an exercise is valid for: from which to which temperature and charge the model flies it and passes.

One thing is changed at a time, from the exercise's own start outwards; the faults of the exercise stay.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lumenstat import ENGINE_VERSION
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.exercise import Start
from lumenstat.documents.runlog import RunLog
from lumenstat.errors import LumenstatError
from lumenstat.rehearsal.neighbours import charges_of, put, with_changes
from lumenstat.rehearsal.perfect import rehearse

COLDEST, HOTTEST, CELSIUS_STEP = -40, 50, 2
LEAST, FULL, CHARGE_STEP = 10, 100, 2


@dataclass(frozen=True)
class Validity:
    """Bounds, each the last figure at which the model's perfect flight passes: degC, and charge in percent.

    None where the exercise cannot be flown at its own start.
    """

    celsius: tuple[int, int] | None
    charge: tuple[int, int] | None
    needed_seconds: float


def validity_of(bundle: Bundle) -> Validity:
    """Fly the exercise at other temperatures and charges. Takes some twenty flights."""
    try:
        flight = rehearse(bundle)
    except LumenstatError:
        return Validity(None, None, 0.0)
    seconds = flight.events[-1].tick / 100 if flight.events else 0.0
    if not _passes(bundle):
        return Validity(None, None, seconds)
    own = round(bundle.exercise.start.outside_celsius)
    # From the exercise's own figure outwards, for there it can be flown.
    celsius = (
        _furthest(own, min(own, COLDEST), CELSIUS_STEP, lambda figure: _at_celsius(bundle, figure)),
        _furthest(own, max(own, HOTTEST), CELSIUS_STEP, lambda figure: _at_celsius(bundle, figure)),
    )
    charges = _own_charges(bundle)
    if not charges:
        return Validity(celsius, None, seconds)
    charge = (
        _furthest(min(charges), min(LEAST, *charges), CHARGE_STEP, lambda figure: _at_charge(bundle, figure)),
        _furthest(max(charges), max(FULL, *charges), CHARGE_STEP, lambda figure: _at_charge(bundle, figure)),
    )
    return Validity(celsius, charge, seconds)


def _passes(bundle: Bundle) -> bool:
    """Whether the model can do every item, and its flight is judged as passed: aims met, no hazard."""
    try:
        flight = rehearse(bundle)
        log = RunLog(bundle.exercise.id, bundle.digest, ENGINE_VERSION, flight.events)
        return flight.ok and score(bundle, log).ledger.outcome == "pass"
    except LumenstatError:
        return False


def _furthest(good: int, bound: int, step: int, can_be_flown: Callable[[int], bool]) -> int:
    """The figure furthest towards `bound` that can be flown, found by halving to within `step`; `good` can be."""
    # Most exercises hold to the end of the scale: one flight instead of six.
    if good == bound or can_be_flown(bound):
        return bound
    bad = bound
    while abs(bad - good) > step:
        middle = round((good + bad) / 2)
        if can_be_flown(middle):
            good = middle
        else:
            bad = middle
    return good


def _at_celsius(bundle: Bundle, celsius: int) -> bool:
    start = bundle.exercise.start.model_copy(update={"outside_celsius": float(celsius)})
    return _passes(with_changes(bundle, start=start))


def _own_charges(bundle: Bundle) -> list[int]:
    start = bundle.exercise.start.model_dump(mode="json", by_alias=True)
    found: list[int] = []
    for path in charges_of(bundle):
        value = start
        for key in path:
            value = value.get(key, {}) if isinstance(value, dict) else {}
        if isinstance(value, int | float):
            found.append(round(100 * value))
    return found


def _at_charge(bundle: Bundle, percent: int) -> bool:
    start = bundle.exercise.start.model_dump(mode="json", by_alias=True)
    for path in charges_of(bundle):
        put(start, path, percent / 100)
    try:
        return _passes(with_changes(bundle, start=Start.model_validate(start)))
    except (LumenstatError, ValueError, KeyError):
        return False
