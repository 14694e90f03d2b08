"""Every quantity of an aircraft as it stood at one moment, each read only when it is asked for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from lumenstat.items.readings import shown_figure
from lumenstat.simulation.plan import Plan
from lumenstat.systems.terms import Discrete

# Frames carry what changed: digits that nobody can see would change all the time.
OTHER_DECIMALS = 3


def as_shown(plan: Plan, quantities: Mapping[str, Discrete | None]) -> dict[str, Discrete | None]:
    """Quantities as a page draws them: an instrument's reading as it stands on it, other figures to a thousandth."""
    return {name: _shown(plan, name, value) for name, value in quantities.items()}


def _shown(plan: Plan, name: str, value: Discrete | None) -> Discrete | None:
    if not isinstance(value, float):
        return value
    group, _, rest = name.partition(".")
    if group == "instrument":
        return shown_figure(value, plan.instruments[rest.removesuffix(".reads")].decimals)
    return round(value, OTHER_DECIMALS)


class Reading(Mapping[str, Discrete | None]):
    """Quantities by name. It copies the switches, which change in place, and keeps the figures, which are replaced."""

    __slots__ = ("_a", "_d", "_plan")

    def __init__(self, plan: Plan, d: Sequence[Discrete], a: list[float]) -> None:
        self._plan, self._d, self._a = plan, list(d), a

    def __getitem__(self, name: str) -> Discrete | None:
        if name not in self._plan.codes:
            raise KeyError(name)
        return self._plan.reader(name)(self._d, self._a)

    def __iter__(self) -> Iterator[str]:
        return iter(self._plan.quantities)

    def __len__(self) -> int:
        return len(self._plan.quantities)
