"""Many stations at once, each flying as the model flies: how long acts and lamps take, and what it costs."""

from __future__ import annotations

import asyncio
import json
import random
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from websockets.asyncio.client import ClientConnection, connect

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.documents.runlog import LogEvent
from lumenstat.rehearsal.perfect import rehearse
from soak.school import Server, Station


def flight_of(name: str) -> list[LogEvent]:
    """The model's own flight of a shipped exercise, but for its end."""
    bundle = Library().bundle(next(path for path in shipped_exercises() if path.stem == name))
    return [event for event in rehearse(bundle).events if event.verb != "finish"]


@dataclass
class Seen:
    """What all stations saw: seconds until acts were acknowledged and shown, frames, bytes, what was refused."""

    acknowledged: list[float] = field(default_factory=list)
    shown: list[float] = field(default_factory=list)
    frames: int = 0
    bytes: int = 0
    refused: list[str] = field(default_factory=list)
    closed: int = 0
    stored: dict[str, dict[int, str]] = field(default_factory=dict)

    def acts(self) -> int:
        """How many acts were acknowledged as stored."""
        return sum(len(each) for each in self.stored.values())


@dataclass
class Hand:
    """One station's hand."""

    station: Station
    server: Server
    events: Sequence[LogEvent]
    seen: Seen
    pace: float = 1.0
    sent: dict[str, float] = field(default_factory=dict)
    moved: dict[str, float] = field(default_factory=dict)
    number: int = 0

    async def link(self) -> ClientConnection:
        """Open the station's socket, as its page does."""
        headers = {"Cookie": f"lumenstat_sign_in={self.station.token}"}
        address = f"ws://{self.server.address}/runs/{self.station.run_id}/socket"
        return await connect(
            address,
            origin=f"http://{self.server.address}",  # type: ignore[arg-type]
            additional_headers=headers,
            compression=None,
            open_timeout=60,
            max_size=None,
            ping_interval=None,
        )

    async def fly(self, seconds: float, wait: float) -> None:
        """Act at the flight's own times for so long, beginning after `wait` seconds."""
        socket = await self.link()
        reader = asyncio.create_task(self.read(socket))
        await asyncio.sleep(wait)
        begun = time.monotonic()
        try:
            for event in self.events:
                due = begun + event.tick / 100 / self.pace
                if due > begun + seconds:
                    break
                await asyncio.sleep(max(0.0, due - time.monotonic()))
                await self.act(socket, event)
            await asyncio.sleep(max(0.0, begun + seconds - time.monotonic()))
        finally:
            reader.cancel()
            await socket.close()

    async def act(self, socket: ClientConnection, event: LogEvent) -> None:
        """Send one act."""
        self.number += 1
        name, now = f"h-{self.number}", time.monotonic()
        if event.verb == "set":
            self.moved[f'"control.{event.args["control"]}"'] = now
        self.sent[name] = now
        message = {"id": name, "verb": event.verb, "args": dict(event.args)}
        await socket.send(json.dumps(message))

    async def read(self, socket: ClientConnection) -> None:
        """Take frames in for as long as the link holds."""
        try:
            async for text in socket:
                self.take(str(text))
        except Exception:
            self.seen.closed += 1

    def take(self, text: str) -> None:
        """Note what a frame tells."""
        now, seen = time.monotonic(), self.seen
        seen.frames += 1
        seen.bytes += len(text)
        if text.startswith('{"type":"state"'):
            for name in [each for each in self.moved if each in text]:
                seen.shown.append(now - self.moved.pop(name))
            return
        answer = json.loads(text)
        if answer.get("id") in self.sent:
            took = now - self.sent.pop(answer["id"])
            if answer["type"] == "done":
                seen.acknowledged.append(took)
                seen.stored.setdefault(self.station.run_id, {})[answer["number"]] = answer["id"]
            else:
                seen.refused.append(answer["says"])


def centile(values: Sequence[float], share: float) -> float:
    """The value that so large a share of all lies below, in milliseconds."""
    ordered = sorted(values)
    return round(1000 * ordered[min(len(ordered) - 1, int(share * len(ordered)))], 1) if ordered else 0.0


async def fly_all(
    server: Server, stations: Sequence[Station], events: Sequence[LogEvent], seconds: float, pace: float, seed: int = 1
) -> dict[str, Any]:
    """Fly all stations for so long and tell what they saw."""
    seen, rng = Seen(), random.Random(seed)
    before, idle = server.cpu_seconds(), server.megabytes()
    hands = [Hand(station, server, events, seen, pace) for station in stations]
    begun = time.monotonic()
    await asyncio.gather(*(hand.fly(seconds, rng.uniform(2, 7)) for hand in hands))
    took = time.monotonic() - begun
    return {
        "stations": len(stations),
        "seconds": round(took, 1),
        "acts": len(seen.acknowledged),
        "refused": len(seen.refused),
        "links_lost": seen.closed,
        "acknowledged_p50_ms": centile(seen.acknowledged, 0.5),
        "acknowledged_p99_ms": centile(seen.acknowledged, 0.99),
        "shown_p99_ms": centile(seen.shown, 0.99),
        "late_ms": server.health()["runs"],
        "frames_a_second": round(seen.frames / took / len(stations), 2),
        "kilobytes_a_second": round(seen.bytes / 1000 / took / len(stations), 2),
        "cores": round((server.cpu_seconds() - before) / took, 2),
        "megabytes_more": round(server.megabytes() - idle, 1),
    }
