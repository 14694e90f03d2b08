"""Kills a server in the middle of acts: nothing that was acknowledged is lost, and nothing stands twice."""

from __future__ import annotations

import asyncio
import random
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from typing import Any

from lumenstat.documents.runlog import LogEvent
from soak.load import Hand, Seen
from soak.school import Server, Station

LONGEST_SECONDS = 1.2
# A busy machine links late: a kill before any act would show nothing.
ACTS_BEFORE = 3


async def kill_often(
    server: Server, stations: Sequence[Station], kills: int, seed: int = 1, graceful_share: float = 0.0
) -> dict[str, Any]:
    """Kill the server so many times while stations act as fast as they are answered; checked after each kill.

    Raises TimeoutError where a started server acknowledges nothing for a minute.
    """
    rng, seen = random.Random(seed), Seen()
    starts, lost, twice, holes = [], 0, 0, 0
    hands = [Hand(station, server, (), seen) for station in stations]
    for _ in range(kills):
        starts.append(server.start())
        before = seen.acts()
        acting = [asyncio.create_task(act_until_killed(hand)) for hand in hands]
        async with asyncio.timeout(60):
            while seen.acts() < before + ACTS_BEFORE:
                await asyncio.sleep(0.01)
        await asyncio.sleep(rng.uniform(0.05, LONGEST_SECONDS))
        if rng.random() < graceful_share:
            await asyncio.to_thread(server.end)
        else:
            await asyncio.to_thread(server.kill)
        await asyncio.wait(acting, timeout=20)
        now = await asyncio.to_thread(check, server, seen)
        lost, twice, holes = lost + now[0], twice + now[1], holes + now[2]
    return {
        "kills": kills,
        "acknowledged": seen.acts(),
        "lost": lost,
        "twice": twice,
        "holes": holes,
        "start_seconds_p50": round(sorted(starts)[len(starts) // 2], 2),
        "start_seconds_most": round(max(starts), 2),
    }


async def act_until_killed(hand: Hand, pause: float = 0.0) -> None:
    """Turn a switch to and fro, `pause` seconds after the last act was acknowledged, until the link breaks."""
    try:
        socket = await hand.link()
        reader = asyncio.create_task(hand.read(socket))
        while not reader.done():
            await hand.act(socket, to_and_fro(hand.number))
            while hand.sent and not reader.done():
                await asyncio.sleep(0.001)
            await asyncio.sleep(pause)
    except Exception:
        return
    finally:
        hand.sent.clear()


def to_and_fro(number: int) -> LogEvent:
    """A switch turned on and off and on again."""
    return LogEvent(0, "trainee", "set", {"control": "wipers", "to": "SLOW" if number % 2 else "OFF"})


def check(server: Server, seen: Seen) -> tuple[int, int, int]:
    """How many acknowledged acts are not there, how many client numbers stand twice, how many logs have holes."""
    with closing(sqlite3.connect(server.database)) as connection:
        rows = connection.execute("SELECT run_id, number, client_id FROM run_events").fetchall()
    kept: dict[str, dict[int, str]] = {}
    for run_id, number, client in rows:
        kept.setdefault(run_id, {})[number] = client
    lost = sum(
        kept.get(run_id, {}).get(number) != client
        for run_id, acts in seen.stored.items()
        for number, client in acts.items()
    )
    clients = [(run_id, client) for run_id, _, client in rows if client is not None]
    holes = sum(sorted(numbers) != list(range(len(numbers))) for numbers in kept.values())
    return lost, len(clients) - len(set(clients)), holes
