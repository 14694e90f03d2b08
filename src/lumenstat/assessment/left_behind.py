"""What an action left behind at the end of a run, in words: the first state that stands elsewhere for it."""

from __future__ import annotations

from collections.abc import Mapping

from lumenstat.documents.bundles import Bundle
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.plan import plan_for
from lumenstat.systems.registry import fault_targets
from lumenstat.systems.terms import Discrete

State = Mapping[str, Discrete | None]

ONLY_SHOWN = ("lamp.", "instrument.", "load.", "time")
"""Lamps, instruments and loads only show what a state does that is named by itself."""
OF_THE_LOGIC = ("latch.", "comparator.", "timer.")
"""States that no crew knows by name: told only where nothing else has changed."""


def changed_state(stands: State, would: State, own: set[str]) -> str | None:
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
            return phrase("without {it} '{meaning}' would be true at the end", it=it, meaning=meaning)
        return phrase("without {it} '{meaning}' would not be true at the end", it=it, meaning=meaning)
    return phrase(
        "without {it} '{meaning}' would be {would} at the end, not {stands}",
        it=it,
        meaning=meaning,
        would=_value(bundle, quantity, would),
        stands=_value(bundle, quantity, stands),
    )


def _value(bundle: Bundle, quantity: Quantity, value: Discrete | None) -> str:
    """A value of a state as words: a part by its name, a phase by its word."""
    if value is None or value == "":
        return phrase("nothing")
    names = {part: name for targets in fault_targets(bundle.airframe).values() for part, name in targets.items()}
    names |= {bus.id: bus.name for bus in bundle.airframe.electrical.buses}
    # The choice itself, and not the value that is equal to it, keeps its words in other languages.
    said = next((choice for choice in quantity.choices or () if choice == value), str(position_text(value)))
    return names.get(said, said)
