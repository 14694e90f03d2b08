"""Proofs under way: the model flies in niced processes, one exercise after another, and gives way to live runs."""

from __future__ import annotations

import json
import os
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError
from lumenstat.language.wording import KEEP_PARTS, phrase
from lumenstat.proving.leave_out import leave_out
from lumenstat.proving.prove import prove
from lumenstat.records.database import Database
from lumenstat.records.drafts import keep_proof
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.runs.workers import Progress, Worker, step_back

SECONDS_FOR_A_FLIGHT = 300.0


@dataclass
class Job:
    """One proof under way: what it does, how far it is, and what went wrong."""

    digest: str
    content: str
    doing: str = phrase("waiting")
    done: int = 0
    of: int = 0
    cancelled: bool = False
    failed: str | None = None
    over: threading.Event = field(default_factory=threading.Event)


class ProofDesk:
    """Proves one exercise at a time on a thread of its own; the flying itself is done by other processes."""

    def __init__(self, database: Database, live: Callable[[], bool]) -> None:
        self.database = database
        self.live = live
        self.jobs: dict[str, Job] = {}
        self.pilot = Worker("proof")
        self._turn = threading.Lock()
        self._of_draft: dict[str, str] = {}

    def start(self, bundle: Bundle, draft_id: str) -> Job:
        """Begin to prove, or give the proof that is under way. What the draft was before is not proven any longer."""
        overtaken = self._of_draft.get(draft_id, bundle.digest)
        if overtaken != bundle.digest:
            # Half a proof of what the draft was helps nobody.
            self.cancel(overtaken)
        self._of_draft[draft_id] = bundle.digest
        job = self.jobs.get(bundle.digest)
        if job is None or job.over.is_set() or job.cancelled:
            job = self.jobs[bundle.digest] = Job(bundle.digest, bundle.canonical_json)
            threading.Thread(target=self._work, args=(job, bundle), daemon=True, name="proof").start()
        return job

    def job(self, digest: str) -> Job | None:
        """The proof of an exercise version that is under way, or failed."""
        job = self.jobs.get(digest)
        return job if job is not None and (not job.over.is_set() or job.failed) else None

    def cancel(self, digest: str) -> None:
        """Stop a proof; what was found so far is dropped."""
        if (job := self.jobs.get(digest)) is not None:
            job.cancelled = True

    def stop(self) -> None:
        """Stop them all, for the server is about to end."""
        for job in self.jobs.values():
            job.cancelled = True
        self.pilot.close()

    def _work(self, job: Job, bundle: Bundle) -> None:
        try:
            with self._turn:
                self._prove(job, bundle)
        except LumenstatError as error:
            job.failed = str(error)
        except Exception as error:
            job.failed = phrase("The model could not fly this: {error}", error=error)
            # It is a fault of ours, and belongs in the log beside the page.
            raise
        finally:
            job.over.set()

    def _prove(self, job: Job, bundle: Bundle) -> None:
        if job.cancelled:
            return
        job.doing = phrase("flying it perfectly")
        proof, flight = self.pilot.call(_fly, job.content, seconds=SECONDS_FOR_A_FLIGHT)
        if job.cancelled:
            return
        # Kept at once: publishing needs the proof, and what each item is worth may take minutes.
        self.database.write(lambda session: keep_proof(session, job.digest, proof))
        job.doing = phrase("leaving one out")

        def progress(done: int, of: int) -> bool:
            job.done, job.of = done, of
            return not job.cancelled

        # One core is left to the stations while anybody flies.
        workers = 1 if self.live() else os.cpu_count() or 1
        found = leave_out(bundle, flight, max(workers, 1), progress, step_back, always_apart=True)
        if job.cancelled:
            return
        consequences = json.dumps(
            [each.model_dump(mode="json", context=KEEP_PARTS) for each in found], ensure_ascii=False
        )
        self.database.write(lambda session: keep_proof(session, job.digest, proof, consequences))


def _fly(progress: Progress, content: str) -> tuple[str, Any]:
    bundle = Bundle.from_canonical_json(content)
    flight = rehearse(bundle)
    return prove(bundle, flight).model_dump_json(context=KEEP_PARTS), flight
