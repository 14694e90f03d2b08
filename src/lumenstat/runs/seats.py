"""Somebody looking at a run: what is sent waits in a queue, and whoever cannot keep up is let go."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from lumenstat.language.wording import SOURCE_LANGUAGE, Names, as_json, retold

FRAMES_BEHIND_AT_MOST = 60


@dataclass(eq=False)
class Seat:
    """One viewer's queue of messages, as text; `lost` when the viewer could not keep up or its run is gone.

    What is said is told in its `language`; `names` are what documents say, in their words of that language. One that
    `flies` sees what the trainee sees; it is the trainee's own station where it also `counts`.
    """

    queue: asyncio.Queue[str] = field(default_factory=lambda: asyncio.Queue(FRAMES_BEHIND_AT_MOST))
    lost: bool = False
    language: str = SOURCE_LANGUAGE
    names: Names | None = None
    flies: bool = False
    counts: bool = True

    def begin(self, text: str) -> None:
        """Send the whole state, before anything that changes."""
        self.send(text)

    def send(self, text: str) -> None:
        """Queue a message; a viewer that cannot keep up is let go and may come back for the whole state."""
        try:
            self.queue.put_nowait(retold(text, self.language, self.names))
        except asyncio.QueueFull:
            self.lost = True

    def let_go(self) -> None:
        """Have the viewer come back: nothing that is queued is of use any more."""
        self.lost = True
        while not self.queue.empty():
            self.queue.get_nowait()
        self.queue.put_nowait(encoded({"type": "gone"}))


def encoded(frame: dict[str, Any]) -> str:
    """A message as it is sent; a phrase under `says` keeps its parts until it is told."""
    if "says" in frame:
        frame = frame | {"says": as_json(frame["says"])}
    return json.dumps(frame, separators=(",", ":"), ensure_ascii=False)


def send_all(seats: Iterable[Seat], text: str) -> None:
    """Send everybody the same message, encoded once and told each in their language."""
    for seat in seats:
        seat.send(text)
