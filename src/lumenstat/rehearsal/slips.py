"""A flight as somebody makes it who is still learning: the perfect one, slower, with slips put in by a seed.

Made for the demo school and for tests of the judge; a slip is what people do, not what the model expects of them.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import replace

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.language import naming
from lumenstat.rehearsal.perfect import Acted, Rehearsal, rehearse
from lumenstat.simulation.flight import fly

JUDGEMENTS = ("within", "below", "above")
LOOKED_AROUND_TICKS = (150, 900)
"""How long somebody looks for a part before they act, at the least and at the most."""

MISREAD = "misread"
"""Beside a call that is going to be read off wrongly: by what factor."""

Part = tuple[Acted, list[LogEvent]]
"""An item with its events."""


def flight_with_slips(bundle: Bundle, seed: str, slips: int, slowness: float = 1.0) -> tuple[LogEvent, ...]:
    """The log of a flight with so many slips in it, begun and finished. The same seed gives the same flight."""
    flight = rehearse(bundle)
    rng = random.Random(seed)  # noqa: S311 - nothing hangs on its being guessed
    parts, ending = _parts(flight)
    for _ in range(slips):
        rng.choice(SLIPS)(parts, rng)
    return _as_read(bundle, _in_time(parts, ending, rng, slowness))


def _parts(flight: Rehearsal) -> tuple[list[Part], list[LogEvent]]:
    """The flight as items with their events, in time order, and what comes after the last of them."""
    acts = sorted((act for act in flight.acts if act.last > act.first), key=lambda act: act.first)
    parts = [(act, list(flight.events[act.first : act.last])) for act in acts]
    last = max((act.last for act in acts), default=0)
    return parts, list(flight.events[last:])


# ---- slips -----------------------------------------------------------------------------------------------------------


def _left_out(parts: list[Part], rng: random.Random) -> None:
    """An item is forgotten: one that does no more than look or say, or a switch."""
    if len(parts) > 4:
        del parts[rng.randrange(1, len(parts) - 1)]


def _swapped(parts: list[Part], rng: random.Random) -> None:
    """Two items one after the other change places."""
    if len(parts) > 3:
        n = rng.randrange(len(parts) - 2)
        parts[n], parts[n + 1] = parts[n + 1], parts[n]


def _misjudged(parts: list[Part], rng: random.Random) -> None:
    """A reading is judged falsely."""
    calls = [(events, n) for _, events in parts for n, event in enumerate(events) if event.verb == "call"]
    if calls:
        events, n = rng.choice(calls)
        if (judged := events[n].args["judgement"]) in JUDGEMENTS:
            other = rng.choice([each for each in JUDGEMENTS if each != judged])
            events[n] = replace(events[n], args={**events[n].args, "judgement": other})


def _misread(parts: list[Part], rng: random.Random) -> None:
    """A figure is read off wrongly."""
    calls = [(e, n) for _, e in parts for n, event in enumerate(e) if event.verb == "call" and "reading" in event.args]
    if calls:
        events, n = rng.choice(calls)
        events[n] = replace(events[n], args={**events[n].args, MISREAD: rng.choice((0.9, 1.1))})


def _not_answered(parts: list[Part], rng: random.Random) -> None:
    """Somebody does an item and says nothing, or says and does not do: one of its events is missing."""
    several = [events for _, events in parts if len(events) > 1 and all(e.verb != "press" for e in events)]
    if several:
        events = rng.choice(several)
        del events[rng.randrange(len(events))]


def _let_go(parts: list[Part], rng: random.Random) -> None:
    """A button is let go too soon."""
    held = [events for _, events in parts if any(event.verb == "release" for event in events)]
    if held:
        events = rng.choice(held)
        pressed = next((event for event in events if event.verb == "press"), None)
        for n, event in enumerate(events):
            if event.verb == "release" and pressed is not None:
                events[n] = replace(event, tick=pressed.tick + (event.tick - pressed.tick) // 3)


Slip = Callable[[list[Part], random.Random], None]
SLIPS: Sequence[Slip] = (_left_out, _left_out, _swapped, _misjudged, _misread, _not_answered, _let_go)
"""What people do, by how often they do it."""


# ---- time ------------------------------------------------------------------------------------------------------------


def _in_time(
    parts: Sequence[Part], ending: Sequence[LogEvent], rng: random.Random, slowness: float
) -> tuple[LogEvent, ...]:
    """Every act where a slower hand makes it: none before the one before it, and none sooner than in the model."""
    made: list[LogEvent] = []
    behind = now = 0
    for _, events in parts:
        behind += round(slowness * rng.randint(*LOOKED_AROUND_TICKS))
        for event in events:
            now = max(now + 10, event.tick + behind) if made else max(0, event.tick)
            made.append(replace(event, tick=now))
    for event in ending:
        now = max(now + 10, event.tick + behind)
        made.append(replace(event, tick=now))
    if not made or made[-1].verb != "finish":
        made.append(LogEvent(now + 100, "trainee", "finish"))
    return tuple(made)


def _as_read(bundle: Bundle, events: tuple[LogEvent, ...]) -> tuple[LogEvent, ...]:
    """Calls with what the needle shows when they are made: somebody slower reads another figure than the model did."""
    bare = tuple(replace(e, args={k: v for k, v in e.args.items() if k != MISREAD}) for e in events)
    read = []
    for moment, event, plain in zip(fly(bundle, bare, lenient=True).moments, events, bare, strict=False):
        shown = moment.state.get(naming.reads(str(event.args.get("instrument"))))
        if event.verb == "call" and "reading" in event.args and isinstance(shown, int | float):
            decimals = bundle.airframe.instruments[str(event.args["instrument"])].decimals
            figure = round(float(shown) * event.args.get(MISREAD, 1.0), decimals)
            read.append(replace(plain, args={**plain.args, "reading": figure}))
        else:
            read.append(plain)
    return tuple(read)
