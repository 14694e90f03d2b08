"""Judging, the debrief, and the proof: how long an instructor waits."""

from __future__ import annotations

import re
import tempfile
import time
import warnings
from pathlib import Path

from bench.starts import Start25
from lumenstat.assessment.matching import Candidate, best_reading
from lumenstat.assessment.scoring import score
from lumenstat.documents.runlog import RunLog
from lumenstat.proving.leave_out import leave_out
from lumenstat.proving.prove import prove
from lumenstat.rehearsal.perfect import rehearse

Row = tuple[str, float, str]


def median_of(job: object, times: int = 3) -> float:
    """Median seconds of a job."""
    assert callable(job)
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        job()
        taken.append(time.perf_counter() - begun)
    return sorted(taken)[len(taken) // 2]


def measure(full: Start25) -> list[Row]:
    """Scoring a full start, its debrief beside a bare page, its proof, and leaving each item out."""
    flight = rehearse(full.bundle)
    log = RunLog(full.bundle.exercise.id, full.bundle.digest, "bench", flight.events)
    rows: list[Row] = [("score_full_start", 1000 * median_of(lambda: score(full.bundle, log)), "ms, with its flight")]
    chain = [Candidate(item, (item + 1) % 80 if item % 7 else item) for item in range(80)]
    reading = median_of(lambda: best_reading(chain, lambda _: 1.0, lambda a, b: a < b), 7)
    rows.append(("reading_80_items", 1000 * reading, "ms"))
    rows.append(("prove_full_start", median_of(lambda: prove(full.bundle, flight), 3), "s"))
    rows.append(("leave_out_full_start", median_of(lambda: leave_out(full.bundle, flight), 1), "s, all cores"))
    return rows + _pages(log)


def _pages(log: RunLog) -> list[Row]:
    warnings.simplefilter("ignore")
    from fastapi.testclient import TestClient  # noqa: PLC0415 - a test client only where pages are measured

    from lumenstat.demo import DEMO_PASSWORD  # noqa: PLC0415
    from lumenstat.settings import Settings  # noqa: PLC0415
    from lumenstat.web.app import create_app  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Settings(database=Path(folder) / "bench.sqlite", demo=True))
        with TestClient(app, headers={"origin": "http://testserver"}) as client:

            def token(path: str) -> str:
                found = re.search(r'name="csrf" value="([^"]+)"', client.get(path).text)
                return found.group(1) if found else ""

            form = {"csrf": token("/sign-in"), "sign_in_name": "odile", "password": DEMO_PASSWORD}
            client.post("/sign-in", data=form)
            trainee = re.search(r'name="trainee">\s*<option value="(\d+)"', client.get("/runs").text)
            data = {"csrf": token("/runs"), "trainee": trainee.group(1) if trainee else ""}
            files = {"log": ("log.jsonl", log.text().encode())}
            debrief = str(client.post("/runs/import", data=data, files=files).url)
            return [
                ("debrief_page", 1000 * median_of(lambda: client.get(debrief), 7), "ms"),
                ("bare_page", 1000 * median_of(lambda: client.get("/sign-in"), 7), "ms"),
            ]
