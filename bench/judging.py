"""Judging, the debrief, and the proof: how long an instructor waits."""

from __future__ import annotations

import json
import re
import tempfile
import time
import warnings
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING

from bench.starts import Start25
from bench.timing import seconds_of
from lumenstat.assessment.matching import Candidate, best_reading
from lumenstat.assessment.scoring import judge, score
from lumenstat.documents.runlog import RunLog
from lumenstat.proving.leave_out import leave_out
from lumenstat.proving.prove import prove
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.flight import fly

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

Row = tuple[str, float, str]


def measure(full: Start25) -> list[Row]:
    """Scoring a full start, its debrief beside a bare page, its proof, and leaving each item out."""
    flight = rehearse(full.bundle)
    log = RunLog(full.bundle.exercise.id, full.bundle.digest, "bench", flight.events)
    flown = fly(full.bundle, flight.events, full.bundle.watched)
    judged = seconds_of(lambda: judge(full.bundle, full.bundle.procedure, flown, flight.events))
    rows: list[Row] = [("judge_full_start", 1000 * judged, "ms, once it is flown")]
    rows.append(("score_full_start", 1000 * seconds_of(lambda: score(full.bundle, log), 5), "ms, with its flight"))
    chain = [Candidate(item, (item + 1) % 80 if item % 7 else item) for item in range(80)]
    reading = seconds_of(lambda: best_reading(chain, lambda _: 1.0, lambda a, b: a < b), 7)
    rows.append(("reading_80_items", 1000 * reading, "ms"))
    rows.append(("prove_full_start", seconds_of(lambda: prove(full.bundle, flight), 3), "s"))
    rows.append(("leave_out_full_start", seconds_of(lambda: leave_out(full.bundle, flight), 1), "s, all cores"))
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
                found = re.search(r'name="csrf"\s+value="([^"]+)"', client.get(path).text)
                return found.group(1) if found else ""

            form = {"csrf": token("/sign-in"), "sign_in_name": "odile", "password": DEMO_PASSWORD}
            client.post("/sign-in", data=form)
            trainee = re.search(r'name="trainee">\s*<option\s+value="(\d+)"', client.get("/runs").text)
            data = {"csrf": token("/runs"), "trainee": trainee.group(1) if trainee else ""}
            files = {"log": ("log.jsonl", log.text().encode())}
            debrief = str(client.post("/runs/import", data=data, files=files).url)
            while "being judged" in client.get(debrief).text.lower():
                time.sleep(0.1)
            bare = seconds_of(lambda: client.get("/sign-in"), 15)
            rows: list[Row] = [("bare_page", 1000 * bare, "ms")]
            for name, path in (
                ("exercises", "/exercises"),
                ("brief", "/exercises/full-cold-start"),
                ("runs", "/runs"),
                ("drafts", "/drafts"),
                ("debrief", debrief),
            ):
                page = seconds_of(lambda path=path: client.get(path), 15)  # type: ignore[misc]
                rows.append((f"{name}_page", page / bare, f"x a bare page, {1000 * page:.1f} ms"))
            return [
                *rows,
                ("draft_edit", 1000 * _edit(client, token("/drafts")), "ms, an item of a full start changed"),
            ]


def _edit(client: TestClient, csrf: str) -> float:
    """Seconds of one change of a draft, with the parts of the page that it answers with."""
    copied = {"csrf": csrf, "begins": "copy", "exercise": "full-cold-start", "title": "Bench"}
    path = str(client.post("/drafts/new", data=copied).url)
    editions = count()

    def edit() -> None:
        edition = next(editions)
        args = {"item": "master", "fields": {"why": f"Reason {edition}."}}
        form = {"csrf": csrf, "edition": str(edition), "verb": "fields", "args": json.dumps(args), "item": "master"}
        answer = client.post(f"{path}/edit", data=form)
        assert answer.status_code == 200, answer.text

    return seconds_of(edit, 15)
