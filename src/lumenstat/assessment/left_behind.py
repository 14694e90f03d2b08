"""What an action left behind at the end of a run, in words: the first state that stands elsewhere for it."""

from __future__ import annotations

from collections.abc import Mapping

from lumenstat.documents.bundles import Bundle
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.plan import plan_for
from lumenstat.systems.terms import Discrete

ONLY_SHOWN = ("lamp.", "instrument.", "load.", "time")
"""Lamps, instruments and loads only show what a state does that is named by itself."""
OF_THE_LOGIC = ("latch.", "comparator.", "timer.")
"""States that no crew knows by name: told only where nothing else has changed."""


def changed_state(
    stands: Mapping[str, Discrete | None], would: Mapping[str, Discrete | None], own: set[str]
) -> str | None:
    """The first state, but its `own`, that would be another at the end without an action; None where none is."""
    changed = [
        name
        for name, value in stands.items()
        if value != would[name] and name not in own and not name.startswith(ONLY_SHOWN) and not isinstance(value, float)
    ]
    return next((name for name in changed if not name.startswith(OF_THE_LOGIC)), changed[0] if changed else None)


def left_words(bundle: Bundle, name: str, stands: Discrete | None, would: Discrete | None, it: str) -> str:
    """What would be otherwise without `it`."""
    quantity = plan_for(bundle.airframe).quantities[name]
    meaning = name.replace(".", " ").replace("_", " ") if name.startswith(OF_THE_LOGIC) else quantity.meaning
    if quantity.kind == "truth":
        if would:
            return phrase("'{meaning}' is not so at the end, and would be without {it}", it=it, meaning=meaning)
        return phrase("'{meaning}' is so at the end, and would not be without {it}", it=it, meaning=meaning)
    return phrase(
        "{meaning}: '{stands}' at the end, and '{would}' without {it}",
        it=it,
        meaning=meaning,
        would=_value(quantity, would),
        stands=_value(quantity, stands),
    )


def _value(quantity: Quantity, value: Discrete | None) -> str:
    """A value of a state as words; none, and an empty one, are nothing."""
    return phrase("nothing") if value is None or value == "" else quantity.words_of(str(position_text(value)))
