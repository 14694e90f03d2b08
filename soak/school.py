"""A database with a school of any size, its people signed in and their runs waiting; and a server on it, which ends
with the `with` that it stands in."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.demo import seed_library
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.runs import create_run
from lumenstat.records.sign_ins import sign_in
from lumenstat.records.tables import Person

HOURS = 6.0
NO_PASSWORD = "nobody signs in with it"


@dataclass(frozen=True)
class Station:
    """One trainee's run, and the cookie that opens it."""

    run_id: str
    token: str


def make_school(path: Path, stations: int, exercise: str = "full-cold-start") -> tuple[list[Station], str]:
    """Runs for so many trainees, and the token of their instructor."""
    database = Database(path)
    database.write(seed_library)
    made = database.write(lambda session: _people(session, stations, exercise))
    database.close()
    return made


def _people(session: Session, stations: int, exercise: str) -> tuple[list[Station], str]:
    teacher = _person(session, "teacher", "instructor")
    digest = current_exercise(session, exercise).digest
    found = []
    for number in range(stations):
        trainee = _person(session, f"trainee-{number}", "trainee")
        run = create_run(session, digest, trainee.id, teacher.id, ENGINE_VERSION)
        found.append(Station(run.id, sign_in(session, trainee.id, HOURS)))
    return found, sign_in(session, teacher.id, HOURS)


def _person(session: Session, name: str, role: str) -> Person:
    person = Person(name=name, sign_in_name=name, role=role, password_hash=NO_PASSWORD)
    session.add(person)
    session.flush()
    return person


class Server:
    """A server process of our own, on a free port of the loopback address; only it is ever killed, by its id."""

    def __init__(self, database: Path, *options: str, log: Path | None = None) -> None:
        self.database, self.options = database, options
        self.log = log or database.with_suffix(".log")
        self.process: subprocess.Popen[bytes] | None = None
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"127.0.0.1:{self.port}"

    def start(self, seconds: float = 60.0) -> float:
        """Start it, and wait until it answers; gives the seconds that took."""
        begun = time.monotonic()
        command = [sys.executable, "-m", "lumenstat", "serve", "--database", str(self.database)]
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [*command, "--port", str(self.port), *self.options], stdout=subprocess.DEVNULL, stderr=log
            )
        while time.monotonic() - begun < seconds:
            if self.process.poll() is not None:
                raise RuntimeError(f"the server ended: {self.log.read_text()[-2000:]}")
            try:
                with urllib.request.urlopen(f"http://{self.address}/health", timeout=2):
                    return time.monotonic() - begun
            except OSError:
                time.sleep(0.02)
        raise RuntimeError("the server did not come up")

    def __enter__(self) -> Server:
        return self

    def __exit__(self, *_: object) -> None:
        if self.process is not None and self.process.poll() is None:
            self.kill()

    def kill(self) -> None:
        """End it as a power cut would."""
        assert self.process is not None
        self.process.kill()
        self.process.wait(timeout=20)

    def end(self) -> float:
        """Ask it to end; gives the seconds until it had. Raises TimeoutExpired where it does not."""
        assert self.process is not None
        begun = time.monotonic()
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(timeout=30)
        return time.monotonic() - begun

    def health(self) -> Any:
        """What its health page says."""
        import json  # noqa: PLC0415

        with urllib.request.urlopen(f"http://{self.address}/health", timeout=20) as answer:
            return json.load(answer)

    def processes(self) -> list[int]:
        """Its process and all that it started."""
        assert self.process is not None
        found, left = [], [self.process.pid]
        while left:
            pid = left.pop()
            found.append(pid)
            for thread in Path(f"/proc/{pid}/task").glob("*/children"):
                with suppress(OSError):
                    left += [int(child) for child in thread.read_text().split()]
        return found

    def cpu_seconds(self) -> float:
        """Processor seconds that all its processes have used."""
        return sum(_cpu(pid) for pid in self.processes())

    def megabytes(self) -> float:
        """Memory that all its processes hold."""
        return sum(_memory(pid) for pid in self.processes())


def _cpu(pid: int) -> float:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _memory(pid: int) -> float:
    try:
        lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    except OSError:
        return 0.0
    return next((int(line.split()[1]) / 1000 for line in lines if line.startswith("Pss:")), 0.0)
