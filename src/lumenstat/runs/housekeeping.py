"""What a server does by itself for its school: backups on a schedule, each read back; what is too old is taken out."""

from __future__ import annotations

import logging
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path

from lumenstat.errors import LumenstatError
from lumenstat.records.database import Database
from lumenstat.records.erasing import TooOld, clear_out, too_old
from lumenstat.records.exercises import current_exercises
from lumenstat.records.keeping import back_up
from lumenstat.records.marks import LAST_BACKUP, mark, note_backup
from lumenstat.records.people import now
from lumenstat.records.school import School, school
from lumenstat.runs.model_facts import FactsDesk

log = logging.getLogger("lumenstat.housekeeping")

FIRST_LOOK_SECONDS, LOOK_SECONDS = 45.0, 300.0


class Housekeeping:
    """A thread that looks now and then; everything can also be asked for."""

    def __init__(self, database: Database, facts: FactsDesk) -> None:
        self.database, self.facts = database, facts
        self._stopped = threading.Event()
        self._one_at_a_time = threading.Lock()
        self._thread = threading.Thread(target=self._run, name="housekeeping", daemon=True)

    def start(self) -> None:
        """Begin to look."""
        self._thread.start()

    def stop(self) -> None:
        """End; a backup under way is brought to its end."""
        self._stopped.set()
        if self._thread.is_alive():
            self._thread.join(timeout=10)

    def _run(self) -> None:
        # Not at the very start, when a school signs in.
        self._stopped.wait(FIRST_LOOK_SECONDS)
        while not self._stopped.is_set():
            try:
                self.look()
            except LumenstatError as error:
                log.warning("housekeeping: %s", error)
            except Exception:
                log.exception("housekeeping failed")
            self._stopped.wait(LOOK_SECONDS)

    def look(self) -> None:
        """Do what is due."""
        settled: School = self.database.read(school)
        if self.backup_due(settled):
            self.back_up()
        if self.database.read(lambda session: too_old(session, settled)):
            self.clear_out()
        self.find_out()

    def find_out(self) -> None:
        """Have the model find out about every exercise that can be started, so that nobody waits for it."""
        for version in self.database.read(current_exercises):
            if self._stopped.is_set():
                return
            self.facts.needed(version.bundle)

    def backup_due(self, settled: School) -> bool:
        """Whether the last good backup is too long ago."""
        if not settled.backup_hours:
            return False
        last = self.database.read(lambda session: mark(session, LAST_BACKUP))
        return last is None or now() - last[1] >= timedelta(hours=settled.backup_hours)

    @property
    def folder(self) -> Path:
        """Where backups are kept."""
        return self.database.path.parent / "backups"

    def backups(self) -> list[Path]:
        """The backups of this database, newest first."""
        return sorted(self.folder.glob(f"{self.database.path.stem}-*.sqlite"), reverse=True)

    def back_up(self) -> Path:
        """Make a backup, read it back, and take out those beyond what is kept. Raises StorageError."""
        # By hand and by itself at the same second would have the same name.
        with self._one_at_a_time:
            stamp = f"{datetime.now(UTC):%Y%m%d-%H%M%S}"
            target = self.folder / f"{self.database.path.stem}-{stamp}.sqlite"
            try:
                back_up(self.database.path, target)
            except LumenstatError as error:
                says = error.args[0]
                # Kept in the database, so that the school's page can say it until one succeeds.
                self.database.write(lambda session: note_backup(session, says))
                raise
            self.database.write(lambda session: note_backup(session, ""))
            kept: School = self.database.read(school)
            for old in self.backups()[kept.backups_kept :]:
                old.unlink(missing_ok=True)
            return target

    def clear_out(self) -> TooOld:
        """Take out what is kept no longer."""
        settled: School = self.database.read(school)
        return self.database.write(lambda session: clear_out(session, settled))
