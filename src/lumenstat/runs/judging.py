"""Judges ended runs one after another in a process of its own, so that live runs never wait for it.

A judge that dies is replaced and its run judged again, once; a run that no judge gets through says so, and waits for
somebody to have it tried again. Whatever waits when the server stops is taken up when it starts.
"""

from __future__ import annotations

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace

from lumenstat.assessment.moment import of_moment
from lumenstat.assessment.scoring import score
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import parse_log
from lumenstat.errors import LumenstatError, WorkerError
from lumenstat.language.wording import KEEP_PARTS, phrase
from lumenstat.records import runs as records
from lumenstat.records.database import Database
from lumenstat.runs.workers import Progress, Worker
from lumenstat.simulation.trace import trace_of

log = logging.getLogger("lumenstat.judging")

TRIES = 2
SECONDS_AT_MOST = 120.0


def judge(
    progress: Progress, canonical_json: str, log_text: str, moment: tuple[str, float] | None = None
) -> tuple[str, str]:
    """Ledger and trace of a log, as JSON; of one item since a time (s) where the run is about one `moment`."""
    bundle = Bundle.from_canonical_json(canonical_json)
    judged = score(bundle, parse_log(log_text), progress)
    ledger = judged.ledger if moment is None else of_moment(bundle, judged.ledger, *moment)
    return ledger.model_dump_json(context=KEEP_PARTS), trace_of(judged.flight).model_dump_json()


@dataclass(frozen=True)
class Underway:
    """How far the judging of a run is: how many are before it, what is being done, how much of how much."""

    before: int = 0
    doing: str = phrase("waiting for its turn")
    done: int = 0
    of: int = 0


class JudgeDesk:
    """The runs that wait for a verdict, and the thread that has them judged.

    `on_judged(run_id, says)` is called on that thread; `says` is empty, or why the run could not be judged.
    """

    def __init__(self, database: Database) -> None:
        self.database = database
        self.on_judged: Callable[[str, str], None] = lambda run_id, says: None
        self.worker = Worker("judge")
        self._waiting: OrderedDict[str, Underway] = OrderedDict()
        self._changed = threading.Condition()
        self._stopped = False
        self._thread = threading.Thread(target=self._run, name="judging", daemon=True)

    def start(self) -> None:
        """Take up what waited when the server stopped, and whatever comes."""
        for run_id in self.database.read(records.awaiting_verdict):
            self.add(run_id)
        self._thread.start()

    def stop(self) -> None:
        """Break off; what is not judged is taken up at the next start."""
        with self._changed:
            self._stopped = True
            self._changed.notify()
        self.worker.close()
        if self._thread.is_alive():
            self._thread.join(timeout=10)

    @property
    def waiting(self) -> int:
        """How many runs wait or are being judged."""
        return len(self._waiting)

    def add(self, run_id: str) -> None:
        """Have a finished run judged; one that waits already keeps its place."""
        with self._changed:
            self._waiting.setdefault(run_id, Underway())
            self._changed.notify()

    def again(self, run_id: str) -> None:
        """Have a run that could not be judged tried once more."""
        self.database.write(lambda session: records.note_not_judged(session, run_id, None))
        self.add(run_id)

    def standing(self, run_id: str) -> Underway | None:
        """How far the judging of a run is; None where it is not waiting."""
        with self._changed:
            before = list(self._waiting)
            found = self._waiting.get(run_id)
            return None if found is None else replace(found, before=before.index(run_id))

    def _run(self) -> None:
        while (run_id := self._next()) is not None:
            try:
                says = self._judge(run_id)
            except Exception as error:
                log.exception("run %s: its judging failed", run_id)
                says = str(error) or type(error).__name__
            # A server that ends keeps the run waiting, and judges it after its next start.
            if self._stopped:
                return
            with self._changed:
                self._waiting.pop(run_id, None)
            self.on_judged(run_id, says)

    def _next(self) -> str | None:
        with self._changed:
            while not self._waiting and not self._stopped:
                self._changed.wait()
            return None if self._stopped else next(iter(self._waiting))

    def _judge(self, run_id: str) -> str:
        run = self.database.read(lambda session: records.find_run(session, run_id))
        if run.state == "ended":
            return ""
        text = self.database.read(lambda session: records.log_of(session, run)).text()
        content = run.exercise.content
        # A drill is judged by its one item, from where it began.
        moment = (run.drill_item, (run.origin_tick or 0) / 100) if run.drill_item is not None else None
        for tried in range(1, TRIES + 1):
            try:
                ledger, trace = self.worker.call(
                    judge, content, text, moment, seconds=SECONDS_AT_MOST, progress=lambda *at: self._note(run_id, *at)
                )
            except LumenstatError as error:
                if self._stopped:
                    return ""
                log.error("run %s could not be judged, try %d: %s", run_id, tried, error)
                says = phrase("This run could not be judged: {error}", error=error)
                # Only a worker that died or took too long is worth a second try; an error of the judge comes again.
                if not isinstance(error, WorkerError):
                    break
            else:
                self._keep(run_id, ledger, trace)
                return ""
        self.database.write(lambda session: records.note_not_judged(session, run_id, says))
        return says

    def _keep(self, run_id: str, ledger: str, trace: str) -> None:
        self.database.write(lambda session: records.end_run(session, run_id, ledger, trace))

    def _note(self, run_id: str, doing: str, done: int, of: int) -> None:
        with self._changed:
            if run_id in self._waiting:
                self._waiting[run_id] = Underway(0, doing, done, of)
