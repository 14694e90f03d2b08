"""The best consistent reading against trying every reading.

Source: brute force over all subsets of candidates, on thousands of small random procedures and logs;
`scipy.stats.kendalltau` as a sanity bound on fully swapped orders.
"""

from __future__ import annotations

import random
from itertools import combinations

import pytest
from scipy.stats import kendalltau

from lumenstat.assessment.matching import Candidate, best_reading

Worth = tuple[int, tuple[int, ...], int, int]


class Case:
    def __init__(self, seed: int) -> None:
        r = random.Random(seed)
        self.items = r.randint(1, 5)
        self.before = {(i, j) for i in range(self.items) for j in range(i + 1, self.items) if r.random() < 0.6}
        for _ in range(self.items):
            self.before |= {(i, k) for i, j in self.before for j2, k in self.before if j == j2}
        keys = [r.randrange(3) for _ in range(self.items)]
        for i in range(self.items):  # items that share a key must be in order with each other
            for j in range(i + 1, self.items):
                if keys[i] == keys[j] and (i, j) not in self.before:
                    keys[j] = 10 + j
        actions = [r.choice(keys) for _ in range(r.randint(0, 6))]
        self.candidates = [
            Candidate(i, a) for i in range(self.items) for a, key in enumerate(actions) if key == keys[i]
        ]
        self.credits = {c: r.choice([1.0, 1.0, 0.75, 0.5]) for c in self.candidates}
        r.shuffle(self.candidates)

    def precedes(self, i: int, j: int) -> bool:
        return (i, j) in self.before

    def consistent(self, kept: tuple[Candidate, ...]) -> bool:
        for p, q in combinations(kept, 2):
            if p.item == q.item or p.action == q.action:
                return False
            if self.precedes(p.item, q.item) and p.action >= q.action:
                return False
            if self.precedes(q.item, p.item) and q.action >= p.action:
                return False
        return True

    def worth(self, kept: tuple[Candidate, ...]) -> Worth:
        """As many items as possible, then the earliest, then the highest credit, then the earliest actions."""
        items = tuple(1 if i in {c.item for c in kept} else 0 for i in range(self.items))
        credit = sum(round(100 * self.credits[c]) for c in kept)
        return len(kept), items, credit, -sum(self.actions.index(c.action) for c in kept)

    @property
    def actions(self) -> list[int]:
        return sorted({c.action for c in self.candidates})

    def best_by_force(self) -> Worth:
        found = (kept for size in range(len(self.candidates) + 1) for kept in combinations(self.candidates, size))
        return max(self.worth(kept) for kept in found if self.consistent(kept))


@pytest.mark.parametrize("block", range(8))
def test_equals_trying_everything(block: int) -> None:
    for seed in range(block * 500, block * 500 + 500):
        case = Case(seed)
        if len(case.candidates) > 11:
            continue
        kept = tuple(best_reading(case.candidates, case.credits.__getitem__, case.precedes))
        assert case.consistent(kept), seed
        assert case.worth(kept) == case.best_by_force(), seed


def test_sixty_items_with_the_first_done_last_is_one_slip() -> None:
    order = [*range(1, 60), 0]
    candidates = [Candidate(item, action) for action, item in enumerate(order)]
    kept = best_reading(candidates, lambda _: 1.0, lambda i, j: i < j)
    assert {c.item for c in kept} == set(range(1, 60))


def test_of_two_swapped_items_the_one_done_too_soon_is_blamed() -> None:
    kept = best_reading([Candidate(0, 1), Candidate(1, 0)], lambda _: 1.0, lambda i, j: i < j)
    assert [c.item for c in kept] == [0]


def test_reversed_order_keeps_one_item() -> None:
    """Source: scipy.stats.kendalltau, -1 for a wholly reversed order."""
    order = list(range(12))[::-1]
    assert kendalltau(range(12), order).statistic == pytest.approx(-1.0)
    candidates = [Candidate(item, action) for action, item in enumerate(order)]
    assert len(best_reading(candidates, lambda _: 1.0, lambda i, j: i < j)) == 1
