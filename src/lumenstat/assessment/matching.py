"""The best consistent reading of what was done: matching and order as one exact problem.

Candidates are pairs of an item and an action that could be it. One pair precedes another when its item is at or before
the other's in the procedure and its action at or after the other's in time: two such pairs contradict each other. The
kept pairs are a maximum-weight antichain of that order, found as a minimum cut (weighted Dilworth).

What is best, in this order: as many items as possible, whatever they weigh, so that never more items are blamed than
slips were made; among those the earliest items of the procedure, so that of two swapped items the one done too soon is
blamed; then the highest credit; then the earliest actions.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Candidate:
    """An item (its number in the procedure) read as an action (its index in the log)."""

    item: int
    action: int


CREDIT_STEPS = 100
"""Credit is told apart to a hundredth."""


def best_reading(
    candidates: Sequence[Candidate], credit: Callable[[Candidate], float], precedes: Callable[[int, int], bool]
) -> list[Candidate]:
    """The kept candidates, at most one an item, in item order.

    `credit(candidate)` lies from 0 to 1; `precedes(i, j)` is the procedure's strict partial order.
    """
    before = _contradictions(candidates, precedes)
    # Nearly every pair contradicts none: only the few that do go through the flow network.
    torn = sorted({p for p, others in enumerate(before) if others} | {q for others in before for q in others})
    worth = _worth(candidates, credit)
    kept = set(range(len(candidates))) - set(torn)
    if torn:
        place = {p: n for n, p in enumerate(torn)}
        relation = [[place[q] for q in before[p]] for p in torn]
        kept |= {torn[n] for n in _heaviest_antichain([worth[p] for p in torn], relation)}
    return sorted((candidates[p] for p in kept), key=lambda c: (c.item, c.action))


def _contradictions(candidates: Sequence[Candidate], precedes: Callable[[int, int], bool]) -> list[list[int]]:
    return [
        [
            q
            for q, b in enumerate(candidates)
            if p != q and (a.item == b.item or precedes(a.item, b.item)) and a.action >= b.action
        ]
        for p, a in enumerate(candidates)
    ]


def _worth(candidates: Sequence[Candidate], credit: Callable[[Candidate], float]) -> list[int]:
    """Whole numbers that order readings by how many items, then which, then credit, then earliest actions."""
    items = sorted({c.item for c in candidates})
    rank = {item: n for n, item in enumerate(reversed(items))}
    actions = sorted({c.action for c in candidates})
    lateness = {action: n for n, action in enumerate(actions)}
    # Each of these sums over a whole reading stays below one step of the next.
    action_room = len(items) * (len(actions) + 1)
    credit_room = action_room * (len(items) * CREDIT_STEPS + 1)
    # Bits of an item's rank: the earliest item outweighs all later ones together.
    item_room = credit_room << len(items)
    return [
        item_room
        + (credit_room << rank[c.item])
        + round(credit(c) * CREDIT_STEPS) * action_room
        + len(actions)
        - lateness[c.action]
        for c in candidates
    ]


def _heaviest_antichain(worth: list[int], before: list[list[int]]) -> list[int]:
    """A maximum-weight antichain: source to left (worth), left to right (unbounded), right to sink (worth)."""
    size = len(worth)
    source, sink = 2 * size, 2 * size + 1
    graph = _Graph(2 * size + 2)
    # More than all that can flow, so that no contradiction is ever cut instead of a pair.
    unbounded = sum(worth) + 1
    for p in range(size):
        graph.add(source, p, worth[p])
        graph.add(size + p, sink, worth[p])
        for q in before[p]:
            graph.add(p, size + q, unbounded)
    reached = graph.cut(source, sink)
    # Dilworth by minimum cut: a pair is kept whose way in is cut neither at its source nor at its sink.
    return [p for p in range(size) if reached[p] and not reached[size + p]]


class _Graph:
    """A flow network; Dinic's algorithm on whole numbers."""

    def __init__(self, nodes: int) -> None:
        self.edges: list[list[int]] = [[] for _ in range(nodes)]
        self.ends: list[int] = []
        self.room: list[int] = []

    def add(self, start: int, end: int, capacity: int) -> None:
        """An edge and its way back."""
        for a, b, room in ((start, end, capacity), (end, start, 0)):
            self.edges[a].append(len(self.ends))
            self.ends.append(b)
            self.room.append(room)

    def cut(self, source: int, sink: int) -> list[bool]:
        """Which nodes lie on the source's side of a minimum cut."""
        while (levels := self._levels(source))[sink] >= 0:
            self._at = [0] * len(self.edges)
            while self._push(source, sink, sum(self.room[e] for e in self.edges[source]), levels):
                pass
        return [level >= 0 for level in levels]

    def _levels(self, source: int) -> list[int]:
        levels = [-1] * len(self.edges)
        levels[source] = 0
        queue = deque([source])
        while queue:
            node = queue.popleft()
            for edge in self.edges[node]:
                end = self.ends[edge]
                if self.room[edge] and levels[end] < 0:
                    levels[end] = levels[node] + 1
                    queue.append(end)
        return levels

    def _push(self, node: int, sink: int, flow: int, levels: list[int]) -> int:
        if node == sink or not flow:
            return flow
        while self._at[node] < len(self.edges[node]):
            edge = self.edges[node][self._at[node]]
            end = self.ends[edge]
            if self.room[edge] and levels[end] == levels[node] + 1:
                sent = self._push(end, sink, min(flow, self.room[edge]), levels)
                if sent:
                    self.room[edge] -= sent
                    # An edge and its way back have numbers that differ in the last bit alone.
                    self.room[edge ^ 1] += sent
                    return sent
            self._at[node] += 1
        return 0
