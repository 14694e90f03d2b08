"""Where the server's processes come from: forked from one that has loaded the model already.

A fresh interpreter takes a core two seconds to load the model, each time and with memory of its own; a fork is there at
once and shares what was loaded. The process they are forked from does nothing else, has no threads and no database.
"""

from __future__ import annotations

import multiprocessing
from multiprocessing import forkserver

LOADED = (
    "lumenstat.runs.flying", "lumenstat.runs.judging", "lumenstat.runs.proofs", "lumenstat.runs.starting",
    "lumenstat.runs.model_facts", "lumenstat.runs.drilling", "lumenstat.runs.reader_jobs",
    "lumenstat.drafting.taking_in",
)  # fmt: skip
"""What holds the jobs of the server's workers."""

FORKED = multiprocessing.get_context("forkserver")
FORKED.set_forkserver_preload(list(LOADED))


def load_beside() -> None:
    """Begin to load the model in the process that others are forked from, while the caller does something else."""
    forkserver.ensure_running()
