"""A reading that was called out: was the instrument alive, was that what it showed, and is that what it means?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lumenstat.documents.checklist import CheckItem
from lumenstat.documents.readings import meaning_of, shown_figure
from lumenstat.systems.panel.part import Instrument


@dataclass(frozen=True)
class CallVerdict:
    """Whether a call counts, and the sentence that says why."""

    right: bool
    says: str


def judge_call(
    item: CheckItem,
    instrument: Instrument,
    call: dict[str, Any],
    shown: float | None,
    moment_held: bool,
    papers: dict[str, float | str],
) -> CallVerdict:
    """Judge one call at the state in which it was made.

    `shown` is what the instrument showed, null if it was dark. It fails on the first of: instrument dead, reading not
    what it showed, reading taken at the wrong moment, judgement not what the reading means.
    """
    unit = instrument.unit
    judged, reading = call["judgement"], call.get("reading")
    if item.moment is not None and not moment_held:
        return CallVerdict(False, f"The reading belongs to another moment: {item.moment.says}.")
    if shown is None:
        if judged == "dead":
            return CallVerdict(True, f"{instrument.name} was dark and was called dead.")
        return CallVerdict(False, f"{instrument.name} was dark; there was nothing to read.")
    exact = f"{shown:.{instrument.decimals}f}"
    if judged == "dead" or reading is None:
        return CallVerdict(False, f"Called dead, but {instrument.name} was alive and showed {exact} {unit}.")
    if abs(reading - shown) > item.read_tolerance + 0.5 * 10**-instrument.decimals:
        return CallVerdict(False, f"Called {reading:g} {unit}, but {instrument.name} showed {exact} {unit}.")
    means = meaning_of(shown_figure(shown, instrument.decimals), item.expect, papers, item.read_tolerance)
    if judged != means:
        return CallVerdict(False, f"Showed {exact} {unit}, judged {_words(judged)}; it was {_words(means)}.")
    return CallVerdict(True, f"Showed {exact} {unit}, called {reading:g}, judged {_words(judged)}.")


def _words(judgement: str) -> str:
    return {"within": "within limits", "below": "below limits", "above": "above limits", "dead": "dead"}[judgement]
