"""Parts that are simply on while their condition is true, unless a fault keeps them off."""

from __future__ import annotations

from collections.abc import Mapping

from lumenstat.systems.unit import Host, Unit


class SwitchedUnit(Unit):
    """Parts by id with the state that tells whether each is on."""

    def __init__(self, host: Host, number: int, states: Mapping[str, str], failed_by: str) -> None:
        super().__init__(host, number)
        self._parts = [(name, host.layout.d[state]) for name, state in states.items()]
        self._failed_by = failed_by
        self._followed: tuple[object, int] = ((), -1)

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Switch as asked, where that or a fault has changed."""
        faults = self.host.faults
        asked = conditions, faults.changes
        if faults.active or asked != self._followed:
            self._followed = asked
            d = self.host.d
            for (name, slot), on in zip(self._parts, conditions, strict=True):
                d[slot] = on and not faults.has(self._failed_by, name)
