"""Has the model find out about exercises, one after another, in a process of its own; what it found is kept."""

from __future__ import annotations

import threading

from lumenstat.assessment.validity import Validity, validity_of
from lumenstat.documents.bundles import Bundle
from lumenstat.errors import LumenstatError
from lumenstat.language.wording import phrase
from lumenstat.records.database import Database
from lumenstat.records.model_facts import note_facts, validity_found
from lumenstat.runs.workers import Progress, Worker

SECONDS_AT_MOST = 240.0


def find_out(progress: Progress, canonical_json: str) -> Validity:
    """Fly an exercise at other temperatures and charges."""
    progress(phrase("flying it at other starts"), 0, 1)
    return validity_of(Bundle.from_canonical_json(canonical_json))


class FactsDesk:
    """Knows what was found about versions; the first who asks has it found out."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.worker = Worker("facts", waiting_at_most=64)
        self._asked: set[str] = set()
        self._failed: set[str] = set()
        self._lock = threading.Lock()

    def ask(self, bundle: Bundle) -> Validity | None:
        """What was found about a version; None while it is being found out, or could not be."""
        found = self.database.read(lambda session: validity_found(session, bundle.digest))
        if found is not None:
            return found
        with self._lock:
            if bundle.digest not in self._asked:
                self._asked.add(bundle.digest)
                threading.Thread(target=self._find_out, args=(bundle,), daemon=True, name="facts").start()
        return None

    def needed(self, bundle: Bundle) -> Validity | None:
        """The same, waited for: how long an exercise takes is needed before a day can be planned."""
        found = self.database.read(lambda session: validity_found(session, bundle.digest))
        return found if found is not None or bundle.digest in self._failed else self._find_out(bundle)

    def _find_out(self, bundle: Bundle) -> Validity | None:
        try:
            found: Validity = self.worker.call(find_out, bundle.canonical_json, seconds=SECONDS_AT_MOST)
            self.database.write(lambda session: note_facts(session, bundle.digest, found))
        except LumenstatError:
            with self._lock:  # it is tried again after the next start
                self._failed.add(bundle.digest)
            return None
        return found

    def stop(self) -> None:
        """Break off what is under way."""
        self.worker.close()
