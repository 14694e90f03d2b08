"""A part of the aircraft with logic of its own, which settles anew only where something that it goes by has changed.

Most switches move nothing in most units, and after each of them every unit is asked. What a unit goes by is what is
asked of it, the slots it `reads`, what it has kept itself and which faults there are; nothing else may decide what it
does (a test flies every exercise and watches which slots are read).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from operator import attrgetter, itemgetter
from typing import TYPE_CHECKING, Any, ClassVar

if TYPE_CHECKING:
    from lumenstat.simulation.settling import Settler


class Unit(ABC):
    """One such part. `KEPT` names what it keeps: values that are replaced, never changed in place."""

    KEPT: ClassVar[tuple[str, ...]]

    def __init__(self, settler: Settler, reads: Iterable[int]) -> None:
        self.settler = settler
        self.aircraft = settler.aircraft
        self.reads = tuple(reads)
        self._read = itemgetter(*self.reads)
        self._keeps = attrgetter(*self.KEPT)
        self._went_by: tuple[object, ...] = ()

    def settle(self, *asked: Any) -> None:
        """Go on with what is asked of it and what it reads, unless it has gone by just that already."""
        goes_by = asked, self._read(self.aircraft.d), self._keeps(self), self.settler.faults.changes
        if goes_by != self._went_by:
            self._went_by = goes_by
            self.go_on(*asked)

    @abstractmethod
    def go_on(self, *asked: Any) -> None:
        """Do what follows from what is asked and read."""
