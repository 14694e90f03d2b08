"""Flights of drafts under way that are judged to see whether the judge is fair to them; one exercise at a time."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from dataclasses import dataclass

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError
from lumenstat.fairness.fair import Fairness, fair
from lumenstat.language.wording import phrase
from lumenstat.runs.workers import step_back

KEPT_AT_MOST = 8
"""So many versions' results are kept; an older one is flown again when it is asked for."""


@dataclass
class FairJob:
    """The flights of one exercise version: how far they are, and what came of them."""

    done: int = 0
    of: int = 0
    cancelled: bool = False
    failed: str | None = None
    found: Fairness | None = None

    @property
    def busy(self) -> bool:
        """Whether it is still flown."""
        return self.found is None and self.failed is None and not self.cancelled


class FairDesk:
    """Flies on threads of its own, in niced processes, and gives way to live runs."""

    def __init__(self, live: Callable[[], bool]) -> None:
        self.live = live
        self.jobs: dict[str, FairJob] = {}
        self._turn = threading.Lock()

    def start(self, bundle: Bundle) -> FairJob:
        """Begin with an exercise version, or give what is under way or known of it."""
        job = self.jobs.get(bundle.digest)
        if job is None or job.cancelled or job.failed:
            job = self.jobs[bundle.digest] = FairJob()
            while len(self.jobs) > KEPT_AT_MOST:
                self.jobs.pop(next(iter(self.jobs))).cancelled = True
            threading.Thread(target=self._work, args=(job, bundle), daemon=True, name="fairness").start()
        return job

    def stop(self) -> None:
        """Stop them all, for the server is about to end."""
        for job in self.jobs.values():
            job.cancelled = True

    def _work(self, job: FairJob, bundle: Bundle) -> None:
        def progress(done: int, of: int) -> bool:
            job.done, job.of = done, of
            return not job.cancelled

        try:
            with self._turn:
                # One core is left to the stations while anybody flies.
                workers = 1 if self.live() else os.cpu_count() or 1
                found = fair(bundle, None, workers, progress, step_back, always_apart=True)
            if not job.cancelled:
                job.found = found
        except LumenstatError as error:
            job.failed = str(error)
        except Exception as error:
            job.failed = phrase("The model could not fly this: {error}", error=error)
            raise
