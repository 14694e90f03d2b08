"""`make soak`: load, links that break, kills and fuzz; figures to soak/results.json, their picture to docs/soak.svg.

`python -m soak load` does one part again. `--short` does a little of everything, to try the soak itself; it keeps nothing.
"""

from __future__ import annotations

import asyncio
import json
import platform
import sys
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from soak.beside import kill_beside_commands
from soak.fuzz import fuzz
from soak.kills import kill_often
from soak.load import Hand, Seen, centile, flight_of, fly_all
from soak.picture import draw
from soak.school import Server, Station, make_school
from soak.storm import break_links

RESULTS = Path(__file__).parent / "results.json"
PICTURE = Path(__file__).parents[1] / "docs" / "soak.svg"
EXERCISE = "full-cold-start"
ROUNDS_A_SCHOOL = 20
SIZES = (20, 50, 100, 200, 300, 400)


def load(stations: int, workers: int, seconds: float) -> dict[str, Any]:
    """So many stations on a server of its own, and all of them again after a restart."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "school.sqlite"
        made, _ = make_school(path, stations, EXERCISE)
        with Server(path, "--workers", str(workers)) as server:
            server.start()
            row = asyncio.run(fly_all(server, made, flight_of(EXERCISE), seconds, pace=1.0))
            server.kill()
            server.start()
            row |= {"workers": workers, "resumed": asyncio.run(resume(server, made))}
            server.end()
    return row


async def resume(server: Server, stations: Sequence[Station]) -> dict[str, Any]:
    """All stations come back at once after a restart and act: how long that takes, and how late beats came."""
    seen = Seen()
    hands = [Hand(station, server, (), seen, number=10_000) for station in stations]

    async def back(hand: Hand) -> None:
        socket = await hand.link()
        reader = asyncio.create_task(hand.read(socket))
        await hand.act(socket, flight_of_one())
        while hand.sent:
            await asyncio.sleep(0.01)
        reader.cancel()
        await socket.close()

    await asyncio.gather(*(back(hand) for hand in hands))
    await asyncio.sleep(1.5)
    late = server.health()["runs"]
    return {
        "all_back_seconds": round(max(seen.acknowledged), 2),
        "acknowledged_p50_ms": centile(seen.acknowledged, 0.5),
        "late_p99_ms": late["late_p99_ms"],
        "late_most_ms": late["late_most_ms"],
    }


def flight_of_one() -> Any:
    """One act that can always be done."""
    from lumenstat.documents.runlog import LogEvent  # noqa: PLC0415

    return LogEvent(0, "trainee", "see", {"control": "wipers", "position": "OFF"})


def storm(links: int, workers: int) -> dict[str, Any]:
    """Links that break in mid-store, on a server of its own, which then has to end when asked."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "school.sqlite"
        made, _ = make_school(path, 51, EXERCISE)
        with Server(path, "--workers", str(workers)) as server:
            server.start()
            row = asyncio.run(break_links(server, made, links))
            return row | {"workers": workers, "seconds_to_end": round(server.end(), 2)}


def kills(times: int, workers: int) -> dict[str, Any]:
    """Kills in the middle of acts."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "school.sqlite"
        made, _ = make_school(path, 8, EXERCISE)
        with Server(path, "--workers", str(workers)) as server:
            return asyncio.run(kill_often(server, made, times)) | {"workers": workers}


def beside(rounds: int, each: int | None) -> dict[str, Any]:
    """Commands of the command line beside a server that stores, which is then killed.

    A school of its own for every few rounds: a run has an end, and none is to come to it here.
    """
    found: dict[str, Any] = {}
    for begun in range(0, rounds, ROUNDS_A_SCHOOL):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "school.sqlite"
            made, _ = make_school(path, 4, EXERCISE)
            with Server(path) as server:
                many = min(ROUNDS_A_SCHOOL, rounds - begun)
                row = asyncio.run(kill_beside_commands(server, made, many, each, seed=begun))
        row.pop("refused")
        found = {name: found.get(name, 0) + count for name, count in row.items()}
        print(json.dumps(found), flush=True)
    return found


def all_loads(short: bool) -> list[dict[str, Any]]:
    """Every size of school, flown by the server itself and by two processes."""
    sizes, seconds = ((5,), 4.0) if short else (SIZES, 30.0)
    rows = []
    for workers in (1, 2):
        for size in sizes:
            rows.append(load(size, workers, seconds))
            print(json.dumps(rows[-1]), flush=True)
    return rows


PARTS: dict[str, Callable[[bool], Any]] = {
    "load": all_loads,
    "storm": lambda short: [storm(20 if short else 500, workers) for workers in (1, 2)],
    "kills": lambda short: [kills(2, 1)] if short else [kills(170, 1), kills(30, 2)],
    "beside": lambda short: [beside(1, 3)] if short else [beside(200, 3)],
    "fuzz": lambda short: fuzz(300 if short else 100_000),
}


def main() -> None:
    """Do all parts, or those that are named, and keep what came of them beside what is kept of the others."""
    short = "--short" in sys.argv
    parts = [part for part in PARTS if part in sys.argv] or list(PARTS)
    results: dict[str, Any] = json.loads(RESULTS.read_text()) if RESULTS.exists() and not short else {}
    results["machine"] = f"{platform.machine()}, Python {platform.python_version()}"
    for part in parts:
        results[part] = PARTS[part](short)
        print(json.dumps({part: results[part]}), flush=True)
    if not short:
        RESULTS.write_text(json.dumps(results, indent=2) + "\n")
        if set(PARTS) <= set(results):
            PICTURE.write_text(draw(results))
    bad = sum(
        row["lost"] + row["twice"] + row["holes"]
        for row in results.get("storm", []) + results.get("kills", []) + results.get("beside", [])
    )
    if bad or results.get("fuzz", {}).get("wrong"):
        raise SystemExit("something was lost, stood twice, or answered wrongly: see above")


if __name__ == "__main__":
    main()
