"""Links that break in the middle of storing: many at once, without a word; the others go on as if nothing was."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Any

from soak.kills import check, to_and_fro
from soak.load import Hand, Seen, centile
from soak.school import Server, Station

ACTS_BEFORE = 3


async def break_links(server: Server, stations: Sequence[Station], links: int) -> dict[str, Any]:
    """Break so many links right after their acts were sent, while one more station goes on acting."""
    steady, seen, gone = stations[0], Seen(), Seen()
    hand = Hand(steady, server, (), seen)
    socket = await hand.link()
    reader = asyncio.create_task(hand.read(socket))
    acting = asyncio.create_task(_act_on(hand, socket))
    others = stations[1:]
    for first in range(0, links, len(others)):
        batch = others[: min(len(others), links - first)]
        await asyncio.gather(*(_act_and_vanish(server, station, gone) for station in batch))
    await asyncio.sleep(0.5)
    acting.cancel()
    await asyncio.sleep(0.2)
    reader.cancel()
    await socket.close()
    health = server.health()
    lost, twice, holes = await asyncio.to_thread(check, server, seen)
    return {
        "links_broken": links,
        "acts_of_the_other": len(seen.acknowledged),
        "acknowledged_p99_ms": centile(seen.acknowledged, 0.99),
        "lost": lost,
        "twice": twice,
        "holes": holes,
        "writer_alive": health["writer"]["alive"],
    }


async def _act_on(hand: Hand, socket: Any) -> None:
    while True:
        await hand.act(socket, to_and_fro(hand.number))
        await asyncio.sleep(0.02)


async def _act_and_vanish(server: Server, station: Station, seen: Seen) -> None:
    hand = Hand(station, server, (), seen)
    socket = await hand.link()
    for number in range(ACTS_BEFORE):
        await hand.act(socket, to_and_fro(number))
    socket.transport.abort()
