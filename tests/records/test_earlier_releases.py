"""What 0.1 kept opens: a database of its last commit with runs, record and draft, and digests of what it shipped.

`golden/school-0.1.sql.gz`, `golden/documents-0.1.json.gz` and `golden/digests-0.1.json` are of that commit and are never made
anew.
"""

from __future__ import annotations

import gzip
import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy.orm import Session

from lumenstat.assessment.ledger import Ledger
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent, parse_log
from lumenstat.drafting import edits
from lumenstat.drafting.draft import Draft, read_draft
from lumenstat.records.database import Database
from lumenstat.records.drafts import load
from lumenstat.records.exercises import bundle_of
from lumenstat.records.keeping import faults_of
from lumenstat.records.runs import find_run, log_of
from lumenstat.records.sealing import verify
from lumenstat.runs.live import LiveRun

GOLDEN = Path(__file__).parent / "golden"
KNOWN = json.loads((GOLDEN / "school-0.1.json").read_text())


@pytest.fixture
def school(tmp_path: Path) -> Iterator[Database]:
    path = tmp_path / "school.sqlite"
    with sqlite3.connect(path) as made:
        made.executescript(gzip.decompress((GOLDEN / "school-0.1.sql.gz").read_bytes()).decode())
    made.close()
    opened = Database(path)
    yield opened
    opened.close()


def test_the_documents_that_0_1_shipped_have_the_digests_they_had() -> None:
    """Those of the library have changed since; these are the canonical texts of that release."""
    then: dict[str, str] = json.loads((GOLDEN / "digests-0.1.json").read_text())
    texts: dict[str, str] = json.loads(gzip.decompress((GOLDEN / "documents-0.1.json.gz").read_bytes()))
    assert {name: Bundle.from_canonical_json(text).digest for name, text in texts.items()} == then


def test_it_is_whole(school: Database, tmp_path: Path) -> None:
    assert list(faults_of(tmp_path / "school.sqlite")) == []


BY_OTHER_FIGURES = {
    "frost-on-the-ramp": ("start-at-rest", "start-again", "current-falls"),
    "apu-loop-open": (),
}
"""Calls of figures that the batteries of 0.4 give otherwise: their curve is flatter and cold takes capacity. The kept
ledger stands as it was; only who judges the old log anew sees them."""


def judgement(ledger: Ledger, but: tuple[str, ...]) -> dict[str, object]:
    """What a ledger comes to. When and in which words may differ: putting a control right is looking at it now."""
    items = [(row.item, row.verdict, row.earned, row.corrected) for row in ledger.items if row.item not in but]
    kept = {"ended_at", "digest"}
    if not but:
        kept |= {"outcome", "percent", "band", "points", "gates", "extras", "limits"}
    return {"items": items, **ledger.model_dump(include=kept)}


@pytest.mark.parametrize("name", sorted(BY_OTHER_FIGURES))
def test_a_run_judged_then_is_judged_the_same_now(school: Database, name: str) -> None:
    def found(session: Session) -> tuple[str, str, str]:
        run = find_run(session, KNOWN["runs"][name])
        return run.digest, log_of(session, run).text(), run.ledger or ""

    digest, log, ledger = school.read(found)
    bundle = school.read(lambda session: bundle_of(session, digest))
    assert bundle.digest == digest
    then = Ledger.model_validate_json(ledger)
    now = score(bundle, parse_log(log)).ledger
    assert now.engine != then.engine
    but = BY_OTHER_FIGURES[name]
    assert judgement(now, but) == judgement(then, but)
    assert all(row.verdict == "wrong" for row in now.items if row.item in but)
    assert then.percent > 50


def test_a_record_signed_then_verifies(school: Database) -> None:
    assert school.read(lambda session: verify(session, KNOWN["runs"]["apu-loop-open"])).ok


def test_an_open_run_goes_on(school: Database) -> None:
    def found(session: Session) -> tuple[str, list[LogEvent]]:
        run = find_run(session, KNOWN["runs"]["guided-power-up"])
        return run.digest, list(log_of(session, run).events)

    digest, events = school.read(found)
    bundle = school.read(lambda session: bundle_of(session, digest))
    live = LiveRun("run", bundle, tuple(events))
    assert len(live.log) == len(events) == 9
    assert not live.finished


def test_a_draft_opens_is_what_it_was_and_can_be_changed(school: Database) -> None:
    kept = school.read(lambda session: load(session, KNOWN["draft"]))
    draft = Draft.from_json(kept.content)
    read = read_draft(draft)
    assert read.problems == ()
    changed = edits.set_fields(draft, "outside", {"why": "For another reason."})
    assert read_draft(changed).problems == ()
