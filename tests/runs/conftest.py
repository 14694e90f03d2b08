"""A database with the demo school in it, for runs that are flown and judged."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from shutil import copy

import pytest

from lumenstat.records.database import Database


@pytest.fixture
def database(tmp_path: Path, demo_database: Path) -> Iterator[Database]:
    path = tmp_path / "db.sqlite"
    copy(demo_database, path)
    opened = Database(path)
    yield opened
    opened.close()
