"""How somebody stands with each step of a course: a pure rule over what they flew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from lumenstat.language.wording import phrase

State = Literal["done", "lapsed", "next", "tried", "later"]
"""lapsed: it was done too long ago; next: its turn has come; tried: flown, not enough; later: others come first."""

STATE_WORDS: Mapping[State, str] = {
    "done": phrase("done"),
    "lapsed": phrase("lapsed"),
    "next": phrase("due"),
    "tried": phrase("tried"),
    "later": phrase("later"),
}
SOON = timedelta(days=7)
"""What lapses within so long is said beforehand."""


@dataclass(frozen=True)
class Requirement:
    """What a course asks for: an exercise passed so many times, with so many points, this grade or a better one.

    `within_days` is for how long a pass counts; without it, for ever.
    """

    exercise_id: str
    passes: int = 1
    at_least: float | None = None
    grade: str | None = None
    within_days: int | None = None


@dataclass(frozen=True)
class CountedRun:
    """One assessed run that counts: when (UTC), how it ended, points in percent, and the grade given, if any."""

    exercise_id: str
    at: datetime
    passed: bool
    percent: float
    grade: str | None = None
    run_id: str = ""


@dataclass(frozen=True)
class StepStanding:
    """How somebody stands with one step; `lapses` is when what they have counts no more."""

    step: Requirement
    state: State
    passes: int
    tries: int
    best: float | None
    last: datetime | None
    lapses: datetime | None = None
    run_id: str = ""
    """The run that says the most: the latest pass, or else the latest try."""

    def lapses_soon(self, now: datetime) -> bool:
        """Whether what they have will soon count no more."""
        return self.state == "done" and self.lapses is not None and self.lapses - now <= SOON


def enough(step: Requirement, flown: CountedRun, scale: Sequence[str]) -> bool:
    """Whether a run is what a step asks for. `scale` is the school's, the best grade first."""
    if not flown.passed or (step.at_least is not None and flown.percent < step.at_least):
        return False
    if step.grade is None:
        return True
    if flown.grade not in scale or step.grade not in scale:
        return False
    return scale.index(flown.grade) <= scale.index(step.grade)


def standings(
    steps: Sequence[Requirement], runs: Sequence[CountedRun], now: datetime, scale: Sequence[str] = ()
) -> list[StepStanding]:
    """How somebody stands with each step of a course. `runs` are theirs, in any order.

    Steps are taken in order: the first that is not done is next, and so is every one that has lapsed.
    """
    found, blocked = [], False
    for step in steps:
        standing = _standing(step, [run for run in runs if run.exercise_id == step.exercise_id], now, scale, blocked)
        blocked = blocked or standing.state not in ("done", "lapsed")
        found.append(standing)
    return found


def _standing(
    step: Requirement, runs: Sequence[CountedRun], now: datetime, scale: Sequence[str], blocked: bool
) -> StepStanding:
    ordered = sorted(runs, key=lambda run: run.at)
    good = [run for run in ordered if enough(step, run, scale)]
    lapses = _lapses(step, good)
    # The last good run, or else the last one at all: that is which a reader wants to open.
    tells = (good or ordered)[-1:]
    return StepStanding(
        step=step,
        state=_state(step, len(good), lapses, now, bool(ordered), blocked),
        passes=len(good),
        tries=len(ordered),
        best=max((run.percent for run in ordered), default=None),
        last=ordered[-1].at if ordered else None,
        lapses=lapses,
        run_id=tells[0].run_id if tells else "",
    )


def _lapses(step: Requirement, good: Sequence[CountedRun]) -> datetime | None:
    """When a step lapses: so many days after the oldest of the latest passes that it asks for."""
    if step.within_days is None or len(good) < step.passes:
        return None
    return good[-step.passes].at + timedelta(days=step.within_days)


def _state(step: Requirement, good: int, lapses: datetime | None, now: datetime, tried: bool, blocked: bool) -> State:
    if good >= step.passes:
        return "lapsed" if lapses is not None and lapses <= now else "done"
    if tried:
        return "tried"
    return "later" if blocked else "next"


def share_done(found: Sequence[StepStanding]) -> float:
    """What share of a course's steps are done, from 0 to 1."""
    return sum(each.state == "done" for each in found) / len(found) if found else 0.0


def due(found: Sequence[StepStanding]) -> list[StepStanding]:
    """The steps that somebody is to fly: lapsed ones, the one that is next, those tried and not there yet."""
    return [each for each in found if each.state in ("lapsed", "next", "tried")]
