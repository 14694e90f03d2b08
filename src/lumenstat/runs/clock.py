"""Exercise time against the wall clock; the only place where the two meet."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field

RATES = (1, 2, 5, 10)


@dataclass
class Clock:
    """Exercise ticks, standing until started. `wall` gives monotonic seconds."""

    tick: int = 0
    rate: int = 1
    wall: Callable[[], float] = time.monotonic
    _since: float | None = field(default=None)

    @property
    def running(self) -> bool:
        """Whether exercise time passes."""
        return self._since is not None

    def now(self) -> int:
        """The present exercise tick; never goes back, whatever the wall clock does."""
        if self._since is None:
            return self.tick
        passed = max(0.0, self.wall() - self._since)
        return self.tick + int(passed * 100 * self.rate)

    def start(self) -> None:
        """Let time pass."""
        if self._since is None:
            self._since = self.wall()

    def stop(self) -> None:
        """Let time stand."""
        self.tick = self.now()
        self._since = None

    def set_rate(self, rate: int, tick: int | None = None) -> None:
        """Pass at another rate from now on, or from a tick that is already behind."""
        running = self.running
        self.tick = self.now() if tick is None else tick
        self._since = self.wall() if running else None
        self.rate = rate
