"""Which acts of a flight hold up its end: one forward and one backward pass over acts and the links between them.

Source: the critical path method (Kelley and Walker 1959, from memory), on integer ticks.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenstat.rehearsal.perfect import Acted
from lumenstat.rehearsal.script import Script


@dataclass(frozen=True)
class Link:
    """`after` cannot begin before `lag` ticks have gone by since `before` ended."""

    before: int
    after: int
    lag: int = 0


@dataclass(frozen=True)
class Schedule:
    """Ticks, act by act: earliest start, slack (how much later it could begin with the end unmoved), the end."""

    starts: tuple[int, ...]
    slack: tuple[int, ...]
    end: int
    path: tuple[int, ...]


def schedule(durations: Sequence[int], links: Sequence[Link], releases: Mapping[int, int] | None = None) -> Schedule:
    """Earliest starts, slacks and the critical path. Acts are numbered so that links go upwards.

    `releases` gives acts that cannot begin before a tick of their own. The path is the chain of acts without slack
    that ends last, each bound by the one before it.
    """
    count = len(durations)
    into: list[list[Link]] = [[] for _ in range(count)]
    out: list[list[Link]] = [[] for _ in range(count)]
    for link in links:
        if link.before >= link.after:
            raise ValueError(f"link {link.before} to {link.after} goes backwards")
        into[link.after].append(link)
        out[link.before].append(link)
    starts = [0] * count
    for n in range(count):
        starts[n] = (releases or {}).get(n, 0)
        for link in into[n]:
            starts[n] = max(starts[n], starts[link.before] + durations[link.before] + link.lag)
    end = max((starts[n] + durations[n] for n in range(count)), default=0)
    latest = [end - duration for duration in durations]
    for n in reversed(range(count)):
        for link in out[n]:
            latest[n] = min(latest[n], latest[link.after] - link.lag - durations[n])
    slack = tuple(late - early for late, early in zip(latest, starts, strict=True))
    return Schedule(tuple(starts), slack, end, _path(durations, into, starts, end))


def _path(durations: Sequence[int], into: Sequence[Sequence[Link]], starts: Sequence[int], end: int) -> tuple[int, ...]:
    if not durations:
        return ()
    at = next(n for n in range(len(durations)) if starts[n] + durations[n] == end)
    path = [at]
    while True:
        binding = [
            k.before for k in into[at] if starts[k.before] + durations[k.before] + k.lag == starts[at] and starts[at]
        ]
        if not binding:
            return tuple(reversed(path))
        at = min(binding)
        path.append(at)


def network(script: Script) -> tuple[list[int], list[Link], dict[int, int]]:
    """The flight as it was flown: durations of its acts, what bound each of them, and what began without a cause.

    One pair of hands acts on one item after another. An item that had to wait for its indication is bound to the act
    that the indication counts from, which the model tells: the last one whose delay delays it.
    """
    acts, procedure = script.acts, script.procedure
    numbers = [procedure.by_id[act.item].number for act in acts]
    links = [Link(n, n + 1) for n in range(len(acts) - 1)]
    releases: dict[int, int] = {}
    for n, act in enumerate(acts):
        turn = max((acts[m].ends for m in range(n) if procedure.precedes(numbers[m], numbers[n])), default=0)
        links += [Link(m, n) for m in range(n) if procedure.precedes(numbers[m], numbers[n])]
        if act.ripe <= turn:
            if (came := script.came_of(n)) is not None:
                # It was there before its turn; the act that it counts from has that much slack and no more.
                links.append(Link(came[0], n, came[1] - acts[came[0]].ends))
            continue
        cause = script.cause_of(n)
        if cause is None:
            releases[n] = act.ripe
        else:
            links.append(Link(cause, n, act.ripe - acts[cause].ends))
    return [act.ends - act.starts for act in acts], links, releases


def schedule_of(script: Script) -> Schedule:
    """The schedule of a perfect flight."""
    return schedule(*network(script))


def critical_items(acts: Sequence[Acted], found: Schedule) -> tuple[str, ...]:
    """The items on the critical path, first to last."""
    return tuple(acts[n].item for n in found.path)
