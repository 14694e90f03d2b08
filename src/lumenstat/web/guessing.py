"""Slows down whoever guesses passwords, and nobody else.

A try is counted before its password is looked at, and counts are kept in the database: neither many tries at once nor a
restart get round them. Tries are slowed by name and address together; by address alone only after so many as a class
behind one address never makes; by name alone only a little. A browser that a person has signed in from before has a
count of its own, so that others' guesses never keep them out.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from lumenstat.records.database import Database
from lumenstat.records.people import now
from lumenstat.records.sign_ins import count_tries, tries_of, uncount_tries

HASHING_AT_ONCE = 2
"""Each takes 64 MB and a tenth of a second of one core."""
HASHING_WAITING = 12
HASHING_SECONDS = 15.0


@dataclass(frozen=True)
class Patience:
    """After so many `free` tries each one has to wait, twice as long as the one before, up to `longest` seconds."""

    free: int
    longest: float
    shortest: float = 4.0

    def pause(self, count: int) -> timedelta:
        """How long after the last of so many tries the next one is heard."""
        over = min(count - self.free, 30)
        return timedelta(seconds=min(self.longest, self.shortest * 2.0**over) if over >= 0 else 0.0)


PATIENCE = {
    "pair": Patience(free=5, longest=900.0),
    "known": Patience(free=10, longest=300.0),
    "address": Patience(free=60, longest=60.0),
    "name": Patience(free=200, longest=20.0),
    "code": Patience(free=5, longest=900.0),
    "password": Patience(free=5, longest=900.0),
    "link": Patience(free=20, longest=60.0),
    "join": Patience(free=20, longest=60.0),
}


@dataclass(frozen=True)
class Try:
    """A try at signing in: by what it is counted."""

    keys: tuple[str, ...]

    @staticmethod
    def at(name: str, address: str, known_browser: str | None) -> Try:
        """A try at a name from an address; `known_browser` is the hash of its token where that person knows it."""
        name, address = name[:40], address[:45]
        if known_browser is not None:
            return Try((f"known {known_browser}",))
        return Try((f"pair {name} {address}", f"address {address}", f"name {name}"))


class Guessing:
    """Counts tries and says how long somebody has to wait."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def begin(self, tried: Try) -> float:
        """Count a try; gives 0, or the seconds to wait where it is not heard (and not counted) yet."""
        return self.database.write(lambda session: _begin(session, tried))

    def right(self, tried: Try) -> None:
        """The try was right: forget what it was counted by, but what belongs to others too."""
        first, *others = tried.keys
        self.database.write(lambda session: uncount_tries(session, [first], others))


def _begin(session: Session, tried: Try) -> float:
    present = now()
    wait = timedelta(0)
    for key, (count, last) in tries_of(session, tried.keys).items():
        pause = PATIENCE[key.split(" ", 1)[0]].pause(count)
        wait = max(wait, min(pause, last + pause - present))
    # Counted before the password is looked at, so that many at once are many tries.
    if wait <= timedelta(0):
        count_tries(session, tried.keys)
    return max(0.0, wait.total_seconds())


class HashingQueue:
    """Lets few passwords be hashed at once, and few wait for it: each takes much memory."""

    def __init__(self) -> None:
        self._turns = threading.Semaphore(HASHING_AT_ONCE)
        self._places = threading.Semaphore(HASHING_AT_ONCE + HASHING_WAITING)

    @contextmanager
    def turn(self) -> Iterator[bool]:
        """Whether there is a turn for one more; it is given back at the end."""
        # A few may wait for a turn; more than that would only pile up threads.
        if not self._places.acquire(blocking=False):
            yield False
            return
        try:
            got = self._turns.acquire(timeout=HASHING_SECONDS)
            try:
                yield got
            finally:
                if got:
                    self._turns.release()
        finally:
            self._places.release()
