"""The words in which systems and the kernel speak of each other: states, thresholds, draws, branches and the like."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Discrete = str | float | bool
TICKS_PER_SECOND = 100


def ticks(seconds: float) -> int:
    """Seconds as whole ticks of 10 ms, at least one for anything above zero."""
    # A delay that rounds to nothing would let two contactors change at one moment.
    return max(round(seconds * TICKS_PER_SECOND), 1) if seconds > 0 else 0


@dataclass(frozen=True, slots=True)
class Threshold:
    """A comparator: `state` becomes true at `on_above` of an output and false again below `off_below`."""

    output: str
    state: str
    on_above: float
    off_below: float


@dataclass(frozen=True, slots=True)
class Delay:
    """`state` is true once the expression `when` has been true for some seconds without a break."""

    state: str
    when: str
    seconds: float


@dataclass(frozen=True, slots=True)
class State:
    """A continuous state. One with a lag is told where it tends, another its rate per second.

    A `stiff` one brings the slope of its rate along. `tolerance` is the error of one step that is just tolerable.
    """

    name: str
    lag_seconds: float = 0.0
    tolerance: float | None = None
    stiff: bool = False
    is_share: bool = False
    never_negative: bool = False


@dataclass(frozen=True, slots=True)
class BranchName:
    """A branch of the DC network: whether it has an EMF, and the state that it is there with (None: always)."""

    name: str
    has_emf: bool
    present: str | None = None
    back_emf: tuple[str, float] | None = None
    """The continuous state that its EMF follows, and volts for each unit of it."""


@dataclass(frozen=True, slots=True)
class Draw:
    """Watts taken from a bus while a state is true."""

    state: str
    bus: str
    watts: float


@dataclass(frozen=True, slots=True)
class DcPath:
    """A way that current can take to a DC bus: from another one, or (`start` None) from a source of so many ohms."""

    start: str | None
    end: str
    ohms: float = 0.0


@dataclass(frozen=True, slots=True)
class SwitchedLoad:
    """A load as a document describes it, with the expression that switches it."""

    id: str
    bus: str
    watts: float
    when: str | None


@dataclass(frozen=True, slots=True)
class Whole:
    """What all systems of an airframe say together: ways to DC buses, loads and what switches them."""

    dc_paths: tuple[DcPath, ...]
    switched_loads: tuple[SwitchedLoad, ...]


@dataclass(frozen=True, slots=True)
class RectifiedDraw:
    """Watts that a branch of the network takes from what feeds an AC bus, for what it gives to a DC bus."""

    branch: str
    ac_bus: str
    dc_bus: str
    efficiency: float


@dataclass(frozen=True, slots=True)
class Intake:
    """Pressure taken off a continuous state's target while a state is true."""

    of: str
    state: str
    psi: float


@dataclass(frozen=True, slots=True)
class Drag:
    """What brakes a shaft: at full speed, so many percent per second for each unit that a state stands above `zero`;
    in proportion to the speed below that."""

    shaft: str
    state: str
    zero: float
    percent_per_second: float


@dataclass(frozen=True, slots=True)
class FaultKind:
    """A fault that a system knows: what is wrong, in words, and its usual amount.

    One that `rewires` changes branches of the network; one with a `flag` makes the state `flag.format(target)` true.
    """

    kind: str
    words: str
    usual: float = 1.0
    rewires: bool = False
    flag: str | None = None


@dataclass(frozen=True, slots=True)
class Machine:
    """Something whose phases are worth a line of their own on a time axis: its name, the state that tells
    them, and what they are called."""

    name: str
    phase: str
    phases: tuple[str, ...]


JointKind = Literal["contactor", "diode", "rectifier", "inverter", "feed"]


@dataclass(frozen=True, slots=True)
class RiserJoint:
    """What the riser draws between two rails: the quantity that tells whether it carries anything (for a feed or an
    inverter: with which `value`), and the quantity of the current from its first end to its second, if it has one."""

    kind: JointKind
    id: str
    name: str
    ends: tuple[str, str]
    quantity: str
    carries: str = ""
    value: str = ""


@dataclass(frozen=True, slots=True)
class RiserSource:
    """Something that gives current: the state that tells whether it is there, and how much it gives, in which unit.

    Without a state it is there while it gives something.
    """

    kind: Literal["battery", "ground", "generator", "supply"]
    id: str
    name: str
    alive: str = ""
    bus: str | None = None
    gives: str = ""
    unit: Literal["", "%", "A"] = ""


@dataclass(frozen=True, slots=True)
class RiserLoad:
    """Something that takes current from a bus: the quantity that tells whether it does, and its watts."""

    on: str
    name: str
    bus: str
    watts: float


@dataclass(frozen=True, slots=True)
class UsedUp:
    """Something that is used up: its name, the quantity that tells how full it is (0 to 1), and what share matters."""

    name: str
    quantity: str
    matters: float


@dataclass(frozen=True, slots=True)
class StartField:
    """A figure of an exercise's start: its path in the document, and what is written where nothing is."""

    path: str
    label: str
    unit: str
    usual: str = ""
