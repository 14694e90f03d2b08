"""What a proof says: how long the exercise takes at least, what holds it up, and what is wrong with its checklist."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from lumenstat.language.wording import Words

Severity = Literal["stops", "warns", "notes"]
Change = Literal["left-out", "swapped", "both-left-out", "at-limit"]
Effect = Literal["none", "slower", "fails-later", "limit", "hazard"]

KINDS: dict[str, str] = {
    "wait-never-ends": "a wait for something that never comes",
    "cannot-ask": "a request that the crew never can do, or never hear",
    "never-readable": "an instrument that is never in the state in which it is to be read",
    "decision-uncovered": "a decision for which, for some reading, no branch is right",
    "cannot-be-reached": "an item whose turn never comes, because one before it never can be done",
    "dead-instrument": "an instrument that is dark when it is to be read",
    "out-of-limits": "a reading that lies outside its limits in a flight without a slip, and nothing says what then",
    "no-indication": "a test whose indication does not come",
    "limit-exceeded": "a limit that is exceeded by flying the checklist as written",
    "changes-nothing": "an item that sets what is so already",
    "never-applies": "a condition that is never true in this exercise",
    "always-applies": "a condition that is always true in this exercise",
    "comes-late": "a wait for something that comes, but later than anybody waits",
    "already-there": "a wait for something that is there from the start",
    "check-uncovered": "a critical check, and nothing says what is to be done where it is not within limits",
    "applies-too-late": "a condition that comes true only after its section began, so that the item is passed over",
    "aim-missed": "an aim that is missed though everything is done rightly",
    "idle": "a wait beside which the model stands still for over a minute although later items could be done",
    "never-binds": "a time to wait after another item that has always gone by before its turn comes",
    "never-armed": "a fault whose time or condition never comes in a flight without a slip",
    "ends-early": "the exercise ends by itself before its last item",
    "never-ends": "the exercise does not end by itself though everything is done",
    "order": "an order that goes in a circle, or two items that one action could answer",
}
"""Every kind of finding that the model makes, and what it is."""


class Said(BaseModel):
    """Base of everything in a proof."""

    model_config = ConfigDict(frozen=True)


class Remedy(Said):
    """A change to one item that would mend a finding: fields to set, None to take one away."""

    words: Words
    item: str
    fields: dict[str, str | None]


class Finding(Said):
    """Something the model found: at which item, how grave, in words, and when in the perfect flight (s)."""

    item: str
    kind: str
    says: Words
    at: float | None = None
    severity: Severity = "stops"
    remedy: Remedy | None = None


class ItemTime(Said):
    """An item in the perfect flight: seconds at which it starts and ends, and how much later it could have begun."""

    item: str
    starts: float
    ends: float
    slack: float


class Lowest(Said):
    """The lowest volts of a battery's bus in the perfect flight, and when."""

    battery: str
    volts: float
    at: float


class BatteryStanding(Said):
    """A battery of the exercise: its charge at the start, the bus that first lives on batteries alone and for how many
    seconds it would (None: it lives on), and the second at which the battery is filled again (None: it is not)."""

    battery: str
    charge: float
    feeds: Words = ""
    lasts: float | None = None
    full_at: float | None = None


class Touched(Said):
    """A limit that was exceeded in the perfect flight; seconds."""

    id: str
    says: Words
    severity: str
    start: float
    end: float


class Proof(Said):
    """The whole proof. `ok` is whether nothing stops the exercise from being flown as written."""

    ok: bool
    ready_at: float
    critical_path: tuple[str, ...]
    items: tuple[ItemTime, ...]
    findings: tuple[Finding, ...]
    lowest: tuple[Lowest, ...] = ()
    limits: tuple[Touched, ...] = ()
    standing: tuple[BatteryStanding, ...] = ()
    digest: str
    engine: str


class Consequence(Said):
    """What comes of leaving an item out, alone or with another, of swapping it, or of a battery at its limit."""

    item: str
    change: Change
    effect: Effect
    says: Words
    seconds: float
    at: float
    weight: float = 1.0
    critical: bool = False
