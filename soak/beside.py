"""Commands beside a server that stores: each opens the database that the server is writing, and takes nothing from it.

Closing any handle of a file takes back every lock that the process holds on it; the next command beside a server that
does so deletes the log which the server still writes, and a kill then loses what had been acknowledged.
"""

from __future__ import annotations

import asyncio
import random
import re
import sys
import time
import urllib.request
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from lumenstat.records.database import Database
from lumenstat.records.people import find_person
from lumenstat.records.sign_ins import sign_in
from lumenstat.records.tables import Person
from soak.kills import act_until_killed, check
from soak.load import Hand, Seen
from soak.school import HOURS, NO_PASSWORD, Server, Station

ACTS_BETWEEN = 4
PAUSE_SECONDS = 0.1
"""A station that sends without a pause for longer than a moment is closed."""
WAIT_SECONDS = 60


def commands(run_id: str, folder: Path, round_number: int) -> list[tuple[str, ...]]:
    """Every command of the command line that opens a database, as it is typed; `folder` takes what they write."""
    archive, listed = folder / "school.zip", folder / "class.csv"
    listed.write_text(f"Name\nListed Person {round_number}\n")
    return [
        ("check-database",),
        ("backup", str(folder / f"copy-{round_number}.sqlite")),
        ("verify", run_id),
        ("people", "list"),
        ("people", "add", f"Extra Person {round_number}"),
        ("people", "password", "spare"),
        ("people", "role", "spare", "instructor"),
        ("people", "keep-out", "spare"),
        ("people", "let-in", "spare"),
        ("people", "take-in", str(listed)),
        ("export", run_id, "--as", "ics", "--out", str(folder / "run.ics")),
        ("archive", "--out", str(archive)),
        ("import", str(archive)),
        ("restore", "--at-next-start", str(folder / f"copy-{round_number}.sqlite")),
    ]


async def kill_beside_commands(
    server: Server, stations: Sequence[Station], rounds: int, each: int | None = None, seed: int = 1
) -> dict[str, Any]:
    """Run commands beside a storing server and kill it, so many times; `each` commands a round, all where None.

    A backup is made by the server itself in every round too. Raises TimeoutError where it acknowledges nothing.
    """
    rng, seen = random.Random(seed), Seen()
    folder = server.database.parent
    head = _head(server.database)
    found = {"rounds": rounds, "commands": 0, "lost": 0, "twice": 0, "holes": 0}
    hands = [Hand(station, server, (), seen) for station in stations]
    refused: dict[str, int] = {}
    for number in range(rounds):
        server.start()
        acting = [asyncio.create_task(act_until_killed(hand, PAUSE_SECONDS)) for hand in hands]
        await _more_acts(seen)
        await asyncio.to_thread(_back_up_through_the_page, server, head)
        asked = commands(stations[0].run_id, folder, number)
        if each is not None:
            copy = asked[1]
            asked = [copy, *rng.sample([one for one in asked if one is not copy], each)]
        for command in asked:
            code = await _run(command, server.database)
            found["commands"] += 1
            if code:
                refused[" ".join(command[:2])] = code
            # Acts in between: what is stored after a command went by is what would be lost.
            await _more_acts(seen)
        await asyncio.to_thread(server.kill)
        await asyncio.wait(acting, timeout=20)
        # What waits for the next start would put the copy in the place of what is looked at here.
        for left in (*folder.glob("*.to-restore"), folder / f"copy-{number}.sqlite"):
            left.unlink(missing_ok=True)
        lost, twice, holes = await asyncio.to_thread(check, server, seen)
        found["lost"] += lost
        found["twice"] += twice
        found["holes"] += holes
    return found | {"acknowledged": seen.acts(), "refused": refused}


async def _more_acts(seen: Seen) -> None:
    """Wait for some more acts to be acknowledged. Raises TimeoutError that says what was refused."""
    before, until = seen.acts(), time.monotonic() + WAIT_SECONDS
    while seen.acts() < before + ACTS_BETWEEN:
        if time.monotonic() > until:
            raise TimeoutError(f"nothing is acknowledged any more; refused: {seen.refused[-3:]}, closed: {seen.closed}")
        await asyncio.sleep(0.005)


async def _run(command: tuple[str, ...], database: Path) -> int:
    process = await asyncio.create_subprocess_exec(
        sys.executable, "-m", "lumenstat", *command, "--database", str(database),
        stdout=asyncio.subprocess.DEVNULL, stderr=asyncio.subprocess.DEVNULL,
    )  # fmt: skip
    return await asyncio.wait_for(process.wait(), WAIT_SECONDS)


def _head(path: Path) -> str:
    """A head of training who is signed in, and somebody whom commands may change."""
    database = Database(path)
    try:
        return database.write(_sign_in_head)
    finally:
        database.close()


def _sign_in_head(session: Any) -> str:
    for name, role in (("principal", "head"), ("spare", "trainee")):
        if find_person(session, name) is None:
            session.add(Person(name=name, sign_in_name=name, role=role, password_hash=NO_PASSWORD))
    session.flush()
    head = find_person(session, "principal")
    assert head is not None
    return sign_in(session, head.id, HOURS)


def _back_up_through_the_page(server: Server, token: str) -> None:
    """A backup made in the server's own process, as the school's page asks for it."""
    address, cookie = f"http://{server.address}", {"Cookie": f"lumenstat_sign_in={token}"}
    with urllib.request.urlopen(urllib.request.Request(f"{address}/school", headers=cookie), timeout=30) as answer:
        csrf = re.search(r'name="csrf" value="([^"]+)"', answer.read().decode())
    assert csrf is not None
    form = urlencode({"csrf": csrf.group(1)}).encode()
    asked = urllib.request.Request(f"{address}/school/backup", form, {**cookie, "Origin": address})
    with urllib.request.urlopen(asked, timeout=60) as answer:
        assert answer.status == 200
