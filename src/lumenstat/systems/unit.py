"""A part of one aircraft that flies: it follows its inputs, keeps states and tells how they change.

Most switches move nothing in most units, and after each of them every unit is asked. So a unit settles anew only where
one of its inputs has changed: what its conditions say, the discrete states that it `reads`, its own memory and which
faults there are. Nothing else may decide what it does (a test flies every exercise and watches what units read).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from operator import attrgetter, itemgetter
from typing import Any, ClassVar, Protocol

from lumenstat.network.solving import Branch
from lumenstat.systems.layout import Layout
from lumenstat.systems.terms import Discrete

OFF_VOLTS = -1000.0
"""The EMF of a source that gives nothing: so low that no current flows out of it."""


class ActiveFaults(Protocol):
    """The faults that are there now: amounts by kind and target, and how often that has changed."""

    active: dict[tuple[str, str], float]
    changes: int

    def has(self, kind: str, target: str) -> bool:
        """Whether such a fault is there now."""

    def use_up(self, kind: str, target: str) -> bool:
        """Whether such a fault is there; it strikes once and is gone."""


class Host(Protocol):
    """The aircraft as its units see it: time, states, faults, and ways to make something happen later."""

    @property
    def layout(self) -> Layout:
        """Where everything stands."""

    @property
    def faults(self) -> ActiveFaults:
        """The faults that are there now."""

    tick: int
    d: list[Discrete]
    """Discrete states. A unit writes its own."""
    x: list[float]
    """Continuous states at the last step or event."""

    def schedule(self, priority: int, target: int, after: int) -> None:
        """Let an event of a unit come after some ticks; it overtakes one of the same number."""

    def overtake(self, priority: int, target: int) -> None:
        """Let an event that was scheduled not happen."""

    def say(self, by: str, says: str) -> None:
        """Put a line on the ground crew line."""


class Unit:
    """One such part. `SNAPSHOT` names its memory: values that are replaced, never changed in place."""

    SNAPSHOT: ClassVar[tuple[str, ...]] = ()
    VERBS: ClassVar[tuple[str, ...]] = ()
    """What people can do to it: verbs of a run log."""
    reads: tuple[int, ...] = ()
    held_by: tuple[str, ...] = ()
    """Names of the discrete states that `hold` reads."""
    emf: Sequence[float] = ()
    """Volts of its branches that have an EMF, as far as they do not follow a continuous state."""
    targets: Sequence[float] = ()
    """Where its continuous states tend, or their rates, if they stay as they are until the next event."""

    def __init__(
        self, host: Host, number: int, names: Mapping[str, str] | None = None, also: Iterable[int] = ()
    ) -> None:
        """`names` are its own states, by what it calls them; `also` the places of others that it reads."""
        self.host = host
        self.number = number
        self.slot = {name: host.layout.d[full] for name, full in (names or {}).items()}
        self.reads = (*self.slot.values(), *also)
        self._first_priority, self._first_event = host.layout.events.get(number, (0, 0))
        self._read = itemgetter(*self.reads) if self.reads else _nothing
        self._memory = attrgetter(*self.SNAPSHOT) if self.SNAPSHOT else _nothing
        self._inputs: tuple[object, ...] = ()

    # ---- states ------------------------------------------------------------------------------------------

    def get(self, name: str) -> Discrete:
        """One of its own discrete states."""
        return self.host.d[self.slot[name]]

    def put(self, **states: str | bool) -> None:
        """Set some of its own discrete states."""
        d, slot = self.host.d, self.slot
        for name, value in states.items():
            d[slot[name]] = value

    def begin(self) -> list[float]:
        """Its continuous states at the start of an exercise."""
        return []

    def act(self, verb: str, args: Mapping[str, Any]) -> bool:
        """Let somebody do one of its verbs; whether that changed anything.

        Raises ActionRefused, with nothing changed.
        """
        return False

    def hindrance(self, verb: str, args: Mapping[str, Any]) -> str | None:
        """Why one of its verbs would come to nothing now, in words; None where it would be done."""
        return None

    @property
    def busy(self) -> bool:
        """Whether somebody is still at work on something that was asked for."""
        return False

    # ---- events ------------------------------------------------------------------------------------------

    def later(self, what: int, ticks: int, kind: int = 0) -> None:
        """Let its event number `what` come after some ticks."""
        self.host.schedule(self._first_priority + kind, self._first_event + what, ticks)

    def never_mind(self, *events: int, kind: int = 0) -> None:
        """Let these events of its own not happen."""
        for what in events:
            self.host.overtake(self._first_priority + kind, self._first_event + what)

    def fire(self, kind: int, what: int) -> None:
        """One of its events has come."""

    # ---- settling ----------------------------------------------------------------------------------------

    def settle(self, conditions: tuple[Any, ...]) -> None:
        """Follow its inputs, unless it has followed just these already."""
        inputs = conditions, self._read(self.host.d), self._memory(self), self.host.faults.changes
        # Compared by value: a list that was changed in place would look the same, so memories are replaced.
        if inputs != self._inputs:
            self._inputs = inputs
            self.follow(*conditions)

    def follow(self, *conditions: Any) -> None:
        """Do what follows from its conditions and from what it reads."""

    # ---- what stays as it is until the next event --------------------------------------------------------

    def decides(self) -> object:
        """What `hold` depends on beside discrete states and faults. Small, for it is compared."""
        return None

    def adds_draws(self, watts: dict[str, float]) -> None:
        """Add what it takes from buses that depends on more than a state."""

    def passes_on_draws(self, watts: dict[str, float]) -> None:
        """Add what it takes from one bus for what others take from those that it feeds."""

    def hold(self, watts: Mapping[str, float]) -> object:
        """Work out what stays as it is until the next event, with the watts taken from every bus, and give what tells
        it from another."""
        return None

    # ---- continuous --------------------------------------------------------------------------------------

    def wiring(self) -> Sequence[Branch]:
        """Its branches of the network as they are with the faults that there are, in the order of its system."""
        return ()

    def moving_emf(self, x: Sequence[float], emf: list[float]) -> None:
        """Put in the EMF of branches that follow continuous states."""

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """The rate of each of its continuous states, or where it tends if it lags; then the slopes of the stiff ones.

        `amps` are those of all branches, `answers` how many amperes more each gives for a volt more of its EMF.
        """
        raise NotImplementedError

    def outputs(self, tick: int, x: Sequence[float], volts: Sequence[float], amps: Sequence[float]) -> Sequence[float]:
        """What its system says that it gives."""
        return ()

    # ---- snapshot ----------------------------------------------------------------------------------------

    def snapshot(self) -> tuple[object, ...]:
        """Its memory, to be restored."""
        return tuple([getattr(self, name) for name in self.SNAPSHOT])

    def restore(self, memory: tuple[object, ...]) -> None:
        """Go back to a memory."""
        for name, value in zip(self.SNAPSHOT, memory, strict=True):
            setattr(self, name, value)


def _nothing(_: object) -> tuple[()]:
    return ()
