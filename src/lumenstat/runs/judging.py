"""Judges an ended run in a process of its own, so that live runs never wait for it."""

from __future__ import annotations

import multiprocessing
import os
import threading

from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import parse_log
from lumenstat.simulation.trace import trace_of


def step_back() -> None:
    """Give way to the live runs, and leave with the server, however it ends."""
    os.nice(10)
    threading.Thread(target=_leave_with_parent, daemon=True).start()


def _leave_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(0)


def judge(canonical_json: str, log_text: str) -> tuple[str, str]:
    """Ledger and trace of a log, as JSON."""
    judged = score(Bundle.from_canonical_json(canonical_json), parse_log(log_text))
    return judged.ledger.model_dump_json(), trace_of(judged.flight).model_dump_json()
