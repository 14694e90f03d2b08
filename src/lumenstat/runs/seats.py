"""Somebody looking at a run: what is sent waits in a queue, and whoever cannot keep up is let go."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

FRAMES_BEHIND_AT_MOST = 60


@dataclass(eq=False)
class Seat:
    """One viewer's queue of messages, as text; `lost` when the viewer could not keep up or its run is gone.

    One that `flies` sees what the trainee sees; it is the trainee's own station where it also `counts`.
    """

    queue: asyncio.Queue[str] = field(default_factory=lambda: asyncio.Queue(FRAMES_BEHIND_AT_MOST))
    lost: bool = False
    flies: bool = False
    counts: bool = True

    def begin(self, text: str) -> None:
        """Send the whole state, before anything that changes."""
        self.send(text)

    def send(self, text: str) -> None:
        """Queue a message; a viewer that cannot keep up is let go and may come back for the whole state."""
        try:
            self.queue.put_nowait(text)
        except asyncio.QueueFull:
            self.lost = True

    def let_go(self) -> None:
        """Have the viewer come back: nothing that is queued is of use any more."""
        self.lost = True
        while not self.queue.empty():
            self.queue.get_nowait()
        self.queue.put_nowait(encoded({"type": "gone"}))


def encoded(frame: dict[str, Any]) -> str:
    """A message as it is sent."""
    return json.dumps(frame, separators=(",", ":"), ensure_ascii=False)


def send_all(seats: Iterable[Seat], text: str) -> None:
    """Send everybody the same message, encoded once."""
    for seat in seats:
        seat.send(text)
