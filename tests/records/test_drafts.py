"""Drafts as stored: undo and redo without limit, and nobody's change lost to somebody else's."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import RecordError
from lumenstat.records.database import Database
from lumenstat.records.drafts import (
    DraftOvertaken,
    change,
    create_draft,
    keep_proof,
    load,
    publish_draft,
    redo,
    states,
    undo,
)
from lumenstat.records.exercises import current_exercises
from lumenstat.records.people import add_person
from lumenstat.records.tables import DraftRecord


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = Database(tmp_path / "db.sqlite")
    yield opened
    opened.close()


@pytest.fixture
def draft(database: Database) -> str:
    database.write(lambda s: add_person(s, "Odile Marrash", "odile", "instructor", "long enough a word"))
    return database.write(lambda s: create_draft(s, 1, "Odile Marrash", "Title", "0", "began it"))


def content(database: Database, draft: str) -> str:
    return database.read(lambda s: load(s, draft)).content


def edition(database: Database, draft: str) -> int:
    return database.read(lambda s: load(s, draft)).edition


def write(database: Database, draft: str, text: str, by: str = "Odile") -> None:
    at = edition(database, draft)
    database.write(lambda s: change(s, draft, at, by, "Title", text, f"wrote {text}"))


def test_every_change_can_be_undone_and_done_again(database: Database, draft: str) -> None:
    for n in range(1, 61):
        write(database, draft, str(n))
    for n in reversed(range(60)):
        at = edition(database, draft)
        database.write(lambda s, at=at: undo(s, draft, at))  # type: ignore[misc]
        assert content(database, draft) == str(n)
    with pytest.raises(RecordError, match="nothing to undo"):
        database.write(lambda s: undo(s, draft, edition(database, draft)))
    for n in range(1, 61):
        at = edition(database, draft)
        database.write(lambda s, at=at: redo(s, draft, at))  # type: ignore[misc]
        assert content(database, draft) == str(n)
    with pytest.raises(RecordError, match="nothing to do again"):
        database.write(lambda s: redo(s, draft, edition(database, draft)))


def test_a_change_after_an_undo_begins_anew_from_there(database: Database, draft: str) -> None:
    write(database, draft, "1")
    write(database, draft, "2")
    database.write(lambda s: undo(s, draft, edition(database, draft)))
    write(database, draft, "3")
    kept = database.read(lambda s: load(s, draft))
    assert (kept.content, kept.redo) == ("3", None)
    database.write(lambda s: undo(s, draft, edition(database, draft)))
    assert content(database, draft) == "1"


def test_who_comes_second_is_told_and_changes_nothing(database: Database, draft: str) -> None:
    seen = edition(database, draft)
    write(database, draft, "hers", by="Odile")
    with pytest.raises(DraftOvertaken) as told:
        database.write(lambda s: change(s, draft, seen, "Tobias", "Title", "his", "wrote his"))
    assert (told.value.by, told.value.change) == ("Odile", "wrote hers")
    assert content(database, draft) == "hers"
    with pytest.raises(DraftOvertaken):
        database.write(lambda s: undo(s, draft, seen))


def test_there_is_no_such_draft(database: Database) -> None:
    with pytest.raises(RecordError, match="no such draft"):
        database.read(lambda s: load(s, "nothing"))


def test_how_a_draft_stands(database: Database, draft: str, frost: Bundle) -> None:
    def stands() -> str:
        return database.read(states)[draft]

    def becomes(digest: str | None) -> str:
        at = edition(database, draft)
        database.write(lambda s: change(s, draft, at, "Odile", "Title", "text", "wrote", digest))
        return stands()

    assert stands() == "draft", "one that amounts to no exercise was not published either"
    assert becomes("one") == "draft"
    database.write(lambda s: keep_proof(s, "one", '{"ok": false}'))
    assert stands() == "draft"
    database.write(lambda s: keep_proof(s, "one", '{"ok": true}'))
    assert stands() == "proven"
    at = edition(database, draft)
    database.write(lambda s: publish_draft(s, draft, at, frost, 1))
    assert becomes("three") == "changed since", "what was published is another version than this one"
    assert becomes(frost.digest) == "published"
    assert becomes("two") == "changed since"
    assert becomes(None) == "changed since"


def test_an_edition_that_was_overtaken_is_not_published_and_a_publication_is_one_change(
    database: Database, draft: str, frost: Bundle, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen = edition(database, draft)
    write(database, draft, "somebody else's", by="Casimir")
    with pytest.raises(DraftOvertaken, match="Casimir changed this draft in the meantime"):
        database.write(lambda s: publish_draft(s, draft, seen, frost, 1))
    assert database.read(current_exercises) == []
    # Whatever ends it half-way, the exercise and its draft's mark are both there or neither.
    with monkeypatch.context() as patch:
        patch.setattr(DraftRecord, "published_digest", property(fset=_power_cut))
        with pytest.raises(KeyboardInterrupt):
            database.write(lambda s: publish_draft(s, draft, seen + 1, frost, 1))
    assert database.read(current_exercises) == []
    database.write(lambda s: publish_draft(s, draft, seen + 1, frost, 1))
    assert [each.digest for each in database.read(current_exercises)] == [frost.digest]
    assert database.read(lambda s: load(s, draft)).published_digest == frost.digest


def _power_cut(*_: object) -> None:
    raise KeyboardInterrupt
