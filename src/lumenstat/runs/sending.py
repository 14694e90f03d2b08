"""Sends statements of signed runs to the school's record store: each once, later again where it was not taken.

Statements are queued in the database as records are signed, so that nothing is lost between starts, and carry ids of
their own, so that one that is sent again after a lost answer is known there.
"""

from __future__ import annotations

import base64
import http.client
import json
import logging
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy.orm import Session

from lumenstat.errors import LumenstatError
from lumenstat.exchange.xapi import VERSION
from lumenstat.language.wording import phrase
from lumenstat.records import statements as records
from lumenstat.records.database import Database
from lumenstat.runs.run_statements import statements_of_run

log = logging.getLogger("lumenstat.sending")

LOOK_SECONDS = 5.0
TIMEOUT_SECONDS = 15.0
RUNS_AT_ONCE = 20
LONGEST_ANSWER = 4000
REFUSED_FOR_GOOD = (400, 409, 413)
"""What is wrong with the statements themselves: sent again they would be refused again."""


@dataclass(frozen=True)
class RecordStore:
    """Where statements go: an address, the key as `name:secret`; `home` is the address that accounts stand under."""

    address: str
    key: str
    home: str


class Refused(LumenstatError):  # noqa: N818 - it names what happened to what was sent
    """The record store did not take what was sent."""

    def __init__(self, says: str, for_good: bool = False) -> None:
        super().__init__(says)
        self.for_good = for_good


class Sender:
    """A thread that queues and sends; without a record store it does nothing."""

    def __init__(self, database: Database, store: RecordStore | None) -> None:
        self.database, self.store = database, store
        self._wake, self._stopped = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._run, name="sending", daemon=True)

    def start(self) -> None:
        """Begin to look for what is to be sent."""
        if self.store is not None:
            self._thread.start()

    def stop(self) -> None:
        """End; what was not sent is sent after the next start."""
        self._stopped.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(timeout=TIMEOUT_SECONDS + 2)

    def wake(self) -> None:
        """Look at once."""
        self._wake.set()

    def _run(self) -> None:
        while not self._stopped.is_set():
            try:
                # Until nothing is left, then wait: a term's worth of records is sent in one go.
                while self.queue() + self.send() and not self._stopped.is_set():
                    pass
            except LumenstatError as error:
                log.warning("statements could not be sent now: %s", error)
            except Exception:
                log.exception("statements could not be sent")
            self._wake.wait(LOOK_SECONDS)
            self._wake.clear()

    def queue(self) -> int:
        """Queue the statements of records that were signed since; gives how many."""
        store = self.store
        if store is None:
            return 0
        runs: list[str] = self.database.read(lambda session: records.not_queued(session, RUNS_AT_ONCE))

        def write(session: Session) -> int:
            return sum(records.queue(session, run, statements_of_run(session, run, store.home)) for run in runs)

        return self.database.write(write) if runs else 0

    def send(self) -> int:
        """Send what is due; gives how many were taken."""
        waiting: list[records.Statement] = self.database.read(records.to_send)
        if not waiting or self.store is None:
            return 0
        try:
            self._post([json.loads(each.content) for each in waiting])
        except Refused as error:
            # One statement that the store will never take must not hold back all the others.
            if len(waiting) > 1 and error.for_good:
                return sum(self._alone(each) for each in waiting)
            self._note(waiting, error)
            return 0
        names = [each.id for each in waiting]
        self.database.write(lambda session: records.note_sent(session, names))
        return len(waiting)

    def _alone(self, each: records.Statement) -> int:
        """One by itself, so that one that is wrong keeps no other back."""
        try:
            self._post([json.loads(each.content)])
        except Refused as error:
            self._note([each], error)
            return 0
        self.database.write(lambda session: records.note_sent(session, [each.id]))
        return 1

    def _note(self, waiting: Sequence[records.Statement], error: Refused) -> None:
        names, says, for_good = [each.id for each in waiting], str(error), error.for_good
        self.database.write(lambda session: records.note_failed(session, names, says, for_good))

    def _post(self, statements: list[dict[str, Any]]) -> None:
        """Send some. Raises Refused."""
        if self.store is None:
            return
        parts = urlsplit(self.store.address)
        kind = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
        # Name and key as the standard has it for record stores.
        key = base64.b64encode(self.store.key.encode()).decode()
        headers = {
            "Content-Type": "application/json",
            "X-Experience-API-Version": VERSION,
            "Authorization": f"Basic {key}",
        }
        connection = kind(parts.netloc, timeout=TIMEOUT_SECONDS)
        try:
            path = f"{parts.path.rstrip('/')}/statements"
            connection.request("POST", path, json.dumps(statements, ensure_ascii=False).encode(), headers)
            answer = connection.getresponse()
            told = answer.read(LONGEST_ANSWER).decode("utf-8", "replace")
        except (OSError, http.client.HTTPException) as error:
            why = str(error) or type(error).__name__
            raise Refused(phrase("The record store does not answer: {why}.", why=why)) from None
        finally:
            connection.close()
        if not 200 <= answer.status < 300:
            # Sending the same again would be refused again; anything else may pass.
            for_good = answer.status in REFUSED_FOR_GOOD
            says = phrase("The record store answered {status}: {says}", status=answer.status, says=told.strip()[:300])
            raise Refused(says, for_good)
