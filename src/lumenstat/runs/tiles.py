"""How a run stands at a glance, for the desk: what is lit, where it is, how it goes, who needs somebody."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from lumenstat.language import naming
from lumenstat.language.wording import as_json, from_json, phrase
from lumenstat.runs.live import LiveRun
from lumenstat.systems.registry import fault_words

LEAST_STUCK_SECONDS = 30.0
"""Nobody is stuck sooner than this, however short the step is in the model."""
TIMES_NEEDED = 3.0
"""Somebody who takes so many times what the model needs for a step is stuck."""


@dataclass(frozen=True)
class Tile:
    """One run at one moment. `t`, `idle` and `on_item` are exercise seconds; `slips` counts what a coach would say."""

    run: str
    t: float
    running: bool
    frozen: bool
    finished: bool
    rate: int
    item: str | None
    done: int
    of: int
    idle: float
    waiting: bool
    slips: int
    words: tuple[str, ...]
    hazards: tuple[str, ...]
    limits: tuple[str, ...]
    hand: bool
    zones: Mapping[str, str]
    """Of each bus that a zone hangs on: live, marginal or dead."""
    faults: tuple[tuple[str, str], ...]
    """Those that are there now or wait for their state: by id, in words."""
    events: int

    def message(self) -> dict[str, Any]:
        """As it is sent from one process to another."""
        faults = [(name, as_json(words)) for name, words in self.faults]
        return asdict(self) | {"words": [as_json(each) for each in self.words], "faults": faults}

    @staticmethod
    def from_message(sent: Mapping[str, Any]) -> Tile:
        """Read back what `message` gave, also where it has been JSON in between."""
        several = {name: tuple(from_json(each) for each in sent[name]) for name in ("words", "hazards", "limits")}
        return Tile(**{**sent, **several, "faults": tuple((name, from_json(words)) for name, words in sent["faults"])})


def tile_of(live: LiveRun) -> Tile:
    """A run as it stands now."""
    figures, tick = live.figures(), live.clock.now()
    state = live.aircraft.state(figures)
    # A look ahead of the aircraft: it is brought up at its own beat, not by whoever looks.
    flags = live.watch.peek(tick, figures)
    limits = live.bundle.airframe.limits
    now = [limit for limit in limits if flags[live.limits[limit.id]]]
    item = live.card.current
    since = live.last_act or 0
    return Tile(
        run=live.run_id,
        t=tick / 100,
        running=live.clock.running,
        frozen=live.frozen,
        finished=live.finished,
        rate=live.clock.rate,
        item=item.id if item is not None else None,
        done=len(live.card.answered),
        of=len(live.card.items),
        idle=(tick - since) / 100,
        waiting=live.clock.running and live.waiting(figures),
        slips=len(live.coach.words),
        words=tuple(word.says for word in live.coach.words[-12:]),
        hazards=tuple(limit.name for limit in now if limit.severity == "hazard"),
        limits=tuple(limit.name for limit in now if limit.severity != "hazard"),
        hand=live.hand_up,
        zones={panel.bus: _power(live, panel.bus, state) for panel in live.bundle.airframe.panels},
        faults=tuple(_faults(live)),
        events=len(live.log),
    )


def _faults(live: LiveRun) -> Iterator[tuple[str, str]]:
    board = live.aircraft.faults
    for name, number in board.numbers.items():
        fault = board.faults[number]
        words = fault_words(live.bundle.airframe, fault.kind, fault.target)
        if board.is_active(number):
            yield name, words
        elif fault.when is not None and not board.spent[number]:
            yield name, phrase("{what}, when {condition}", what=words, condition=fault.when)


def _power(live: LiveRun, bus: str, state: Mapping[str, Any]) -> str:
    if state[naming.bus_alive(bus)] is not True:
        return "dead"
    permitted, volts = live.bundle.airframe.buses[bus].permitted, state[naming.bus_volts(bus)]
    return "live" if permitted.min <= volts <= permitted.max else "marginal"


# ---- against the model -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Pace:
    """When the model begins and has done each item, in seconds, and what it needs for the whole."""

    starts: Mapping[str, float]
    ends: Mapping[str, float]
    needed: float


@dataclass(frozen=True)
class RunPace:
    """A run against the model's time: seconds behind it, whether somebody is stuck, what the open step needs."""

    behind: float | None
    stuck: bool
    needs: float | None


def standing(tile: Tile, pace: Pace | None) -> RunPace:
    """How a run stands against the model's pace; behind is negative where it is ahead."""
    item = tile.item or ""
    needs = None if pace is None or item not in pace.ends else pace.ends[item] - pace.starts[item]
    patience = max(LEAST_STUCK_SECONDS, TIMES_NEEDED * (LEAST_STUCK_SECONDS if needs is None else needs))
    stuck = tile.running and not tile.waiting and tile.idle > patience
    return RunPace(None if pace is None else _behind(tile, sorted(pace.ends.values())), stuck, needs)


def _behind(tile: Tile, ends: Sequence[float]) -> float:
    """How far off the model's pace: where it had done as many items, whichever they were, nobody is behind or ahead."""
    if tile.done >= len(ends):
        return tile.t - ends[-1] if ends else 0.0
    before = ends[tile.done - 1] if tile.done else 0.0
    return tile.t - min(max(tile.t, before), ends[tile.done])
